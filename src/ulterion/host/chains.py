"""The chain from the host's controller to a drive, from the folders above it under /sys/devices.

Every kind of thing has a function that looks at one folder and returns a `Step`, or None when the folder is none of it.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

from ulterion.core.chain import Step
from ulterion.core.links import Link, find_link, higher, is_lower, known_link
from ulterion.core.seenlinks import both_can
from ulterion.host import drives, pcie, tree, usb
from ulterion.host.names import name_of

BEHIND = re.compile(r"\d+-[\d.]+")  # names of USB devices: bus and ports
VOLTS = 5.0  # of USB before any negotiation
GIVES = {"USB 12 Mb/s": 0.5, "USB 480 Mb/s": 0.5, "USB 10 Gb/s (2 x 5)": 1.5, "USB 20 Gb/s": 1.5}
"""Amperes of a port (USB 2.0, 7.2.1; USB 3.2, 11.4.5: 1.5 over two lanes); 0.9 on others."""
ATA_RATES = {"1.5 Gbps": "SATA 1.5 Gb/s", "3.0 Gbps": "SATA 3 Gb/s", "6.0 Gbps": "SATA 6 Gb/s"}
SPEEDS, UNSET = 76, 0xFFFF  # word of the identify data that lists speeds, and what it is where it is not there
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
    """A PCI device: the controller of a drive, or a switch on the way to it; other bridges are left out."""
    if not pcie.ADDRESS.fullmatch(folder.name):
        return None
    if (tree.text(folder / "class") or "").startswith(pcie.BRIDGE):
        up = pcie.link_of(folder, "current") if pcie.is_upstream(folder) else None
        return Step("switch", folder.name, None, None, up) if up else None
    ids = [(tree.text(folder / n) or "").removeprefix("0x") for n in ("vendor", "device")]
    title = name_of("pci", *ids, root) if all(ids) else None
    driver = tree.name_of_link(folder / "driver")
    if pcie.is_tunnelled(folder):
        return Step("controller", folder.name, title, driver, pcie.tunnel(root))
    running, alone, above = (
        pcie.link_of(folder, "current"),
        pcie.link_of(folder, "max"),
        pcie.link_of(folder.parent, "max"),
    )
    return Step("controller", folder.name, title, driver, running, both_can(alone, above), above, alone=alone)


def _usb(folder: Path, root: Path) -> Step | None:
    """A USB device: a root hub, a hub, or the bridge or stick itself."""
    if not (folder / "speed").exists() or not (folder / "idVendor").exists():
        return None
    link = drives.usb_link_of(folder)
    ids = [tree.text(folder / n) or "" for n in ("idVendor", "idProduct")]
    if re.fullmatch(r"usb\d+", folder.name):
        return Step("root hub", folder.name, None, None, link)
    title = name_of("usb", *ids, root) or _own_name(folder)
    port, alone = _port_capable(folder), usb.capable(folder)
    capable = both_can(alone, port)
    if BEHIND.fullmatch(folder.parent.name):  # a device with devices below it is a hub, whatever it says
        capable = both_can(capable, _hub_carries(folder.parent))
    power = _power(folder, link)
    if _is_hub(folder):
        return Step("hub", folder.name, title, None, _hub_carries(folder), capable, port, *power, alone=alone)
    driver = drives.usb_driver(folder)
    queues = usb.could_queue(folder) if driver == "usb-storage" else None
    more = usb.may_do_more(folder)
    return Step(
        "bridge", folder.name, title, driver, link, capable, port, *power, alone=alone, queues=queues, may_do_more=more
    )


def _is_hub(folder: Path) -> bool:
    return tree.text(folder / "bDeviceClass") == "09" and re.fullmatch(r"\d+-[\d.]+", folder.name) is not None


def _hub_carries(folder: Path) -> Link | None:
    """Return what a hub carries to its host: its own link, or that of its fast half where it is a slow one.

    A hub of USB 3 is two hubs side by side (USB 3.2, 10.1), each on its own half of the socket.
    """
    own, twin = drives.usb_link_of(folder), folder / "port" / "peer" / "device"
    return higher(own, drives.usb_link_of(twin)) if _is_hub_at(twin) else own


def _is_hub_at(link: Path) -> bool:
    return tree.text(link / "bDeviceClass") == "09"


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


def _nvme(folder: Path, root: Path) -> Step | None:
    if not re.fullmatch(r"nvme\d+", folder.name) or not (folder / "subsysnqn").exists():
        return None
    return Step("drive", folder.name, tree.text(folder / "model"), "nvme")


def _sata(folder: Path, root: Path) -> Step | None:
    """A SATA port: what runs, what libata allows, what host and drive can do (Documentation/ABI/testing/sysfs-ata)."""
    if not re.fullmatch(r"ata\d+", folder.name):
        return None
    links = sorted(folder.glob("link*/ata_link/link*"))[:1]
    running, allowed, host = [
        _ata_rate(links[0] / name) if links else None for name in ("sata_spd", "sata_spd_limit", "hw_sata_spd_limit")
    ]
    port, alone = host or allowed, _identified(folder)
    capable = both_can(alone, port)
    lowered = allowed if is_lower(allowed, port) else None
    driver = tree.name_of_link(folder.parent / "driver")
    return Step("bridge", folder.name, "SATA port", driver, running, capable, port, alone=alone, lowered=lowered)


def _ata_rate(path: Path) -> Link | None:
    return known_link(ATA_RATES.get(tree.text(path) or ""))


def _identified(folder: Path) -> Link | None:
    """Return the best that a SATA drive says it can do (ACS-4, IDENTIFY DEVICE, word 76: bits 1 to 3 for 1.5, 3 and 6 Gb/s)."""
    text = next((tree.text(p) for p in sorted(folder.glob("link*/dev*/ata_device/dev*/id"))), None)
    words = (text or "").split()
    try:
        speeds = int(words[SPEEDS], 16) if len(words) > SPEEDS else 0
    except ValueError:
        return None
    best = next(
        (name for bit, name in ((3, "SATA 6 Gb/s"), (2, "SATA 3 Gb/s"), (1, "SATA 1.5 Gb/s")) if speeds >> bit & 1),
        None,
    )
    return known_link(best) if speeds != UNSET else None


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
    pci = next((p.name for p in folders if pcie.ADDRESS.fullmatch(p.name)), None)
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
