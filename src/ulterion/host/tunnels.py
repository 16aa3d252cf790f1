"""Tunnels of Thunderbolt and USB4, and which of them a PCI device hangs on (Documentation/ABI/testing/sysfs-bus-thunderbolt).

A device's name is its domain and its route, 8 bits for each step of the way: '0-301' hangs on port 3 of '0-1'.  PCIe reaches it through a switch in
each device on the way (USB4 Specification 2.0, 11.1), so a drive's depth in switches is the number of devices on its way.
Its links state 2.5 GT/s by design (the same, 11.1.1), and what hangs there is `removable` (sysfs-devices-removable).
Which domain a root port belongs to is told by the kernel's device links ('supplier:pci:...', sysfs-devices-supplier).
"""

from __future__ import annotations

import re
from pathlib import Path

from ulterion.core.links import Link, known_link, lower
from ulterion.core.surveyed import Tunnel
from ulterion.host import pcie, tree

THUNDERBOLT = {(10.0, 1): "Thunderbolt 1", (10.0, 2): "Thunderbolt 2", (20.0, 2): "Thunderbolt 3"}
USB4 = {(10.0, 2): "USB4 20 Gb/s", (20.0, 2): "USB4 40 Gb/s", (40.0, 2): "USB4 80 Gb/s"}
"""Links by speed of a lane and lanes; `generation` is 4 for USB4 devices."""
BY_DESIGN = "2.5 GT/s"
STEP_BITS = 8


def devices(root: Path) -> list[Path]:
    """Return the folders of the devices in tunnels, resolved; the hosts' own are left out."""
    found = sorted((root / "sys/bus/thunderbolt/devices").glob("[0-9]*-[0-9a-f]*"))
    return [p.resolve() for p in found if re.fullmatch(r"\d+-[0-9a-f]+", p.name) and _route(p.name)]


def shown(root: Path) -> list[Tunnel]:
    """Return the tunnels for a survey."""
    tunnels = []
    for folder in devices(root):
        speed = tree.text(folder / "rx_speed")
        if speed is not None:
            title = " ".join(t for t in (tree.text(folder / "vendor_name"), tree.text(folder / "device_name")) if t)
            tunnels.append(Tunnel(folder.name, title or None, speed, tree.number(folder / "rx_lanes")))
    return tunnels


def carries(pci: Path, root: Path) -> bool:
    """Return whether a PCI device hangs on a tunnel: one that can be taken away, with a link that states what tunnels do.

    Kernels before 5.13 do not say what can be taken away: with tunnels there, and a slot that says no more, nothing is claimed either.
    """
    if not (tree.text(pci / "current_link_speed") or "").startswith(BY_DESIGN):
        return False
    removable = tree.text(pci / "removable")
    slot = tree.text(pci.parent / "max_link_speed") or ""
    return removable == "removable" or (removable is None and slot.startswith(BY_DESIGN) and bool(devices(root)))


def link_to(pci: Path, root: Path) -> Link | None:
    """Return the link of the tunnel that a PCI device hangs on, the narrowest on its way; None where several fit that differ."""
    depth = max(1, sum(1 for p in _bridges(pci) if tree.text(p / "removable") == "removable") // 2)
    every = devices(root)
    near = [d for d in every if _domain_controller(d) in _controllers_of(pci)] or every
    ends = [d for d in near if _hops(_route(d.name)) == depth] or near
    links = {_narrowest(d, {e.name: e for e in every}) for d in ends}
    return links.pop() if len(links) == 1 else None


def _route(name: str) -> int:
    return int(name.partition("-")[2], 16)


def _hops(route: int) -> int:
    return (route.bit_length() + STEP_BITS - 1) // STEP_BITS


def _narrowest(device: Path, every: dict[str, Path]) -> Link | None:
    """Return the narrowest link on the way to a device, None where one is not shown."""
    domain, route, narrowest = device.name.partition("-")[0], _route(device.name), None
    for hops in range(_hops(route), 0, -1):
        on_the_way = every.get(f"{domain}-{route & (1 << STEP_BITS * hops) - 1:x}")
        link = _link(on_the_way) if on_the_way is not None else None
        if link is None:
            return None
        narrowest = lower(narrowest, link)
    return narrowest


def _link(device: Path) -> Link | None:
    speed = re.match(r"([\d.]+) Gb/s", tree.text(device / "rx_speed") or "")
    names = USB4 if tree.number(device / "generation") == 4 else THUNDERBOLT
    try:
        key = (float(speed[1]), tree.number(device / "rx_lanes") or 0) if speed else (0.0, 0)
    except ValueError:
        return None
    return known_link(names.get(key))


def _domain_controller(device: Path) -> str | None:
    """Return the PCI address of the controller that a tunnel's domain belongs to."""
    return next((p.name for p in device.parents if pcie.ADDRESS.fullmatch(p.name)), None)


def _bridges(pci: Path) -> list[Path]:
    return [p for p in pci.parents if pcie.ADDRESS.fullmatch(p.name)]


def _controllers_of(pci: Path) -> set[str]:
    """Return the controllers that may carry a PCI device: by device links, or on the same switch (add-in cards)."""
    found: set[str] = set()
    for bridge in _bridges(pci):
        found |= {p.name.removeprefix("supplier:pci:") for p in bridge.glob("supplier:pci:*")}
        found |= {p.name for p in bridge.glob("*/*") if pcie.ADDRESS.fullmatch(p.name) and p.parent.parent == bridge}
    return found
