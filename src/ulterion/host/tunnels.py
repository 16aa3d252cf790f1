"""Tunnels of Thunderbolt and USB4, and which of them a PCI device hangs on (Documentation/ABI/testing/sysfs-bus-thunderbolt).

A device's name is its domain and its route, 8 bits for each step of the way: '0-301' hangs on port 3 of '0-1'.  PCIe reaches it through a switch in
each device on the way (USB4 Specification 2.0, 11.1), so a drive's depth in switches is the number of devices on its way.
Links inside a tunnel state 2.5 GT/s by design (the same, 11.1.1), and what hangs there is `removable` (sysfs-devices-removable).
The drive in a box states the lanes that it has inside the box.
Which domain a root port belongs to is told by the kernel's device links ('supplier:pci:...', sysfs-devices-supplier).
"""

from __future__ import annotations

import itertools
import re
from pathlib import Path

from ulterion.core.facts.devices import Tunnel
from ulterion.core.links.standards import Link, find_link, known_link, lower
from ulterion.core.records import dataclass
from ulterion.host import pcie, tree

THUNDERBOLT = {(10.0, 1): "Thunderbolt 1", (10.0, 2): "Thunderbolt 2", (20.0, 2): "Thunderbolt 3"}
THUNDERBOLT_3 = {
    (10.0, 1): "Thunderbolt 3 at 10 Gb/s",
    (10.0, 2): "Thunderbolt 3 at 20 Gb/s",
    (20.0, 1): "Thunderbolt 3 at 20 Gb/s (1 x 20)",
    (20.0, 2): "Thunderbolt 3",
}
USB4 = {
    (10.0, 1): "USB4 10 Gb/s",
    (10.0, 2): "USB4 20 Gb/s",
    (20.0, 1): "USB4 20 Gb/s (1 x 20)",
    (20.0, 2): "USB4 40 Gb/s",
    (40.0, 2): "USB4 80 Gb/s",
}
GENERATIONS = {3: THUNDERBOLT_3, 4: USB4}
"""Links by speed of a lane and lanes, by the `generation` that a device states."""
TWO_LANES_OF_20 = {3: find_link("Thunderbolt 3"), 4: find_link("USB4 40 Gb/s")}
"""What a good cable carries, by generation."""
BY_DESIGN = "2.5 GT/s"
STEP_BITS = 8


@dataclass(frozen=True)
class TunnelEnd:
    """The device at the end of a tunnel: name and title, the narrowest link on the way to it, and what a good cable carries."""

    name: str
    title: str | None
    link: Link | None
    possible: Link | None


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
            tunnels.append(Tunnel(folder.name, _title(folder), speed, tree.number(folder / "rx_lanes")))
    return tunnels


def entrance(pci: Path, root: Path) -> Path | None:
    """Return the first PCI device beyond a tunnel on the way to a device (itself included), None where no tunnel is on the way.

    That is the first one that can be taken away, where its link states what tunnels do; the drive behind it states its own.
    Kernels before 5.13 do not say what can be taken away: there it is the first one below a port that states no more than tunnels do.
    """
    way = [*reversed(_bridges(pci)), pci]
    removable = [tree.text(p / "removable") for p in way]
    if any(removable):
        first = next((p for p, said in zip(way, removable, strict=True) if said == "removable"), None)
    else:
        pairs = itertools.pairwise(way) if devices(root) else ()
        first = next((p for port, p in pairs if _states_tunnel(port)), None)
    if first is None or not _can_no_more(first.parent):
        return None  # a socket for PCIe itself, on the outside of a machine, has a port that can do more
    return first if _states_tunnel(first, is_end=first == pci) else None


def end_of(pci: Path, root: Path) -> TunnelEnd | None:
    """Return the end of the tunnel that a PCI device hangs on, None where it hangs on none.

    Its link is None where several devices fit whose links differ, or where one on the way is not shown.
    """
    first = entrance(pci, root)
    if first is None:
        return None
    every = devices(root)
    near = [d for d in every if _domain_controller(d) in _controllers_of(pci)] or every
    ends = [d for d in near if _hops(_route(d.name)) == _depth(first, pci)] or near
    links = {_narrowest(d, {e.name: e for e in every}) for d in ends}
    link = links.pop() if len(links) == 1 else None
    if len(ends) != 1:
        return TunnelEnd("tunnel", None, link, None)
    return TunnelEnd(ends[0].name, _title(ends[0]), link, TWO_LANES_OF_20.get(tree.number(ends[0] / "generation") or 0))


def states_own_link(pci: Path) -> bool:
    """Return whether a device behind a tunnel states lanes of its own, and not what tunnels state."""
    return not (tree.text(pci / "current_link_speed") or BY_DESIGN).startswith(BY_DESIGN)


def _states_tunnel(folder: Path, *, is_end: bool = False) -> bool:
    """Return whether a link runs at what tunnels state and can do no more; a drive at their end (`is_end`) may be able to."""
    return not states_own_link(folder) and (is_end or _can_no_more(folder))


def _can_no_more(folder: Path) -> bool:
    """Return whether a device states that it can do no more than what tunnels state, or does not say."""
    return (tree.text(folder / "max_link_speed") or BY_DESIGN).startswith(BY_DESIGN)


def _depth(first: Path, pci: Path) -> int:
    """Return how many devices of a tunnel are on the way: each has a switch, whose upper side states what tunnels do.

    A switch inside a box states its own lanes and is no further device.
    """
    way = [p for p in reversed(_bridges(pci)) if p == first or first in p.parents]
    return max(1, sum(_states_tunnel(p) for p in way[::2]))


def _title(device: Path) -> str | None:
    """Return maker and product of a device."""
    return " ".join(t for t in (tree.text(device / "vendor_name"), tree.text(device / "device_name")) if t) or None


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
    names = GENERATIONS.get(tree.number(device / "generation") or 0, THUNDERBOLT)
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
