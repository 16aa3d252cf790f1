"""What else the machine does: processor time and disk traffic, by the kernel's counters."""

from __future__ import annotations

import os
import stat
from collections.abc import Callable
from pathlib import Path

from ulterion.core.records import dataclass
from ulterion.host import drives, loops, tree

BUSY_CPU, BUSY_DISK = 0.25, 20e6  # share of all processors, and bytes per second on other disks, worth a warning


@dataclass(frozen=True)
class Activity:
    """Counters at one moment: processor time in ticks, busy and in all, and sectors moved of each disk."""

    busy: int
    total: int
    sectors: dict[str, int]


def activity(root: Path = Path("/")) -> Activity:
    """Return the counters now (proc(5)); zeros where they cannot be read."""
    busy = total = 0
    for line in (tree.text(root / "proc/stat") or "").splitlines():
        if line.startswith("cpu "):
            ticks = [int(t) for t in line.split()[1:9] if t.isdigit()]
            total = sum(ticks)
            busy = total - sum(ticks[3:5])  # idle and waiting for disks
    sectors = {}
    for line in (tree.text(root / "proc/diskstats") or "").splitlines():
        fields = line.split()
        if len(fields) >= 10 and (root / "sys/block" / fields[2]).exists():
            sectors[fields[2]] = int(fields[5]) + int(fields[9])
    return Activity(busy, total, sectors)


def pulse_of(fd: int, root: Path = Path("/")) -> Callable[[], object] | None:
    """Return what changes as long as the device under an open file writes, None where the kernel shows no counters of it."""
    facts = os.fstat(fd)
    number = loops.number_text(facts.st_rdev if stat.S_ISBLK(facts.st_mode) else facts.st_dev)
    counters = root / "sys/dev/block" / number / "stat"
    return (lambda: _writes_done(counters)) if counters.exists() else None


@dataclass(frozen=True)
class DiskBytes:
    """Bytes that a disk has read and written since the system began, by the kernel's counters."""

    read: int
    written: int


def meter_of(folder: Path, root: Path = Path("/")) -> Callable[[], DiskBytes] | None:
    """Return what counts the bytes of the disk under a folder or file, None where the kernel shows no counters of it."""
    try:
        number = loops.number_text(folder.stat().st_dev)
    except OSError:
        return None
    counters = root / "sys/dev/block" / number / "stat"
    return (lambda: _disk_bytes(counters)) if counters.exists() else None


def _disk_bytes(counters: Path) -> DiskBytes:
    """Return the sectors read and written (kernel documentation, block/stat), in bytes; nothing once the disk is gone."""
    fields = (tree.text(counters) or "").split()
    if len(fields) < 7 or not (fields[2].isdigit() and fields[6].isdigit()):
        return DiskBytes(0, 0)
    return DiskBytes(int(fields[2]) * drives.SECTOR, int(fields[6]) * drives.SECTOR)


def _writes_done(counters: Path) -> tuple[str, ...]:
    """Return writes, sectors written and flushes that were completed (kernel documentation, block/stat)."""
    fields = (tree.text(counters) or "").split()
    return (*fields[4:7:2], *fields[15:16])


def busyness(
    before: Activity, after: Activity, seconds: float, own_cpu: float, own_disk: str | None, *, cores: int
) -> list[str]:
    """Return sentences on what else loaded the machine during `seconds`; empty when it was quiet.

    `own_cpu` is the processor time (seconds) that the measuring itself took.
    """
    sentences = []
    ticks = after.total - before.total
    if ticks > 0 and seconds > 1.0:
        others = max(0.0, (after.busy - before.busy) / ticks - own_cpu / (seconds * max(cores, 1)))
        if others >= BUSY_CPU:
            sentences.append(f"other programs used {others * 100:.0f}% of the processors during this run")
    elsewhere = {
        n: (after.sectors[n] - s) * drives.SECTOR / max(seconds, 1e-3)
        for n, s in before.sectors.items()
        if n in after.sectors and n != own_disk and not n.startswith(("loop", "ram", "zram", "dm-"))
    }
    for name, rate in elsewhere.items():
        if rate >= BUSY_DISK:
            sentences.append(f"other programs moved {rate / 1e6:.0f} MB/s on {name} during this run")
    return sentences
