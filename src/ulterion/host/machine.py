"""A survey of the machine: every drive with its whole chain, network adapters, tunnels, and what root would add."""

from __future__ import annotations

import os
import re
from pathlib import Path

from ulterion.core.chain import Step
from ulterion.core.links import find_link
from ulterion.core.surveyed import Adapter, Survey
from ulterion.host import cards, chains, gaveup, scsi, stacks, tree, tunnels
from ulterion.host.drive import LIVE, drive_of
from ulterion.host.facts import bench_facts

NOT_DRIVES = ("loop", "ram", "zram", "dm-", "md", "nbd", "sr", "fd")
ETHERNET = {10: "Ethernet 10 Mb/s", 100: "Ethernet 100 Mb/s", 1000: "Ethernet 1 Gb/s", 2500: "Ethernet 2.5 Gb/s", 5000: "Ethernet 5 Gb/s",
            10000: "Ethernet 10 Gb/s", 25000: "Ethernet 25 Gb/s"}  # fmt: skip

IFF_UP = 1  # of an adapter's flags (include/uapi/linux/if.h)


def survey(root: Path = LIVE, *, ask_usb: bool = False) -> Survey:
    """Return what the machine under `root` shows; anything that cannot be read is left out.

    Drives behind USB bridges are asked for temperature and health only with `ask_usb`: a bridge that does not know such
    commands may reset itself, and looking around must disturb nothing.
    """
    system = stacks.system_disks(root)
    drives = tuple(drive_of(p.name, root, ask_usb=ask_usb, system=system) for p in _disks(root))
    would = []
    if not _is_root():
        without = [d.name for d in drives if d.temperature is None and d.transport in ("NVMe", "SATA", "USB")]
        if without:
            would.append(f"temperature and health of {', '.join(without)}, from their own logs")
        if any(s.role == "slot" and s.link is None for d in drives for s in d.steps):
            would.append("the bus mode of card slots")
    return Survey(
        bench_facts({}, None, root),
        drives,
        tuple(_adapters(root)),
        tuple(tunnels.shown(root)),
        tuple(would),
        tuple(gaveup.refused(root)),
        tuple(cards.empty_slots(root)),
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


def _adapters(root: Path) -> list[Adapter]:
    """Return the network adapters that are hardware."""
    adapters = []
    for folder in sorted((root / "sys/class/net").glob("*")):
        device = folder / "device"
        if not device.exists():
            continue
        speed = tree.number(folder / "speed")
        name = ETHERNET.get(speed or 0)
        steps: tuple[Step, ...] = chains.steps_of(device, root)
        adapters.append(
            Adapter(
                folder.name,
                find_link(name).name if name else None,
                tree.name_of_link(device / "driver"),
                _state(folder),
                steps,
                (folder / "wireless").exists() or (folder / "phy80211").exists(),
                tree.text(folder / "duplex") == "half",
            )
        )
    return adapters


def _state(folder: Path) -> str | None:
    """Return how an adapter is: up, switched off (its flag IFF_UP is not set), or without a carrier (testing/sysfs-class-net)."""
    flags, state = tree.number(folder / "flags"), tree.text(folder / "operstate")
    if state == "up":
        return "up"
    if flags is not None and not flags & IFF_UP:
        return "switched off"
    return "no carrier" if tree.number(folder / "carrier") == 0 or state == "down" else None
