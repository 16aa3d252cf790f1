"""PCI devices as the kernel shows them: their links, and whether these are links at all or tunnels.

`current_link_speed`, `max_link_speed` and the widths are the device's own (Documentation/ABI/testing/sysfs-bus-pci): each end states what
it runs at and what it can do.  Behind a Thunderbolt or USB4 port PCIe is carried in packets of the tunnel, and its links state 2.5 GT/s
by design (USB4 Specification 2.0, 11.1.1): they are no measure of anything.  A device behind such a port is `removable` (sysfs-devices-removable).
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

from ulterion.core.links import Link
from ulterion.core.seenlinks import pcie_link
from ulterion.host import tree

ADDRESS = re.compile(r"[0-9a-f]{4,}:[0-9a-f]{2}:[0-9a-f]{2}\.[0-9a-f]")
BRIDGE = "0x0604"  # class code of a PCI-to-PCI bridge
BY_DESIGN = "2.5 GT/s"


def link_of(folder: Path, which: str) -> Link | None:
    """Return the link of a PCI device as it runs ('current') or as it could at most ('max'), None where it is not shown."""
    speed = re.match(r"([\d.]+) GT/s", tree.text(folder / f"{which}_link_speed") or "")
    lanes = tree.number(folder / f"{which}_link_width")
    try:
        return pcie_link(float(speed[1]), lanes) if speed and lanes else None
    except ValueError:
        return None


def is_upstream(folder: Path, tunnels: Sequence[Path] = ()) -> bool:
    """Return whether a bridge is the upper side of a switch that is no tunnel's: its link is the one towards the host.

    Root ports stand at the top; below one, sides of switches follow each other, the upper first (PCI Express Base Specification 5.0, 1.3.3).
    """
    above = 0
    while ADDRESS.fullmatch(folder.parents[above].name):
        above += 1
    return above % 2 == 1 and tree.text(folder / "removable") != "removable" and not is_tunnelled(folder, tunnels)


def is_tunnelled(folder: Path, tunnels: Sequence[Path] = ()) -> bool:
    """Return whether a PCI device hangs on a tunnel: one that can be taken away, with a link that states what tunnels do.

    Kernels before 5.13 do not say what can be taken away: with `tunnels` there, and a slot that says no more, nothing is claimed either.
    """
    speed, removable = tree.text(folder / "current_link_speed") or "", tree.text(folder / "removable")
    slot = tree.text(folder.parent / "max_link_speed") or ""
    unsaid = removable is None and bool(tunnels) and slot.startswith(BY_DESIGN)
    return speed.startswith(BY_DESIGN) and (removable == "removable" or unsaid)
