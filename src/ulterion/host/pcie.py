"""PCI devices as the kernel shows them: their links, and whether these are links at all or tunnels.

`current_link_speed`, `max_link_speed` and the widths are the device's own (Documentation/ABI/testing/sysfs-bus-pci): each end states what
it runs at and what it can do.  Behind a Thunderbolt or USB4 port PCIe is carried in packets of the tunnel, and its links state 2.5 GT/s
by design (USB4 Specification 2.0, 11.1.1): they are no measure of anything.  A device behind such a port is `removable` (sysfs-devices-removable).
"""

from __future__ import annotations

import re
from pathlib import Path

from ulterion.core.links import Link, known_link
from ulterion.core.seenlinks import pcie_link
from ulterion.host import tree

ADDRESS = re.compile(r"[0-9a-f]{4,}:[0-9a-f]{2}:[0-9a-f]{2}\.[0-9a-f]")
BRIDGE = "0x0604"  # class code of a PCI-to-PCI bridge
BY_DESIGN = "2.5 GT/s"
TUNNELS = {(10.0, 1): "Thunderbolt 1", (10.0, 2): "Thunderbolt 2", (20.0, 2): "Thunderbolt 3"}
USB4 = {(10.0, 2): "USB4 20 Gb/s", (20.0, 2): "USB4 40 Gb/s", (40.0, 2): "USB4 80 Gb/s"}
"""Links by speed and lanes; `generation` is 4 for USB4 devices (Documentation/ABI/testing/sysfs-bus-thunderbolt)."""


def link_of(folder: Path, which: str) -> Link | None:
    """Return the link of a PCI device as it runs ('current') or as it could at most ('max'), None where it is not shown."""
    speed = re.match(r"([\d.]+) GT/s", tree.text(folder / f"{which}_link_speed") or "")
    lanes = tree.number(folder / f"{which}_link_width")
    try:
        return pcie_link(float(speed[1]), lanes) if speed and lanes else None
    except ValueError:
        return None


def is_upstream(folder: Path) -> bool:
    """Return whether a bridge is the upper side of a switch that is no tunnel's: its link is the one towards the host.

    Root ports stand at the top; below one, sides of switches follow each other, the upper first (PCI Express Base Specification 5.0, 1.3.3).
    """
    above = 0
    while ADDRESS.fullmatch(folder.parents[above].name):
        above += 1
    return above % 2 == 1 and tree.text(folder / "removable") != "removable"


def is_tunnelled(folder: Path) -> bool:
    """Return whether a PCI device hangs on a tunnel: one that can be taken away, with a link that states what tunnels do."""
    speed = tree.text(folder / "current_link_speed") or ""
    return tree.text(folder / "removable") == "removable" and speed.startswith(BY_DESIGN)


def tunnel(root: Path) -> Link | None:
    """Return the link of the tunnel to the one device behind a Thunderbolt or USB4 port, None where there are several, or none."""
    found = []
    for folder in sorted((root / "sys/bus/thunderbolt/devices").glob("[0-9]*-[0-9]*")):
        speed = re.match(r"([\d.]+) Gb/s", tree.text(folder / "rx_speed") or "")
        lanes = tree.number(folder / "rx_lanes")
        if speed and lanes and not folder.name.endswith("-0"):
            names = USB4 if tree.number(folder / "generation") == 4 else TUNNELS
            found.append(known_link(names.get((float(speed[1]), lanes))))
    return found[0] if len(found) == 1 else None
