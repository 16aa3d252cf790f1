"""The standard links a reviewer meets, and what each can carry.

For each link: the line rate (bits per second over all its lanes), the line code, the theoretical payload rate (line
rate x code, over 8, in bytes per second, or what the standard itself gives as the most) and the practical range that
working products reach.  The line rate, code and theoretical rate are the standard's; `source` names it.  The practical
range is ours: the upper end is the theoretical rate less the packet framing that `practical_from` explains, the lower
end allows for short packets, commands one at a time, and controllers of modest quality.
"""

from __future__ import annotations

import math
import re
from dataclasses import replace

from ulterion.core.errors import UsageError, unknown
from ulterion.core.links.cards import CARDS, CARDS_OVER_PCIE, CODED_CARDS, UFS
from ulterion.core.records import dataclass

CODES = {
    "8b/10b": 8 / 10,
    "64b/66b": 64 / 66,
    "128b/130b": 128 / 130,
    "128b/132b": 128 / 132,
    "128b/150b": 128 / 150,
    "236B/256B": 236 / 256,
    "none": 1.0,
    "counted before coding": 1.0,
}
"""Payload bits for each bit on the line.  'counted before coding' marks links whose nominal rate is that of the data."""


@dataclass(frozen=True)
class Link:
    """One standard link.

    Attributes:
        name: how it is written in a review, such as 'USB 10 Gb/s'.
        line_bits: bits per second on the line, all lanes of one direction together.
        code: a key of `CODES`.
        payload: theoretical payload, bytes per second.
        practical_low, practical_high: range that working products reach, bytes per second.
        practical_from: where the practical range comes from.
        source: the standard that gives the line rate, the code and the theoretical payload.
        aliases: other ways it is written.
    """

    name: str
    line_bits: float
    code: str
    payload: float
    practical_low: float
    practical_high: float
    practical_from: str
    source: str
    aliases: tuple[str, ...] = ()

    def __str__(self) -> str:
        """Return its name."""
        return self.name

    @property
    def family(self) -> str:
        """What it belongs to, such as USB, PCIe or Ethernet."""
        return self.name.split()[0]

    @property
    def short(self) -> str:
        """Its name where there is little room: Ethernet's are long."""
        return self.aliases[0] if self.family == "Ethernet" else self.name

    @classmethod
    def from_document(cls, value: object) -> Link:
        """Return the link of a name in a document; one that a later version knows is kept, and compares with none.  Raises ValueError."""
        if isinstance(value, Link):
            return value
        if not isinstance(value, str):
            raise ValueError("is not the name of a link")
        return known_link(value) or _unknown_link(value)

    def to_document(self) -> str:
        """Return its name, which stands for it in documents."""
        return self.name


def _unknown_link(name: str) -> Link:
    nothing = math.nan
    return Link(
        name=name,
        line_bits=nothing,
        code="none",
        payload=nothing,
        practical_low=nothing,
        practical_high=nothing,
        practical_from="",
        source="not in the table",
    )


def _link(
    name: str,
    gigabits: float,
    code: str,
    practical: tuple[float, float],
    why: str,
    *,
    source: str,
    aliases: tuple[str, ...] = (),
    payload: float | None = None,
) -> Link:
    """Build a link; `practical` is in MB/s, `payload` (bytes/s) stands where the standard gives it outright."""
    bits = gigabits * 1e9
    most = bits * CODES[code] / 8 if payload is None else payload
    return Link(
        name=name,
        line_bits=bits,
        code=code,
        payload=most,
        practical_low=practical[0] * 1e6,
        practical_high=practical[1] * 1e6,
        practical_from=why,
        source=source,
        aliases=aliases,
    )


_FRAMED = "1024-byte packets with headers, CRC and link commands; lower end: bulk-only transport, one command at a time"
_TUNNEL_40 = 3900  # MB/s: PCIe 4.0 or more over 40 Gb/s of data, packets and headers of the tunnel taken off
_TUNNEL = "tunnelled PCIe with 128-byte payloads; lower end: tunnels limited to PCIe 3.0"
_MICROFRAME = "11 bulk packets in a microframe; lower end: 6"

