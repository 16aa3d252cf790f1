"""Whether a raw device may be written to: who uses it, what it is called, and whether something is on it."""

from __future__ import annotations

from pathlib import Path

from ulterion.host import drives, mounts, tree

EDGE = 2**20  # bytes at either end that are looked at: tables of partitions and the marks of file systems lie there


def disk_named(device: Path, root: Path = Path("/")) -> str | None:
    """Return the kernel name of the block device behind a path, or None when the kernel does not know it."""
    name = device.resolve().name
    return name if (root / "sys/class/block" / name).exists() else None


def whole_disk(name: str, root: Path = Path("/")) -> str:
    """Return the disk that a partition belongs to, or the name itself."""
    entry = (root / "sys/class/block" / name).resolve()
    return entry.parent.name if (entry / "partition").exists() else name


def identity(name: str, root: Path = Path("/")) -> str | None:
    """Return what a device is named by on the command line: its serial number, for a loop device its backing file."""
    disk = whole_disk(name, root)
    return drives.serial(disk, root) or tree.text(root / "sys/block" / disk / "loop/backing_file")


def _family(name: str, root: Path) -> dict[str, str]:
    """Return 'major:minor' of the disk and all its partitions, by name."""
    disk = root / "sys/block" / whole_disk(name, root)
    folders = [disk, *(p.parent for p in sorted(disk.glob("*/partition")))]
    return {f.name: number for f in folders if (number := tree.text(f / "dev"))}


def users(name: str, root: Path = Path("/")) -> list[str]:
    """Return who uses the disk or a partition of it: mount points, swap, and devices built on it."""
    family = _family(name, root)
    found = [f"mounted on {m.point}" for m in mounts.read_mounts(root)
             if m.number in family.values() or Path(m.source).name in family]  # fmt: skip
    swaps = (tree.text(root / "proc/swaps") or "").splitlines()[1:]
    found += [f"swap on {line.split()[0]}" for line in swaps if line.split() and Path(line.split()[0]).name in family]
    for member in family:
        holders = root / "sys/class/block" / member / "holders"
        found += [f"part of {h.name}" for h in sorted(holders.glob("*"))]
    if whole_disk(name, root) == system_disk(root):
        found.append("the system disk")
    return found


def system_disk(root: Path = Path("/")) -> str | None:
    """Return the disk of the running system, or None."""
    mount = mounts.mount_of(Path("/"), root)
    return mounts.disk_of(mount, root) if mount else None


def partitions(name: str, root: Path = Path("/")) -> list[str]:
    """Return the names of the partitions of a disk."""
    return [p.parent.name for p in sorted((root / "sys/block" / whole_disk(name, root)).glob("*/partition"))]


def has_contents(device: Path, size: int) -> bool:
    """Return whether anything but zeros lies in the first or last MiB of a device of `size` bytes."""
    with device.open("rb", buffering=0) as source:
        for start in (0, max(0, size - EDGE)):
            source.seek(start)
            if any(source.read(EDGE)):
                return True
    return False
