"""The chain from the host's controller to a drive, from the folders above it under /sys/devices.

Every kind of thing has a function that looks at one folder and returns its steps, host first: none when the folder is none of it.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from ulterion.core.links.chain import Step
from ulterion.core.links.negotiated import both_can
from ulterion.core.links.standards import Link, higher
from ulterion.core.patterns import pattern
from ulterion.host import cards, drives, nvmepaths, pcie, sata, scsi, tree, tunnels, usb
from ulterion.host.names import name_of

BEHIND = pattern(r"\d+-[\d.]+")  # names of USB devices: bus and ports


def steps_of(device: Path, root: Path = Path("/")) -> tuple[Step, ...]:
    """Return the chain to a device (a path below /sys that is resolved here), host first; empty for a virtual one."""
    device, steps = device.resolve(), list[Step]()
    for folder in tree.above(device, root):
        if scsi.is_virtual(folder):
            return tuple(s for s in steps if s.role == "drive")  # what carries a made-up disk is made up too
        found = next((f for look in LOOKS if (f := look(folder, device, root))), [])
        steps = [*found, *steps]
    return tuple(steps)


def _pci(folder: Path, device: Path, root: Path) -> list[Step]:
    """A PCI device: the controller of a drive, or a switch on the way to it, and the tunnel before it; other bridges are left out."""
    if not pcie.ADDRESS.fullmatch(folder.name):
        return []
    return [*_tunnel(folder, device, root), *_pci_device(folder, root)]


def _tunnel(folder: Path, device: Path, root: Path) -> list[Step]:
    """The tunnel to a device, where this folder is the first beyond it."""
    deepest = next(p for p in (device, *device.parents) if pcie.ADDRESS.fullmatch(p.name))
    end = tunnels.end_of(deepest, root) if tunnels.entrance(deepest, root) == folder else None
    return [Step("tunnel", end.name, end.title, None, end.link, alone=end.possible)] if end else []


def _pci_device(folder: Path, root: Path) -> list[Step]:
    tunnelled = tunnels.entrance(folder, root) is not None
    running = pcie.link_of(folder, "current") if not tunnelled or tunnels.states_own_link(folder) else None
    if (tree.text(folder / "class") or "").startswith(pcie.BRIDGE):
        up = running if pcie.is_upstream(folder) else None
        return [Step("switch", folder.name, None, None, up)] if up else []
    # volume management in the processor: it holds PCI buses of their own, and has no link itself
    if any(folder.glob("pci*:*")):
        return []
    ids = [(tree.text(folder / n) or "").removeprefix("0x") for n in ("vendor", "device")]
    title = name_of("pci", *ids, root) if all(ids) else None
    driver = tree.name_of_link(folder / "driver")
    alone, above = pcie.link_of(folder, "max"), pcie.link_of(folder.parent, "max")
    if tunnelled and not tunnels.states_own_link(folder.parent):
        above = None  # a port in a tunnel does not say what it can do
    return [
        Step(
            role="controller",
            name=folder.name,
            title=title,
            driver=driver,
            link=running,
            capable=both_can(alone, above),
            port_capable=above,
            alone=alone,
        )
    ]


def _usb(folder: Path, device: Path, root: Path) -> list[Step]:
    """A USB device: a root hub, a hub, or the bridge or stick itself."""
    if not (folder / "speed").exists() or not (folder / "idVendor").exists():
        return []
    link = drives.usb_link_of(folder)
    ids = [tree.text(folder / n) or "" for n in ("idVendor", "idProduct")]
    if re.fullmatch(r"usb\d+", folder.name):
        return [Step("root hub", folder.name, None, None, link)]
    title = name_of("usb", *ids, root) or usb.own_name(folder)
    port, alone = _port_capable(folder), usb.capable(folder)
    capable = both_can(alone, port)
    if BEHIND.fullmatch(folder.parent.name):  # a device with devices below it is a hub, whatever it says
        capable = both_can(capable, _hub_carries(folder.parent))
    asks, gives = usb.power(folder, link)
    step = Step(
        role="hub",
        name=folder.name,
        title=title,
        link=_hub_carries(folder),
        capable=capable,
        port_capable=port,
        asks=asks,
        gives=gives,
        alone=alone,
    )
    return [step if _is_hub(folder) else _bridge(step, folder, link, root)]


def _bridge(step: Step, folder: Path, link: Link | None, root: Path) -> Step:
    """Return a USB device's step as that of a bridge or stick: its own link, its driver, and what it says of queueing."""
    driver = drives.usb_driver(folder)
    queues = usb.could_queue(folder) if driver == "usb-storage" else None
    return replace(
        step,
        role="bridge",
        driver=driver,
        link=link,
        queues=queues,
        queueless=usb.kept_from_queueing(folder, root) if queues else None,
        may_do_more=usb.may_do_more(folder),
        hidden=driver == "uas" and step.alone is None and usb.hides_capabilities(folder),
    )


def _is_hub(folder: Path) -> bool:
    """Return whether a device is a hub: by its class, or by the devices below it, whatever it says."""
    below = any(BEHIND.fullmatch(p.name) for p in folder.glob(f"{folder.name}.*"))
    return BEHIND.fullmatch(folder.name) is not None and (below or _is_hub_at(folder))


def _hub_carries(folder: Path) -> Link | None:
    """Return what a hub carries to its host: its own link, or that of its fast half where it is a slow one.

    A hub of USB 3 is two hubs side by side (USB 3.2, 10.1), each on its own half of the socket.
    """
    own, twin = drives.usb_link_of(folder), folder / "port" / "peer" / "device"
    return higher(own, drives.usb_link_of(twin)) if _is_hub_at(twin) else own


def _is_hub_at(link: Path) -> bool:
    return tree.text(link / "bDeviceClass") == "09"


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


def _nvme(folder: Path, device: Path, root: Path) -> list[Step]:
    if not nvmepaths.CONTROLLER.fullmatch(folder.name) or not (folder / "subsysnqn").exists():
        return []
    return [Step("drive", folder.name, tree.text(folder / "model"), "nvme")]


def _sata(folder: Path, device: Path, root: Path) -> list[Step]:
    return sata.steps(folder, device)


def _card(folder: Path, device: Path, root: Path) -> list[Step]:
    return [s for s in (cards.slot_step(folder, root), cards.card_step(folder)) if s is not None]


def _scsi(folder: Path, device: Path, root: Path) -> list[Step]:
    return [s for s in (scsi.sas_step(folder), scsi.ufs_step(folder)) if s is not None]


LOOKS: tuple[Callable[[Path, Path, Path], list[Step]], ...] = (_usb, _nvme, _sata, _card, _scsi, _pci)
