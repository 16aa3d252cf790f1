"""What the kernel shows of a disk: model, serial, link, driver, capacity, temperature."""

from __future__ import annotations

import re
from pathlib import Path

from ulterion.core.links.negotiated import usb_link
from ulterion.core.links.standards import Link
from ulterion.core.records import dataclass
from ulterion.host import cards, nvmepaths, pcie, sata, scsi, tree, tunnels

SECTOR = 512  # bytes; the unit of /sys/block/*/size whatever the disk's own blocks (kernel documentation, ABI/stable)


@dataclass(frozen=True)
class Connection:
    """How a disk is attached: transport, link name and driver, each None when unknown."""

    transport: str | None = None
    link: str | None = None
    driver: str | None = None
    serial: str | None = None


def connection(disk: str, root: Path = Path("/")) -> Connection:
    """Return how a disk is attached, from the nearest bus above it that tells."""
    place = nvmepaths.place_of(disk, root)
    folders = tree.above(place, root)
    for looks in ((_usb, _nvme, _sata, _card, _other), (_on_host,)):
        for folder in folders:
            connected = next((c for look in looks if (c := look(folder, place, root)) is not None), None)
            if connected is not None:
                return connected
    return Connection(None, None, tree.name_of_link(place / "device/driver"))


def _usb(folder: Path, place: Path, root: Path) -> Connection | None:
    """A USB interface below a device with a `speed`: the bridge or stick itself."""
    speed = tree.text(folder / "speed")
    if speed is None or not (folder / "idVendor").exists() or (tree.text(folder / "bDeviceClass") == "09"):
        return None
    link = usb_link_of(folder)
    return Connection("USB", link.name if link else None, usb_driver(folder), tree.text(folder / "serial"))


def usb_link_of(folder: Path) -> Link | None:
    """Return the link of a USB device or root hub as the kernel states it, or None."""
    try:
        return usb_link(float(tree.text(folder / "speed") or "nan"), tree.number(folder / "rx_lanes") or 1)
    except ValueError:
        return None


def usb_driver(folder: Path) -> str | None:
    """Return the storage driver of a USB device's interfaces: 'uas', 'usb-storage', or None."""
    drivers = (tree.name_of_link(i / "driver") for i in sorted(folder.glob(f"{folder.name}:*")))
    return next((d for d in drivers if d in ("uas", "usb-storage")), None)


def _nvme(folder: Path, place: Path, root: Path) -> Connection | None:
    if re.fullmatch(r"nvme-subsys\d+", folder.name):
        return Connection("NVMe")  # shared, and its controllers are not shown
    if not nvmepaths.CONTROLLER.fullmatch(folder.name):
        return None
    way, pci = nvmepaths.transport(folder), folder.parent.parent
    if way != "pcie":
        return Connection(f"NVMe over {way.upper()}", None, f"nvme-{way}")
    tunnel = tunnels.end_of(pci, root)
    link = tunnel.link if tunnel else pcie.link_of(pci, "current")
    return Connection("NVMe", link.name if link else None, tree.name_of_link(pci / "driver"))


def _sata(folder: Path, place: Path, root: Path) -> Connection | None:
    if not sata.PORT.fullmatch(folder.name):
        return None
    link, driver = sata.link_of(folder, place), tree.name_of_link(folder.parent / "driver")
    return Connection("PATA" if (driver or "").startswith("pata_") else "SATA", link.name if link else None, driver)


def _card(folder: Path, place: Path, root: Path) -> Connection | None:
    if not cards.CARD.fullmatch(folder.name):
        return None
    kind = tree.text(folder / "type") or "SD"
    serial = tree.text(folder / "serial")
    return Connection("eMMC" if kind == "MMC" else "SD", None, tree.driver_above(folder), serial)


def _other(folder: Path, place: Path, root: Path) -> Connection | None:
    return _as_connection(scsi.look(folder))


def _on_host(folder: Path, place: Path, root: Path) -> Connection | None:
    return _as_connection(scsi.look_again(folder))


def _as_connection(found: scsi.Attached | None) -> Connection | None:
    return Connection(found.transport, found.link.name if found.link else None, found.driver) if found else None


def _page_serial(path: Path) -> str | None:
    """Return the serial of a SCSI unit serial number page (SPC: four bytes of header, then text), or None."""
    try:
        page = path.read_bytes()
    except OSError:
        return None
    return page[4 : 4 + page[3]].decode("ascii", "replace").strip("\0 ") or None if len(page) > 4 else None


def serial(disk: str, root: Path = Path("/"), connected: Connection | None = None) -> str | None:
    """Return the disk's serial number: its own, or else that of the USB device or card it sits in (`connected`, where it is known)."""
    block = root / "sys/block" / disk
    for number in (
        tree.text(block / "device/serial"),
        _page_serial(block / "device/vpd_pg80"),
        tree.text(block / "serial"),
    ):
        if number:
            return number
    return (connected or connection(disk, root)).serial


def model(disk: str, root: Path = Path("/")) -> str | None:
    """Return the disk's model with its vendor, or None."""
    device = root / "sys/block" / disk / "device"
    parts = [tree.text(device / "vendor"), tree.text(device / "model") or tree.text(device / "name")]
    vendor, name = parts
    if not vendor or vendor.startswith("0x") or vendor == "ATA" or (name or "").startswith(vendor):
        return name
    return f"{vendor} {name}" if name else vendor


def hwmon_folders(disk: str, root: Path = Path("/")) -> list[Path]:
    """Return the hardware-monitoring folders that the kernel ties to a disk (its own, or its controller's)."""
    device = root / "sys/block" / disk / "device"
    folders: list[Path] = []
    for pattern in ("hwmon[0-9]*", "hwmon/hwmon[0-9]*", "device/hwmon[0-9]*", "device/hwmon/hwmon[0-9]*"):
        folders += [p for p in sorted(device.glob(pattern)) if (p / "temp1_input").exists()]
    return list({p.resolve(): p for p in folders}.values())


def temperature(disk: str, root: Path = Path("/")) -> float | None:
    """Return the disk's own temperature in degrees Celsius from the sensor the kernel ties to it, or None."""
    for folder in hwmon_folders(disk, root):
        millidegrees = tree.number(folder / "temp1_input")
        if millidegrees is not None:
            return millidegrees / 1000.0
    return None


def is_gone(disk: str, root: Path = Path("/")) -> bool:
    """Return whether a disk that was there is there no more, or has no medium any more."""
    block = root / "sys/class/block" / disk
    return not block.exists() or tree.number(block / "size") in (0, None)


def capacity(disk: str, root: Path = Path("/")) -> int | None:
    """Return the disk's capacity in bytes, or None."""
    sectors = tree.number(root / "sys/block" / disk / "size")
    return sectors * SECTOR if sectors else None


def attachment(name: str, root: Path) -> str | None:
    """Return which connection of a disk this is, None where the kernel does not count them (before Linux 5.15).

    The kernel gives every disk that appears, and every medium put into one, the next number of its boot (Documentation/ABI/stable/
    sysfs-block, diskseq).
    """
    number, boot = (
        tree.number(root / "sys/block" / name / "diskseq"),
        tree.text(root / "proc/sys/kernel/random/boot_id"),
    )
    return None if number is None or boot is None else f"{boot[:8]}-{number}"