USB = (
    _link("USB 12 Mb/s", 0.012, "none", (0.8, 1.2), "16 to 19 bulk packets in a frame; lower end: 13",
          source="USB 2.0, table 5-9: at most 19 bulk packets of 64 B in a 1 ms frame",
          aliases=("USB 1.1", "USB full speed"), payload=19 * 64 * 1000.0),
    _link("USB 480 Mb/s", 0.48, "none", (24, 45.056), _MICROFRAME,
          source="USB 2.0, table 5-10: at most 13 bulk packets of 512 B in a 125 µs microframe",
          aliases=("USB 2.0", "USB 2", "USB high speed"), payload=13 * 512 * 8000.0),
    _link("USB 5 Gb/s", 5, "8b/10b", (350, 465), _FRAMED, source="USB 3.2, Gen 1x1",
          aliases=("USB 3.0", "USB 3.1 Gen 1", "USB 3.2 Gen 1", "USB 3.2 Gen 1x1")),
    _link("USB 10 Gb/s", 10, "128b/132b", (900, 1100), _FRAMED, source="USB 3.2, Gen 2x1",
          aliases=("USB 3.1 Gen 2", "USB 3.2 Gen 2", "USB 3.2 Gen 2x1")),
    _link("USB 10 Gb/s (2 x 5)", 10, "8b/10b", (720, 930), _FRAMED, source="USB 3.2, Gen 1x2", aliases=("USB 3.2 Gen 1x2",)),
    _link("USB 20 Gb/s", 20, "128b/132b", (1800, 2200), _FRAMED, source="USB 3.2, Gen 2x2", aliases=("USB 3.2 Gen 2x2",)),
    _link("USB4 10 Gb/s", 10, "64b/66b", (700, 1050), _TUNNEL, source="USB4, Gen 2x1: one lane"),
    _link("USB4 20 Gb/s (1 x 20)", 20, "128b/132b", (1500, 2100), _TUNNEL, source="USB4, Gen 3x1: one lane"),
    _link("USB4 20 Gb/s", 20, "64b/66b", (1500, 2100), _TUNNEL, source="USB4, Gen 2x2", aliases=("USB4 Gen 2x2",)),
    _link("USB4 40 Gb/s", 40, "128b/132b", (2600, _TUNNEL_40), _TUNNEL, source="USB4, Gen 3x2", aliases=("USB4", "USB4 Gen 3x2")),
    _link("USB4 80 Gb/s", 80, "counted before coding", (6000, 7300), "as PCIe 4.0 x4, the widest tunnel in use",
          source="USB4 Version 2.0, Gen 4x2 (PAM3, 11 bits in 7 trits)", aliases=("USB4 v2", "USB4 2.0")),
)  # fmt: skip

THUNDERBOLT = (
    _link("Thunderbolt 1", 10, "counted before coding", (700, 1000), "tunnelled PCIe 2.0 x4 on one channel",
          source="Thunderbolt: 10 Gb/s a channel", aliases=("Thunderbolt",)),
    _link("Thunderbolt 2", 20, "counted before coding", (1200, 1550), "tunnelled PCIe 2.0 x4",
          source="Thunderbolt 2: two channels joined to 20 Gb/s"),
    _link("Thunderbolt 3 at 10 Gb/s", 10, "counted before coding", (700, 1050), _TUNNEL, source="Thunderbolt 3: one lane of 10 Gb/s"),
    _link("Thunderbolt 3 at 20 Gb/s", 20, "counted before coding", (1200, 2100), _TUNNEL,
          source="Thunderbolt 3: 2 x 10 Gb/s, as a long passive cable gives"),
    _link("Thunderbolt 3 at 20 Gb/s (1 x 20)", 20, "counted before coding", (1200, 2100), _TUNNEL, source="Thunderbolt 3: one lane"),
    _link("Thunderbolt 3", 40, "counted before coding", (2200, _TUNNEL_40),
          _TUNNEL + " at 22 Gb/s of the link", source="Thunderbolt 3: 2 x 20 Gb/s of data (20.625 on the line)"),
    _link("Thunderbolt 4", 40, "128b/132b", (2600, _TUNNEL_40), _TUNNEL,
          source="Thunderbolt 4: 2 x 20 Gb/s; PCIe 32 Gb/s or more"),
    _link("Thunderbolt 5", 80, "counted before coding", (6000, 7300), "tunnelled PCIe 4.0 x4",
          source="Thunderbolt 5: 2 x 40 Gb/s each way; PCIe 64 Gb/s"),
)  # fmt: skip

