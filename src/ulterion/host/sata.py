"""SATA ports as libata shows them: what runs, what it allows, what host and drive can do (Documentation/ABI/testing/sysfs-ata).

A port has a link to the drive ('link1'); behind a port multiplier it has one to that, and one from it to each drive ('link1.0', 'link1.1'), which
are the channels of the port's SCSI host (drivers/ata/libata-scsi.c).  What a host's AHCI controller can do stands in `ahci_host_caps`
(AHCI 1.3.1, 3.1.1: bits 23 to 20 hold the generation).
"""

from __future__ import annotations

import re
from pathlib import Path

from ulterion.core.links.chain import MULTIPLIER, Step
from ulterion.core.links.negotiated import both_can
from ulterion.core.links.standards import Link, is_lower, known_link, lower
from ulterion.core.patterns import pattern
from ulterion.host import tree

PORT = pattern(r"ata(\d+)")
RATES = {"1.5 Gbps": "SATA 1.5 Gb/s", "3.0 Gbps": "SATA 3 Gb/s", "6.0 Gbps": "SATA 6 Gb/s"}
GENERATIONS = tuple(RATES.values())
SPEEDS, UNSET = 76, 0xFFFF  # word of the identify data that lists speeds, and what it is where it is not there
PARALLEL = {"XFER_UDMA_2": "ATA-33", "XFER_UDMA_4": "ATA-66", "XFER_UDMA_5": "ATA-100", "XFER_UDMA_6": "ATA-133"}
"""Modes of the parallel links (include/uapi/linux/ata.h names them; ATA/ATAPI-7 gives their rates)."""


def steps(port: Path, device: Path) -> list[Step]:
    """Return the port, and the multiplier before it where the drive is behind one; `device` is the drive's own folder."""
    number = PORT.fullmatch(port.name)
    if number is None:
        return []
    channel = _channel(device)
    host = port / f"link{number[1]}"
    host = host if host.exists() else next(iter(sorted(port.glob("link*"))), host)
    behind = port / f"link{number[1]}.{channel}"
    driver = tree.name_of_link(port.parent / "driver")
    if not behind.exists():
        return [_step(port, host, driver)]
    multiplier = Step(
        role="hub",
        name=port.name,
        title=MULTIPLIER,
        driver=driver,
        link=running(host),
        capable=None,
        port_capable=_host(port, host),
    )
    return [multiplier, _step(port, behind, driver, name=f"{port.name}.{channel}", before=multiplier.link)]


def _step(port: Path, link: Path, driver: str | None, *, name: str | None = None, before: Link | None = None) -> Step:
    host, runs, allowed = _host(port, link), running(link), _rate(link, "sata_spd_limit")
    most, alone = host or allowed, _identified(link)
    return Step(
        role="bridge",
        name=name or port.name,
        title="SATA port",
        driver=driver,
        link=runs or _parallel(link, driver),
        capable=lower(both_can(alone, most), before) if most and alone else None,
        port_capable=most,
        alone=alone,
        lowered=allowed if is_lower(allowed, most) else None,
        lowerings=tree.number(_device(link) / "spdn_cnt") or 0,
    )


def link_of(port: Path, device: Path) -> Link | None:
    """Return the link that a drive on a port runs at, None where it is not shown."""
    found = steps(port, device)
    return found[-1].link if found else None


def running(link: Path) -> Link | None:
    """Return what a link of a port runs at, None where nothing is linked or it is not shown."""
    return _rate(link, "sata_spd")


def _rate(link: Path, which: str) -> Link | None:
    return known_link(RATES.get(tree.text(link / "ata_link" / link.name / which) or ""))


def _host(port: Path, link: Path) -> Link | None:
    """Return what the host's side can do: by the controller's capabilities, and by the limit that it is run with."""
    caps = next((tree.text(p) for p in sorted(port.glob("host*/scsi_host/host*/ahci_host_caps"))), None)
    try:
        generation = int(caps, 16) >> 20 & 0xF if caps else 0
    except ValueError:
        generation = 0
    by_caps = known_link(GENERATIONS[generation - 1]) if 0 < generation <= len(GENERATIONS) else None
    return lower(by_caps, _rate(link, "hw_sata_spd_limit"))


def _channel(device: Path) -> str:
    """Return the SCSI channel of a drive: the number of its link behind a port multiplier."""
    address = next((p.name for p in (device, *device.parents) if re.fullmatch(r"\d+:\d+:\d+:\d+", p.name)), "")
    return [*address.split(":"), "", ""][1]


def _device(link: Path) -> Path:
    name = next((p.name for p in sorted(link.glob("dev*"))), "dev")
    return link / name / "ata_device" / name


def _identified(link: Path) -> Link | None:
    """Return the best that a drive says it can do (ACS-4, IDENTIFY DEVICE, word 76: bits 1 to 3 for 1.5, 3 and 6 Gb/s)."""
    words = (tree.text(_device(link) / "id") or "").split()
    try:
        speeds = int(words[SPEEDS], 16) if len(words) > SPEEDS else 0
    except ValueError:
        return None
    best = next((name for bit, name in ((3, 2), (2, 1), (1, 0)) if speeds >> bit & 1), None)
    return known_link(GENERATIONS[best]) if best is not None and speeds != UNSET else None


def _parallel(link: Path, driver: str | None) -> Link | None:
    """Return the parallel link of a drive, by its mode; drives on serial ports have such modes too, which mean nothing there."""
    if driver is None or not driver.startswith("pata_"):
        return None
    return known_link(PARALLEL.get(tree.text(_device(link) / "dma_mode") or ""))
