"""Where a drive is plugged in, by names that stay the same over a restart."""

from __future__ import annotations

import re
from pathlib import Path

from ulterion.core.patterns import pattern
from ulterion.host import drives, nvmepaths, pcie, tree

USB = pattern(r"\d+-[\d.]+")
GENERIC = pattern(
    r"usb\d+|mmc_host|.*\.auto|platform|soc\d*|virtual|host\d+|target[\d:]+|\d+:\d+:\d+:\d+|block|nvme|bus|axi|[a-z]+@.*"
)
"""Folders above a drive that say nothing about where it is, or are numbered as they come."""


def port_of(disk: str, root: Path = Path("/")) -> str | None:
    """Return where a disk is plugged in, or None.

    A socket with a slow and a fast port behind it is one place: the fast one's number counts.  Of several disks of one device (a dock of two
    bays, a reader of many slots) those after the first are told by their unit.
    """
    place = nvmepaths.place_of(disk, root)
    if nvmepaths.CONTROLLER.fullmatch(place.name) and nvmepaths.transport(place) != "pcie":
        return nvmepaths.address(place)
    return port_at(place, root)


def port_at(place: Path, root: Path = Path("/")) -> str | None:
    """Return where a device is plugged in, by its resolved folder, or None."""
    folders = tree.above(place, root)
    usb = next((p for p in folders if USB.fullmatch(p.name)), None)
    if usb is not None:
        return f"{_controller(usb, folders) or 'USB'} port {_socket(usb)}{_unit(folders)}"
    ata = next((p for p in folders if re.fullmatch(r"ata\d+", p.name)), None)
    card = next((p for p in folders if re.fullmatch(r"mmc\d+", p.name)), None)
    sas = next((p for p in folders if re.fullmatch(r"end_device-[\d:]+", p.name)), None)
    at = _controller(ata or card or sas or place, folders)
    names = [
        at,
        ata and f"{ata.name}{_behind(ata, folders)}",
        sas and _sas_port(sas),
        card.name if card and at is None else None,
    ]
    if card is not None and at is not None and pcie.ADDRESS.fullmatch(at):
        names.append(card.name)
    return " ".join(n for n in names if n) or None


def _controller(device: Path, folders: list[Path]) -> str | None:
    """Return the PCI address above a device, on boards without PCI the nearest name that its place on the chip gives it."""
    pci = next((p.name for p in folders if pcie.ADDRESS.fullmatch(p.name)), None)
    if pci is not None:
        return pci
    above = folders[folders.index(device) + 1 :] if device in folders else []
    return next((p.name for p in above if not GENERIC.fullmatch(p.name) and not USB.fullmatch(p.name)), None)


def _unit(folders: list[Path]) -> str:
    number = next((p.name.rpartition(":")[2] for p in folders if re.fullmatch(r"\d+:\d+:\d+:\d+", p.name)), "0")
    return f" unit {int(number) + 1}" if number != "0" else ""


def _behind(ata: Path, folders: list[Path]) -> str:
    """Return which port of a multiplier a drive hangs on, '' without one."""
    address = next((p.name for p in folders if re.fullmatch(r"\d+:\d+:\d+:\d+", p.name)), "0:0:0:0").split(":")
    return f".{address[1]}" if (ata / f"link{ata.name.removeprefix('ata')}.{address[1]}").exists() else ""


def _sas_port(sas: Path) -> str:
    """Return a SAS device's bay where its enclosure tells it, else its lane (scsi_transport_sas)."""
    facts = sas / "sas_device" / sas.name
    bay, lane = tree.text(facts / "bay_identifier"), tree.text(facts / "phy_identifier")
    return f"bay {bay}" if bay else f"lane {lane}" if lane else sas.name


def _socket(device: Path) -> str:
    """Return the numbers of the ports on the way to a USB device, the first one's twin's where it has a faster one."""
    path = device.name.partition("-")[2]
    _, dot, rest = path.partition(".")
    top = device
    while re.fullmatch(r"\d+-[\d.]+", top.parent.name):
        top = top.parent
    try:
        twin = (top / "port" / "peer").resolve(strict=True)
    except (OSError, RuntimeError):
        return path
    own = drives.usb_link_of(top.parent)
    other = drives.usb_link_of(twin.parents[1]) if len(twin.parents) > 1 else None
    number = re.search(r"port(\d+)$", twin.name)
    if own is None or other is None or number is None or other.payload <= own.payload:
        return path
    return f"{number[1]}{dot}{rest}"