ATA_MODES = ("PATA", "Ultra DMA", "UDMA")  # other ways to write the parallel links
_FIS = "8 KiB data frames with headers, primitives and handshakes"
SATA = (
    _link("SATA 1.5 Gb/s", 1.5, "8b/10b", (120, 142), _FIS, source="Serial ATA, Gen1", aliases=("SATA I", "SATA 1")),
    _link("SATA 3 Gb/s", 3, "8b/10b", (240, 285), _FIS, source="Serial ATA, Gen2", aliases=("SATA II", "SATA 2")),
    _link(
        "SATA 6 Gb/s", 6, "8b/10b", (480, 565), _FIS, source="Serial ATA, Gen3", aliases=("SATA III", "SATA 3", "SATA")
    ),
)

_SSP = "frames of 1 KiB with headers, CRC and acknowledgements"
SAS = (
    _link("SAS 3 Gb/s", 3, "8b/10b", (240, 285), _SSP, source="Serial Attached SCSI 1.1"),
    _link("SAS 6 Gb/s", 6, "8b/10b", (480, 575), _SSP, source="Serial Attached SCSI 2"),
    _link("SAS 12 Gb/s", 12, "8b/10b", (960, 1150), _SSP, source="Serial Attached SCSI 3", aliases=("SAS",)),
    _link(
        "SAS 22.5 Gb/s",
        22.5,
        "128b/150b",
        (1850, 2300),
        _SSP,
        source="Serial Attached SCSI 4",
        aliases=("SAS 24 Gb/s",),
    ),
)


def _parallel_ata() -> tuple[Link, ...]:
    why, source = "command and bus turn-round times", "ATA/ATAPI-7, Ultra DMA modes"
    rates = {33: 33.3, 66: 66.7, 100: 100.0, 133: 133.3}
    return tuple(
        _link(
            f"ATA-{n}",
            mb * 8 / 1000,
            "none",
            (mb * 0.75, mb * 0.92),
            why,
            source=source,
            aliases=tuple(f"{k} {n}" for k in ATA_MODES),
        )
        for n, mb in rates.items()
    )


PCIE_GENERATIONS = {"1.0": (2.5, "8b/10b"), "2.0": (5.0, "8b/10b"), "3.0": (8.0, "128b/130b"),
                    "4.0": (16.0, "128b/130b"), "5.0": (32.0, "128b/130b"), "6.0": (64.0, "236B/256B")}  # fmt: skip
"""Gigatransfers per second of a lane, and the code, of each PCIe generation."""


def _pcie() -> tuple[Link, ...]:
    why = "20 to 24 bytes of framing (28 with ECRC) on payloads of 512 bytes; lower end: of 128, and acknowledgements"
    links = []
    for generation, (transfers, code) in PCIE_GENERATIONS.items():
        for lanes in (1, 2, 4, 8, 16):
            most = transfers * 1000 * lanes * CODES[code] / 8
            source = f"PCI Express {generation}: {transfers:g} GT/s a lane"
            short = tuple(f"PCIe {word}{generation[0]} x{lanes}" for word in ("", "Gen "))
            span = (most * 0.80, most * 0.95)
            links.append(
                _link(f"PCIe {generation} x{lanes}", transfers * lanes, code, span, why, source=source, aliases=short)
            )
    return tuple(links)


