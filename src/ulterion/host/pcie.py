"""PCI devices as the kernel shows them, and their links.

`current_link_speed`, `max_link_speed` and the widths are the device's own (Documentation/ABI/testing/sysfs-bus-pci): each end states what
it runs at and what it can do.  Links in tunnels (host/tunnels) state what is no measure of anything.
"""

from __future__ import annotations

import re
from pathlib import Path

from ulterion.core.links.negotiated import pcie_link
from ulterion.core.links.standards import Link
from ulterion.core.patterns import pattern
from ulterion.host import tree

ADDRESS = pattern(r"[0-9a-f]{4,}:[0-9a-f]{2}:[0-9a-f]{2}\.[0-9a-f]")
BRIDGE = "0x0604"  # class code of a PCI-to-PCI bridge


def link_of(folder: Path, which: str) -> Link | None:
    """Return the link of a PCI device as it runs ('current') or as it could at most ('max'), None where it is not shown."""
    speed = re.match(r"([\d.]+) GT/s", tree.text(folder / f"{which}_link_speed") or "")
    lanes = tree.number(folder / f"{which}_link_width")
    try:
        return pcie_link(float(speed[1]), lanes) if speed and lanes else None
    except ValueError:
        return None


def is_upstream(folder: Path) -> bool:
    """Return whether a bridge is the upper side of a switch: its link is the one towards the host.

    Root ports stand at the top; below one, sides of switches follow each other, the upper first (PCI Express Base Specification 5.0, 1.3.3).
    """
    above = 0
    while ADDRESS.fullmatch(folder.parents[above].name):
        above += 1
    return above % 2 == 1
