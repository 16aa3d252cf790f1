"""Which mount, and which disk, a path lies on."""

from __future__ import annotations

import os
import re
from dataclasses import dataclass
from pathlib import Path

from ulterion.host import tree

_MATTERS = re.compile(r"ro|sync|dirsync|discard|noatime|relatime|data=.*|compress.*|barrier.*|nobarrier|flush|dax.*")


@dataclass(frozen=True)
class Mount:
    """One line of mountinfo.

    Attributes:
        point: where it is mounted.
        source: device path or other source.
        filesystem: type.
        options: mount and super-block options.
        number: 'major:minor' of the file system's device.
    """

    point: str
    source: str
    filesystem: str
    options: tuple[str, ...]
    number: str

    @property
    def telling_options(self) -> str:
        """The options that bear on a measurement, comma-separated."""
        return ",".join(sorted({o for o in self.options if _MATTERS.fullmatch(o)}))


def _unescape(field: str) -> str:
    return re.sub(r"\\([0-7]{3})", lambda m: chr(int(m[1], 8)), field)


def read_mounts(root: Path = Path("/")) -> list[Mount]:
    """Return the mounts of this process in the order of mountinfo (proc(5)); empty when it cannot be read."""
    found = []
    for line in (tree.text(root / "proc/self/mountinfo") or "").splitlines():
        left, dash, right = line.partition(" - ")
        before, after = left.split(), right.split()
        if not dash or len(before) < 6 or len(after) < 3:
            continue
        options = (*before[5].split(","), *after[2].split(","))
        found.append(Mount(_unescape(before[4]), _unescape(after[1]), after[0], options, before[2]))
    return found


def mount_of(path: Path, root: Path = Path("/")) -> Mount | None:
    """Return the mount that holds an absolute path: the last mounted of those with the longest matching point."""
    best = None
    for mount in read_mounts(root):
        inside = path == Path(mount.point) or Path(mount.point) in path.parents
        if inside and (best is None or len(mount.point) >= len(best.point)):
            best = mount
    return best


def disk_of(mount: Mount, root: Path = Path("/")) -> str | None:
    """Return the kernel name of the whole disk under a mount ('sda' for sda1), or None (memory, network, several)."""
    for number in (mount.number, _number_of(mount.source)):
        entry = root / "sys/dev/block" / number if number else None
        if entry is not None and entry.exists():
            device = entry.resolve()
            return device.parent.name if (device / "partition").exists() else device.name
    return None


def _number_of(source: str) -> str | None:
    """Return 'major:minor' of a device path; file systems such as btrfs show a number of their own in mountinfo."""
    try:
        facts = Path(source).stat()
    except OSError:
        return None
    return f"{os.major(facts.st_rdev)}:{os.minor(facts.st_rdev)}" if facts.st_rdev else None