def _cards() -> tuple[Link, ...]:
    """Cards and soldered memory: buses whose standard gives the rate, and those on coded lanes."""
    why, packets = "command, CRC and busy times between blocks", "packets, acknowledgements and busy times between them"
    rows = []
    for name, megabytes, source, *aliases in CARDS:
        span = (megabytes * 0.75, megabytes * 0.96)
        rows.append(_link(name, megabytes * 8 / 1000, "none", span, why, source=source, aliases=tuple(aliases)))
    for name, gigabits, source, *aliases in (*CODED_CARDS, *UFS):
        most = gigabits * 1000 * CODES["8b/10b"] / 8
        span = (most * 0.75, most * 0.96)
        rows.append(_link(name, gigabits, "8b/10b", span, packets, source=source, aliases=tuple(aliases)))
    return tuple(rows)


def _cards_over_pcie() -> tuple[Link, ...]:
    """Cards that speak PCIe: the link of the lanes they carry."""
    pcie = {link.name: link for link in _pcie()}
    rows = []
    for name, generation, lanes, source, *aliases in CARDS_OVER_PCIE:
        base = pcie[f"PCIe {generation} x{lanes}"]
        rows.append(replace(base, name=name, source=f"{source}: {base.name}", aliases=tuple(aliases)))
    return tuple(rows)


TCP_SHARE = 1448 / 1538  # payload of a full 1500-byte frame (IPv4, TCP with timestamps) over its bytes on the wire
LARGE_SHARE = 8948 / 9038  # the same of one of 9000 bytes, which networks may be set to


def _ethernet() -> tuple[Link, ...]:
    rates = {
        "10 Mb/s": 0.01,
        "100 Mb/s": 0.1,
        "1 Gb/s": 1.0,
        "2.5 Gb/s": 2.5,
        "5 Gb/s": 5.0,
        "10 Gb/s": 10.0,
        "25 Gb/s": 25.0,
    }
    why = "TCP over 1500-byte frames carries 94.1% (1448 of 1538 bytes), over 9000-byte frames 99.0%; lower end: a tenth less"
    source = "IEEE 802.3: the rate is that of the data"
    links = []
    for label, gigabits in rates.items():
        short = f"{label.replace(' Mb/s', 'M').replace(' Gb/s', 'G')}bE"
        usual, most = (gigabits * 1000 / 8 * share for share in (TCP_SHARE, LARGE_SHARE))
        links.append(
            _link(
                f"Ethernet {label}",
                gigabits,
                "counted before coding",
                (usual * 0.90, most),
                why,
                source=source,
                aliases=(short,),
                payload=most * 1e6,
            )
        )
    return tuple(links)


LINKS: tuple[Link, ...] = (
    *USB,
    *THUNDERBOLT,
    *SATA,
    *SAS,
    *_parallel_ata(),
    *_pcie(),
    *_cards(),
    *_cards_over_pcie(),
    *_ethernet(),
)


def _key(text: str) -> str:
    return re.sub(r"[\s_\-]+", "", text).casefold()


_BY_NAME = {_key(name): link for link in LINKS for name in (link.name, *link.aliases)}


def find_link(text: str) -> Link:
    """Return the link written as `text` (case, spaces and hyphens do not count); raise UsageError with the near name."""
    link = _BY_NAME.get(_key(text))
    if link is None:
        raise UsageError(unknown("link", text, [name for k in LINKS for name in (k.name, *k.aliases)]))
    return link


def known_link(name: str | None) -> Link | None:
    """Return a link by its name, None for none or one that is not in the table."""
    return _BY_NAME.get(_key(name)) if name else None


def is_lower(link: Link | None, than: Link | None) -> bool:
    """Return whether a link carries less than another; False where either is not known."""
    return link is not None and than is not None and link.payload < than.payload * 0.99


def lower(one: Link | None, other: Link | None) -> Link | None:
    """Return the link that carries less, the known one where only one is."""
    return min((k for k in (one, other) if k is not None), key=lambda k: k.payload, default=None)


def higher(one: Link | None, other: Link | None) -> Link | None:
    """Return the link that carries more, the known one where only one is."""
    return max((k for k in (one, other) if k is not None), key=lambda k: k.payload, default=None)
