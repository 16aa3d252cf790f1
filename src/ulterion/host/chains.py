"""The chain from the host's controller to a drive, from the folders above it under /sys/devices.

Every kind of thing has a function that looks at one folder and returns a `Step`, or None when the folder is none of it.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

from ulterion.core.chain import Step
from ulterion.core.links import Link, find_link, higher, lower
from ulterion.core.seenlinks import pcie_link
from ulterion.host import drives, tree
from ulterion.host.names import name_of

VOLTS = 5.0  # of USB before any negotiation
GIVES = {"USB 12 Mb/s": 0.5, "USB 480 Mb/s": 0.5, "USB 10 Gb/s (2 x 5)": 1.5, "USB 20 Gb/s": 1.5}
"""Amperes of a port (USB 2.0, 7.2.1; USB 3.2, 11.4.5: 1.5 over two lanes); 0.9 on others."""
ATA_RATES = {"1.5 Gbps": "SATA 1.5 Gb/s", "3.0 Gbps": "SATA 3 Gb/s", "6.0 Gbps": "SATA 6 Gb/s"}
CARD_TIMINGS = {
    "0": "SD default speed",
    "1": "eMMC HS52",
    "2": "SD high speed",
    "3": "SD UHS-I SDR12",
    "4": "SD UHS-I SDR25",
    "5": "SD UHS-I SDR50",
    "6": "SD UHS-I SDR104",
    "7": "SD UHS-I DDR50",
    "8": "eMMC DDR52",
    "9": "eMMC HS200",
    "10": "eMMC HS400",
}
"""Timing numbers of the kernel's card driver (include/linux/mmc/host.h) and the link each stands for."""


def steps_of(device: Path, root: Path = Path("/")) -> tuple[Step, ...]:
    """Return the chain to a device (a path below /sys that is resolved here), host first; empty for a virtual one."""
    steps: list[Step] = []
    for folder in tree.above(device.resolve(), root):
        for look in LOOKS:
            step = look(folder, root)
            if step is not None:
                steps.insert(0, step)
                break
    return tuple(steps)


def _pci(folder: Path, root: Path) -> Step | None:
    """A PCI device; the last before the drive is its controller, bridges further up are left out."""
    if not re.fullmatch(r"[0-9a-f]{4}:[0-9a-f]{2}:[0-9a-f]{2}\.[0-9a-f]", folder.name):
        return None
    if (tree.text(folder / "class") or "").startswith("0x0604"):
        return None
    running, capable = (_pci_link(folder, which) for which in ("current", "max"))
    above = _pci_link(folder.parent, "max")  # the slot it sits in
    best = lower(capable, above)
    ids = [(tree.text(folder / n) or "").removeprefix("0x") for n in ("vendor", "device")]
    title = name_of("pci", *ids, root) if all(ids) else None
    return Step("controller", folder.name, title, tree.name_of_link(folder / "driver"), running, best, above)


def _pci_link(folder: Path, which: str) -> Link | None:
    speed = re.match(r"([\d.]+) GT/s", tree.text(folder / f"{which}_link_speed") or "")
    lanes = tree.number(folder / f"{which}_link_width")
    try:
        return pcie_link(float(speed[1]), lanes) if speed and lanes else None
    except ValueError:
        return None


def _usb(folder: Path, root: Path) -> Step | None:
    """A USB device: a root hub, a hub, or the bridge or stick itself."""
    if not (folder / "speed").exists() or not (folder / "idVendor").exists():
        return None
    link = drives.usb_link_of(folder)
    ids = [tree.text(folder / n) or "" for n in ("idVendor", "idProduct")]
    if re.fullmatch(r"usb\d+", folder.name):
        return Step("root hub", folder.name, None, None, link)
    title = name_of("usb", *ids, root) or _own_name(folder)
    if tree.text(folder / "bDeviceClass") == "09":
        return Step("hub", folder.name, title, None, link, None, _port_capable(folder), *_power(folder, link))
    port, device = _port_capable(folder), _device_capable(folder)
    return Step(
        "bridge",
        folder.name,
        title,
        drives.usb_driver(folder),
        link,
        lower(device, port) if device else None,
        port,
        *_power(folder, link),
    )


def _own_name(folder: Path) -> str | None:
    """Return what a USB device calls itself: maker and product, the maker not twice."""
    maker, product = tree.text(folder / "manufacturer"), tree.text(folder / "product")
    if maker and product and product.startswith(maker):
        return product
    return " ".join(t for t in (maker, product) if t) or None


