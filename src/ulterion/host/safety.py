"""What a raw device is, and whether something is on it: asked of an opened device, never of a name.

A node under /dev is a name, and a name can lie or change; the kernel's number of what was opened cannot.
"""

from __future__ import annotations

import mmap
import os
import stat
from pathlib import Path

from ulterion.core.records import dataclass
from ulterion.host import drives, loops, stacks, tree

EDGE = 2**20  # bytes at either end that are looked at: tables of partitions and the marks of file systems lie there
STEP = 2**16


@dataclass(frozen=True)
class OpenedDevice:
    """What an open block device is.

    Attributes:
        number: 'major:minor'.
        name: the kernel's name of it.
        size: bytes.
        read_only: whether the kernel takes no writes for it.
    """

    number: str
    name: str
    size: int
    read_only: bool


def device_behind(fd: int, root: Path = Path("/")) -> OpenedDevice | None:
    """Return what an open descriptor is, or None when it is no block device that the kernel shows."""
    facts = os.fstat(fd)
    if not stat.S_ISBLK(facts.st_mode):
        return None
    number = loops.number_text(facts.st_rdev)
    name = stacks.name_of(number, root)
    if name is None:
        return None
    size = os.lseek(fd, 0, os.SEEK_END)
    return OpenedDevice(number, name, size, is_read_only(name, root))


def name_behind(path: Path, root: Path = Path("/")) -> str | None:
    """Return the kernel's name of the block device that a path leads to now, for messages and estimates only."""
    try:
        facts = path.stat()
    except OSError:
        return None
    return stacks.name_of(loops.number_text(facts.st_rdev), root) if stat.S_ISBLK(facts.st_mode) else None


def is_read_only(name: str, root: Path = Path("/")) -> bool:
    """Return whether the kernel takes no writes for a disk or partition."""
    return tree.number(root / "sys/class/block" / name / "ro") == 1


def identity(name: str, root: Path = Path("/")) -> str | None:
    """Return what a device is named by on the command line: its serial number, for a loop device its backing file."""
    disk = stacks.whole_disk(name, root)
    return drives.serial(disk, root) or tree.text(root / "sys/block" / disk / "loop/backing_file")


def partitions(name: str, root: Path = Path("/")) -> list[str]:
    """Return the names of the partitions of a disk."""
    return [p.parent.name for p in sorted((root / "sys/block" / stacks.whole_disk(name, root)).glob("*/partition"))]


def has_contents(fd: int, size: int) -> bool:
    """Return whether anything but zeros lies in the first or last MiB of an open device of `size` bytes."""
    buffer = memoryview(mmap.mmap(-1, STEP))  # aligned, as an opening past the cache needs it
    for start in (0, max(0, size - EDGE)):
        for place in range(start, min(start + EDGE, size), STEP):
            read = os.preadv(fd, [buffer[: min(STEP, size - place)]], place)
            if any(buffer[:read]):
                return True
    return False
