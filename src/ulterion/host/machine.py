"""A survey of the machine: every drive with its whole chain, network adapters, tunnels, and what root would add."""

from __future__ import annotations

import os
import re
from pathlib import Path

from ulterion.core.facts.devices import Survey
from ulterion.host import cards, gaveup, network, scsi, stacks, tunnels
from ulterion.host.drive import LIVE, drive_of
from ulterion.host.facts import bench_facts
from ulterion.model.systems import system as this_system

NOT_DRIVES = ("loop", "ram", "zram", "dm-", "md", "nbd", "sr", "fd", "mtdblock")


def survey(root: Path = LIVE, *, ask_usb: bool = False) -> Survey:
    """Return what the machine under `root` shows; anything that cannot be read is left out.

    Drives behind USB bridges are asked for temperature and health only with `ask_usb`: a bridge that does not know such
    commands may reset itself, and looking around must disturb nothing.
    """
    if root == LIVE and this_system() != "linux":
        from ulterion.host.other_systems import asking

        return asking.survey()
    system = stacks.system_disks(root)
    drives = tuple(drive_of(p.name, root, ask_usb=ask_usb, system=system, wake=True) for p in _disks(root))
    would = []
    if not _is_root():
        without = [d.name for d in drives if d.temperature is None and d.transport in ("NVMe", "SATA", "USB")]
        if without:
            would.append(f"temperature and health of {', '.join(without)}, from their own logs")
        if any(s.role == "slot" and s.link is None for d in drives for s in d.steps):
            would.append("the bus mode of card slots")
    return Survey(
        bench=bench_facts({}, None, root),
        drives=drives,
        adapters=tuple(network.adapters(root)),
        tunnels=tuple(tunnels.shown(root)),
        root_would_add=tuple(would),
        refused=tuple(gaveup.refused(root)),
        empty_slots=tuple(cards.empty_slots(root)),
    )


def _is_root() -> bool:
    return hasattr(os, "geteuid") and os.geteuid() == 0


def _disks(root: Path) -> list[Path]:
    """Return the folders of whole disks; multipath ghosts and made-up devices are left out."""
    folders = sorted((root / "sys/block").glob("*"), key=lambda p: (len(p.name), p.name))
    return [
        p
        for p in folders
        if not p.name.startswith(NOT_DRIVES)
        and not re.search(r"c\d+n\d+$|boot\d$|gp\d$|rpmb$", p.name)
        and not scsi.is_boot_unit(p)
    ]
