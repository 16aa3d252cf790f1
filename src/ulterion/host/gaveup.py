"""What is plugged in and gives no drive, and drives that the kernel gave up: left unconfigured for want of power, offline, dead, without a driver.

`bConfigurationValue` is empty while a USB device is not configured, `authorized` is 0 where the system will not have it (Documentation/ABI/stable/sysfs-bus-usb,
usb/authorization); `state` of a SCSI disk and of an NVMe controller are the kernel's own words (drivers/scsi/scsi_sysfs.c, drivers/nvme/host/sysfs.c).
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

from ulterion.core.facts.devices import Refused
from ulterion.host import drives, nvmepaths, pcie, ports, sata, tree, usb
from ulterion.host.names import name_of

STORAGE = "08"  # class of USB interfaces for storage
NVME_CLASS = "0x0108"
STATES = {
    "offline": "the kernel gave it up after errors (offline)",
    "transport-offline": "the connection to it is gone (transport-offline)",
    "blocked": "it does not answer for now (blocked)",
    "quiesce": "the kernel lets nothing through to it (quiesce)",
    "dead": "the kernel gave its controller up (dead)",
    "resetting": "its controller is being reset",
    "connecting": "its controller is being connected to again",
    "deleting": "its controller is being removed",
    "deleting (no IO)": "its controller is being removed",
}
AGAIN = "unplug it and plug it in again, and look at the kernel's log"


def state_words(disk: str, root: Path) -> list[str]:
    """Return what a disk's state says of it where it does not work, for its faults."""
    place = nvmepaths.place_of(disk, root)
    paths = nvmepaths.controllers((root / "sys/block" / disk).resolve())
    own = next((p for p in (place, *place.parents) if nvmepaths.CONTROLLER.fullmatch(p.name)), None)
    folders = paths or [own if own is not None else root / "sys/block" / disk / "device"]
    told = [(f, STATES[state]) for f in folders if (state := tree.text(f / "state")) in STATES]
    return [f"{f'one way to it, {f.name}: ' if len(paths) > 1 else ''}{words}: {AGAIN}" for f, words in told]


def refused(root: Path) -> list[Refused]:
    """Return what is plugged in and gives no drive, with why as far as it is told."""
    return [*_usb(root), *_controllers(root), *_without_driver(root), *_silent_links(root)]


def _usb(root: Path) -> Iterator[Refused]:
    for entry in sorted((root / "sys/bus/usb/devices").glob("[0-9]*-*")):
        folder = entry.resolve()
        if ":" in folder.name or not (folder / "idVendor").exists():
            continue
        words = _unconfigured(folder) or _no_disk(folder)
        if words:
            ids = [tree.text(folder / n) or "" for n in ("idVendor", "idProduct")]
            title = name_of("usb", *ids, root) or usb.own_name(folder)
            yield Refused(folder.name, words, title, ports.port_at(folder, root))


def _unconfigured(folder: Path) -> str | None:
    """Return why a device is not configured, None where it is, or does not say."""
    told = folder / "bConfigurationValue"
    if not told.exists() or tree.text(told) is not None:
        return None
    if tree.number(folder / "authorized") == 0:
        return "not authorised: no driver may use it"
    wants, (_, gives) = usb.wanted(folder), usb.power(folder, drives.usb_link_of(folder))
    if wants is not None and gives is not None and wants * usb.VOLTS > gives + 0.05:
        asked, given = wants * 1000, gives / usb.VOLTS * 1000
        return f"left unconfigured: it asks for {asked:.0f} mA and its port gives {given:.0f} mA; use a hub with a supply of its own"
    return f"left unconfigured: {AGAIN}"


def _no_disk(folder: Path) -> str | None:
    """Return why a storage device shows no disk; None where it shows one, or the device is not for storage."""
    for interface in sorted(folder.glob(f"{folder.name}:*")):
        if tree.text(interface / "bInterfaceClass") != STORAGE:
            continue
        driver, disks = tree.name_of_link(interface / "driver"), any(interface.glob("host*/target*"))
        if driver is None and not disks:
            return f"a storage device that no driver took: {AGAIN}"
        if driver in ("uas", "usb-storage") and not disks:
            return f"its driver {driver} finds no disk in it: {AGAIN}"
    return None


def _controllers(root: Path) -> Iterator[Refused]:
    """NVMe controllers without a namespace; those that only list others have none by design."""
    for entry in sorted((root / "sys/class/nvme").glob("nvme[0-9]*")):
        folder = entry.resolve()
        spaces = [p for p in folder.glob("nvme*n*") if re.fullmatch(r"nvme\d+(c\d+)?n\d+", p.name)]
        if spaces or tree.text(folder / "cntltype") == "discovery":
            continue
        words = STATES.get(tree.text(folder / "state") or "", "its controller shows no drive (no namespace)")
        yield Refused(folder.name, f"{words}: {AGAIN}", tree.text(folder / "model"), ports.port_at(folder, root))


def _without_driver(root: Path) -> Iterator[Refused]:
    for entry in sorted((root / "sys/bus/pci/devices").glob("*")):
        folder = entry.resolve()
        if not pcie.ADDRESS.fullmatch(folder.name) or not (tree.text(folder / "class") or "").startswith(NVME_CLASS):
            continue
        driver = tree.name_of_link(folder / "driver")
        if driver == "nvme" or any(folder.glob("nvme/nvme*")):
            continue
        words = f"handed to the driver {driver}" if driver else f"an NVMe drive without a driver: {AGAIN}"
        yield Refused(folder.name, words, None, folder.name)


def _silent_links(root: Path) -> Iterator[Refused]:
    """SATA ports that are linked and have no drive."""
    for entry in sorted((root / "sys/class/ata_port").glob("ata[0-9]*")):
        folder = next((p for p in entry.resolve().parents if p.name == entry.name), None)
        if folder is None or any(folder.glob("host*/target*")):
            continue
        link = sata.running(folder / f"link{folder.name.removeprefix('ata')}")
        if link is not None:
            words = f"linked at {link}, but no drive answered: its cable, its power, or the drive"
            yield Refused(folder.name, words, None, ports.port_at(folder, root))