def _power(folder: Path, link: Link | None) -> tuple[float | None, float | None]:
    """Return what a USB device asks for and what its port gives, W."""
    asks = re.fullmatch(r"(\d+)mA", tree.text(folder / "bMaxPower") or "")
    amperes = GIVES.get(link.name if link else "", 0.9)
    return (float(asks[1]) / 1000 * VOLTS if asks else None), (amperes * VOLTS if link else None)


def _port_capable(folder: Path) -> Link | None:
    """Return the best that the port a USB device hangs on can do: of the port and its faster twin on the same socket.

    Behind a hub it is the port of the host that counts.
    """
    device = folder
    while re.fullmatch(r"\d+-[\d.]+", device.parent.name):
        device = device.parent
    own = drives.usb_link_of(device.parent)
    try:
        twin = (device / "port" / "peer").resolve(strict=True)
        return higher(own, drives.usb_link_of(twin.parents[1]))
    except (OSError, RuntimeError, IndexError):
        return own


def _device_capable(folder: Path) -> Link | None:
    """Return the best that a USB device says it can do: from its capability descriptors, where the kernel shows them.

    Binary Object Store, USB 3.2, 9.6.2: capability type 3 (SuperSpeed) lists 5 Gb/s in bit 3 of its speeds; type 10
    (SuperSpeedPlus) means 10 Gb/s or more.
    """
    try:
        data = (folder / "bos_descriptors").read_bytes()
    except OSError:
        return None
    best, at = None, 5
    while at + 3 <= len(data) and data[at] >= 3:
        kind = data[at + 2]
        if kind == 0x0A:
            return find_link("USB 10 Gb/s")
        if kind == 0x03 and at + 6 <= len(data) and data[at + 4] & 0x08:
            best = find_link("USB 5 Gb/s")
        at += data[at]
    return best


def _nvme(folder: Path, root: Path) -> Step | None:
    if not re.fullmatch(r"nvme\d+", folder.name) or not (folder / "subsysnqn").exists():
        return None
    return Step("drive", folder.name, tree.text(folder / "model"), "nvme")


def _sata(folder: Path, root: Path) -> Step | None:
    if not re.fullmatch(r"ata\d+", folder.name):
        return None
    links = sorted(folder.glob("link*/ata_link/link*"))
    names = [ATA_RATES.get(tree.text(p / n) or "") for p in links[:1] for n in ("sata_spd", "sata_spd_limit")]
    running, limit = [*(find_link(name) if name else None for name in names), None, None][:2]
    return Step(
        "bridge",
        folder.name,
        "SATA port",
        tree.name_of_link(folder.parent / "driver"),
        running,
        limit if running else None,
    )


def _card(folder: Path, root: Path) -> Step | None:
    if re.fullmatch(r"mmc\d+", folder.name) and folder.parent.name == "mmc_host":
        timing = re.search(r"timing spec:\s+(\d+)", tree.text(root / "sys/kernel/debug" / folder.name / "ios") or "")
        name = CARD_TIMINGS.get(timing[1]) if timing else None
        return Step("slot", folder.name, "card slot", None, find_link(name) if name else None)
    if re.fullmatch(r"mmc\d+:[0-9a-f]+", folder.name):
        return Step("drive", folder.name, tree.text(folder / "name"), "mmcblk")
    return None


LOOKS: tuple[Callable[[Path, Path], Step | None], ...] = (_usb, _nvme, _sata, _card, _pci)


def port_of(device: Path, root: Path = Path("/")) -> str | None:
    """Return where a device is plugged in, by names that stay the same over a restart, or None.

    A socket with a slow and a fast port behind it is one place: the fast one's number counts.
    """
    folders = tree.above(device.resolve(), root)
    pci = next(
        (p.name for p in folders if re.fullmatch(r"[0-9a-f]{4}:[0-9a-f]{2}:[0-9a-f]{2}\.[0-9a-f]", p.name)), None
    )
    usb = next((p for p in folders if re.fullmatch(r"\d+-[\d.]+", p.name)), None)
    if usb is not None:
        return f"{pci or 'USB'} port {_socket(usb)}"
    ata = next((p.name for p in folders if re.fullmatch(r"ata\d+", p.name)), None)
    card = next((p.name for p in folders if re.fullmatch(r"mmc\d+", p.name)), None)
    return " ".join(n for n in (pci, ata, card) if n) or None


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
