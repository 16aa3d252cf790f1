"""Which mount, and which disk, a path lies on."""

from __future__ import annotations

import os
import re
import stat
from pathlib import Path

from ulterion.core.patterns import pattern
from ulterion.core.records import dataclass
from ulterion.host import tree

MAX_BYTES = 4 * 2**20  # bytes of mountinfo; a machine full of containers has thousands of mounts

_MATTERS = pattern(r"ro|sync|dirsync|discard|noatime|relatime|data=.*|compress.*|barrier.*|nobarrier|flush|dax.*")


@dataclass(frozen=True)
class Mount:
    """One line of mountinfo.

    Attributes:
        point: where it is mounted.
        source: device path or other source.
        filesystem: type.
        options: mount and super-block options.
        number: 'major:minor' of the file system's device.
        top: which folder of the file system is mounted: '/' for the whole of it (bind mounts and subvolumes show a part).
    """

    point: str
    source: str
    filesystem: str
    options: tuple[str, ...]
    number: str
    top: str = "/"

    @property
    def telling_options(self) -> str:
        """The options that bear on a measurement, comma-separated."""
        return ",".join(sorted({o for o in self.options if _MATTERS.fullmatch(o)}))


def unescape(field: str) -> str:
    """Return a field of a /proc file with its octal escapes (a space is `\\040`) read."""
    return re.sub(r"\\([0-7]{3})", lambda m: chr(int(m[1], 8)), field)


def read_mounts(root: Path = Path("/")) -> list[Mount]:
    """Return the mounts of this process in the order of mountinfo (proc(5)); empty when it cannot be read."""
    return parse_mounts(tree.text(root / "proc/self/mountinfo", MAX_BYTES) or "")


def parse_mounts(text: str) -> list[Mount]:
    """Return the mounts that the text of a mountinfo file lists."""
    mounts = []
    for line in text.splitlines():
        left, dash, right = line.partition(" - ")
        before, after = left.split(), right.split()
        if not dash or len(before) < 6 or len(after) < 3:
            continue
        options = (*before[5].split(","), *after[2].split(","))
        mounts.append(
            Mount(
                point=unescape(before[4]),
                source=unescape(after[1]),
                filesystem=after[0],
                options=options,
                number=before[2],
                top=unescape(before[3]),
            )
        )
    return mounts


def mount_of(path: Path, root: Path = Path("/")) -> Mount | None:
    """Return the mount that holds an absolute path: the last mounted of those with the longest matching point."""
    best = None
    for mount in read_mounts(root):
        inside = path == Path(mount.point) or Path(mount.point) in path.parents
        if inside and (best is None or len(mount.point) >= len(best.point)):
            best = mount
    return best


def device_of(mount: Mount, root: Path = Path("/")) -> str | None:
    """Return the kernel name of the block device under a mount, or None (memory, network)."""
    entry = _entry_of(mount, root)
    return None if entry is None else entry.name


def _entry_of(mount: Mount, root: Path) -> Path | None:
    """Return the kernel's folder of the block device under a mount, or None."""
    for number in (mount.number, number_of_source(mount.source, root)):
        entry = root / "sys/dev/block" / number if number else None
        if entry is not None and entry.exists():
            return entry.resolve()
    return _entry_by_name(mount.source, root)


def _entry_by_name(source: str, root: Path) -> Path | None:
    """Return the kernel's folder of a device by its path alone, where the path leads to no node: on a machine that was written down."""
    folder, _, name = source.rpartition("/")
    if folder == "/dev" and (root / "sys/class/block" / name).exists():
        return (root / "sys/class/block" / name).resolve()
    if folder != "/dev/mapper":
        return None
    named = (p.parents[1] for p in (root / "sys/block").glob("dm-*/dm/name") if tree.text(p) == name)
    return next((p.resolve() for p in named), None)


def disk_of(mount: Mount, root: Path = Path("/")) -> str | None:
    """Return the kernel name of the whole disk under a mount ('sda' for sda1), or None (memory, network, several)."""
    entry = _entry_of(mount, root)
    if entry is None:
        return None
    return entry.parent.name if (entry / "partition").exists() else entry.name


def number_of_source(source: str, root: Path = Path("/")) -> str | None:
    """Return 'major:minor' of a device path; file systems such as btrfs show a number of their own in mountinfo."""
    if not source.startswith("/"):
        return None
    try:
        facts = (root / source.lstrip("/")).stat()
    except OSError:
        return None
    return f"{os.major(facts.st_rdev)}:{os.minor(facts.st_rdev)}" if stat.S_ISBLK(facts.st_mode) else None
