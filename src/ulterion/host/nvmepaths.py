"""NVMe drives that are reached by several controllers, or over a network: which controllers, and which one the way leads by.

A namespace that several controllers may share stands at 'nvme-subsysN' under /sys/devices/virtual, and its controllers are links beside it (kernel
documentation, admin-guide/nvme-multipath); `state`, `transport` and `address` are the controller's own (drivers/nvme/host/sysfs.c).
"""

from __future__ import annotations

import re
from pathlib import Path

from ulterion.core.patterns import pattern
from ulterion.host import tree

CONTROLLER = pattern(r"nvme\d+")
LIVE = "live"


def controllers(block: Path) -> list[Path]:
    """Return the controllers of a shared namespace (its resolved folder), those that work first; empty for any other disk."""
    if not re.fullmatch(r"nvme-subsys\d+", block.parent.name):
        return []
    found = [p.resolve() for p in sorted(block.parent.iterdir()) if CONTROLLER.fullmatch(p.name) and p.is_symlink()]
    return sorted(found, key=lambda c: tree.text(c / "state") not in (LIVE, None))


def place_of(disk: str, root: Path) -> Path:
    """Return the resolved folder of a disk whose parents are the way to it: its controller's, where it is shared by several."""
    block = (root / "sys/block" / disk).resolve()
    return next(iter(controllers(block)), block)


def transport(controller: Path) -> str:
    """Return how a controller is reached: 'pcie', or over a fabric 'tcp', 'rdma', 'fc', 'loop'."""
    return tree.text(controller / "transport") or "pcie"


def address(controller: Path) -> str | None:
    """Return where a controller on a fabric is: its address and service, or None."""
    told = dict(re.findall(r"(traddr|trsvcid)=([^,\s]+)", tree.text(controller / "address") or ""))
    return ":".join(told[k] for k in ("traddr", "trsvcid") if k in told) or None


def told(controller: Path) -> str:
    """Return a controller in words: its name, how it is reached, and its state where it does not work."""
    state, way = tree.text(controller / "state"), transport(controller)
    where = address(controller) if way != "pcie" else controller.parent.parent.name
    words = [controller.name, way if way != "pcie" else None, where, state if state not in (LIVE, None) else None]
    return " ".join(w for w in words if w)
