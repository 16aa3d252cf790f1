"""USB devices by their descriptors, as the kernel hands them on: what a device says that it can do.

`version` is the release of the specification that it says it follows (USB 2.0, 9.6.1, bcdUSB): one of 2.00 or below can do what that
release knows.  `bos_descriptors` is its Binary Object Store (USB 3.2, 9.6.2), `descriptors` the others, every alternate setting included
(Documentation/ABI/testing/sysfs-bus-usb, stable/sysfs-bus-usb).
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

from ulterion.core.links.standards import Link, find_link
from ulterion.host import tree

SUPERSPEED, SUPERSPEED_PLUS = 0x03, 0x0A  # capability types (USB 3.2, table 9-14)
VOLTS = 5.0  # of USB before any negotiation
GIVES = {"USB 12 Mb/s": 0.5, "USB 480 Mb/s": 0.5, "USB 10 Gb/s (2 x 5)": 1.5, "USB 20 Gb/s": 1.5}
"""Amperes of a port (USB 2.0, 7.2.1; USB 3.2, 11.4.5: 1.5 over two lanes); 0.9 on others."""
UNIT, FAST_UNIT = 0.1, 0.15  # amperes that a hub without a supply gives each port (USB 2.0, 7.2.1.1; USB 3.2, 11.4.1)
SLOW = find_link("USB 480 Mb/s")
QUIRKS = "sys/module/usb_storage/parameters/quirks"
SELF_POWERED = 0x40
CONFIGURATION = 0x02
CAPABILITY, INTERFACE = 0x10, 0x04  # descriptor types (table 9-5)
STORAGE, SCSI, QUEUES = 0x08, 0x06, 0x62  # class, subclass and protocol of USB Attached SCSI (UAS 1.0)
UNITS = (1e0, 1e3, 1e6, 1e9)  # of a sublink's lane speed exponent (USB 3.2, 9.6.2.5)
TWICE = 20e9  # bits per second from which on a sublink takes two lanes


def capable(folder: Path) -> Link | None:
    """Return the best that a USB device says it can do, or None where it does not say."""
    said = _by_capabilities(folder)
    if said is not None:
        return said
    version = _version(folder)
    if version == 3.0:  # the release that knows nothing above 5 Gb/s
        return find_link("USB 5 Gb/s")
    if version is None or version > 2.0:
        return None
    return find_link("USB 12 Mb/s" if version < 2.0 else "USB 480 Mb/s")


def hides_capabilities(folder: Path) -> bool:
    """Return whether the kernel does not hand on what a device says it can do (`bos_descriptors`; older ones do not)."""
    return not _bytes(folder / "bos_descriptors")


def kept_from_queueing(folder: Path, root: Path) -> str | None:
    """Return why a device that could queue commands is driven without, where the kernel shows it.

    `usb-storage.quirks` holds what the administrator asked for: identity and letters, u for no UAS (kernel-parameters.txt).
    """
    ids = [(tree.text(folder / n) or "").lower() for n in ("idVendor", "idProduct")]
    for entry in (tree.text(root / QUIRKS) or "").split(","):
        maker, product, letters = [*entry.strip().lower().split(":"), "", "", ""][:3]
        if [maker.zfill(4), product.zfill(4)] == ids and "u" in letters:
            return f"the kernel's option usb-storage.quirks={entry.strip()} asks for that"
    return None


def may_do_more(folder: Path) -> bool:
    """Return whether a device at 480 Mb/s or below may be a faster one on its slow pair: those say 2.1 there (USB 3.2, 9.2.6.6)."""
    version = _version(folder)
    return _by_capabilities(folder) is None and version is not None and 2.0 < version < 3.0


def could_queue(folder: Path) -> bool | None:
    """Return whether a device offers USB Attached SCSI in any of its settings, None where its descriptors are not shown."""
    data = _bytes(folder / "descriptors")
    if not data:
        return None
    wanted = (STORAGE, SCSI, QUEUES)
    return any(len(d) >= 8 and d[1] == INTERFACE and tuple(d[5:8]) == wanted for d in _descriptors(data))


def own_name(folder: Path) -> str | None:
    """Return what a USB device calls itself: maker and product, the maker not twice."""
    maker, product = tree.text(folder / "manufacturer"), tree.text(folder / "product")
    if maker and product and product.startswith(maker):
        return product
    return " ".join(t for t in (maker, product) if t) or None


def power(folder: Path, link: Link | None) -> tuple[float | None, float | None]:
    """Return what a USB device asks for and what its port gives, W; a hub without a supply of its own gives one unit load."""
    asks = re.fullmatch(r"(\d+)mA", tree.text(folder / "bMaxPower") or "")
    amperes = GIVES.get(link.name if link else "", 0.9)
    if is_fed_by_bus(folder.parent):
        amperes = min(amperes, UNIT if link is None or link.payload <= SLOW.payload else FAST_UNIT)
    return (float(asks[1]) / 1000 * VOLTS if asks else None), (amperes * VOLTS if link else None)


def is_fed_by_bus(hub: Path) -> bool:
    """Return whether a folder is a hub that says it has no supply of its own (USB 2.0, table 9-10: bit 6 of bmAttributes)."""
    try:
        attributes = int(tree.text(hub / "bmAttributes") or "", 16)
    except ValueError:
        return False
    return re.fullmatch(r"\d+-[\d.]+", hub.name) is not None and not attributes & SELF_POWERED


def wanted(folder: Path) -> float | None:
    """Return what a device asks for by its first configuration, A, configured or not (USB 2.0, table 9-10; USB 3.2, 9.6.3), or None."""
    found = next(
        (d for d in _descriptors(_bytes(folder / "descriptors")) if len(d) >= 9 and d[1] == CONFIGURATION), None
    )
    version = _version(folder)
    if found is None or version is None:
        return None
    return found[8] * (0.008 if version >= 3.0 else 0.002)


def _version(folder: Path) -> float | None:
    try:
        return float(tree.text(folder / "version") or "")
    except ValueError:
        return None


def _by_capabilities(folder: Path) -> Link | None:
    """Return the best of the capability descriptors: one that lists no SuperSpeed can do 480 Mb/s."""
    data = _bytes(folder / "bos_descriptors")
    capabilities = [d for d in _descriptors(data) if len(d) >= 3 and d[1] == CAPABILITY]
    if not capabilities:
        return None
    plus = next((d for d in capabilities if d[2] == SUPERSPEED_PLUS), None)
    if plus is not None:
        return find_link("USB 20 Gb/s" if _sublink(plus) >= TWICE else "USB 10 Gb/s")
    fast = any(d[2] == SUPERSPEED and len(d) >= 5 and d[4] & 0x08 for d in capabilities)
    return find_link("USB 5 Gb/s" if fast else "USB 480 Mb/s")


def _sublink(capability: bytes) -> float:
    """Return the fastest sublink of a SuperSpeedPlus capability over the lanes it wants, bits per second."""
    words = [int.from_bytes(capability[i : i + 4], "little") for i in range(12, len(capability) - 3, 4)]
    lanes = max(1, capability[9] & 0x0F) if len(capability) > 9 else 1
    return lanes * max(((word >> 16) * UNITS[(word >> 4) & 3] for word in words), default=0.0)


def _descriptors(data: bytes) -> Iterator[bytes]:
    at = 0
    while at + 2 <= len(data) and data[at] >= 2:
        yield data[at : at + data[at]]
        at += data[at]


def _bytes(path: Path) -> bytes:
    try:
        return path.read_bytes()[: tree.SMALL]
    except OSError:
        return b""
