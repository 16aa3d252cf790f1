"""What a block device rests on, down to whole disks, and which disks hold the running system.

The kernel builds devices on others: partitions, RAID, encryption, logical volumes, loop devices; a file system may lie on several, or be laid over
others.  `slaves` and `holders` lead down and up (Documentation/ABI/stable/sysfs-block, admin-guide/md), btrfs lists its devices itself.
"""

from __future__ import annotations

from pathlib import Path

from ulterion.host import loops, mounts, tree

LIVE = Path("/")
SYSTEM = ("/", "/usr", "/boot", "/boot/efi", "/efi")  # where the running system lives


def name_of(number: str, root: Path = LIVE) -> str | None:
    """Return the kernel's name of the block device 'major:minor', or None when the kernel knows none."""
    entry = root / "sys/dev/block" / number
    return entry.resolve().name if entry.exists() else None


def whole_disk(name: str, root: Path = LIVE) -> str:
    """Return the disk that a partition belongs to, or the name itself."""
    if (root / "sys/block" / name).exists():
        return name
    partition = next(iter((root / "sys/block").glob(f"*/{name}/partition")), None)
    return partition.parents[1].name if partition is not None else name


def disks_under(name: str, root: Path = LIVE, *, through_files: bool = False) -> set[str]:
    """Return the whole disks that a block device rests on in the end, itself where it rests on none.

    With `through_files`, a loop device on a file rests on the disk that holds the file: so a live system finds its stick.
    """
    disk = whole_disk(name, root)
    slaves = [s.name for s in (root / "sys/block" / disk / "slaves").glob("*")]
    if disk.startswith("loop"):
        path = tree.text(root / "sys/block" / disk / "loop/backing_file")
        below = loops.backing_of(disk, path, root).device if path else None
        slaves += [n] if below and (n := name_of(below, root)) else []
        slaves += _holding(path, root) if path and through_files and not slaves else []
    disks = set().union(*(disks_under(s, root, through_files=through_files) for s in slaves if s != disk))
    return disks or {disk}


def _holding(path: str, root: Path) -> list[str]:
    """Return the block device of the file system that holds a file, by the mount that its path lies in."""
    mount = mounts.mount_of(Path(path), root)
    device = mounts.device_of(mount, root) if mount is not None else None
    return [device] if device is not None else []


def system_disks(root: Path = LIVE) -> set[str]:
    """Return the disks of the running system: what its own file systems rest on in the end, several where they are spread."""
    every = mounts.read_mounts(root)
    own = [m for m in every if m.point in SYSTEM]
    return set().union(*(_rests_on(m, root) for m in [*own, *_layers(own, every)]))


def _layers(own: list[mounts.Mount], every: list[mounts.Mount]) -> list[mounts.Mount]:
    """Return the mounts that hold the layers of an overlay (kernel documentation, overlayfs: lowerdir, upperdir)."""
    options = [o.partition("=") for m in own if m.filesystem == "overlay" for o in m.options]
    folders = [
        Path(f)
        for key, _, value in options
        if key.rstrip("+") in ("lowerdir", "upperdir")
        for f in value.split(":")
        if f
    ]
    below = [m for m in every if m.filesystem != "overlay"]
    holding = ([m for m in below if Path(m.point) in (f, *f.parents)] for f in folders)
    return [max(found, key=lambda m: len(m.point)) for found in holding if found]


def _rests_on(mount: mounts.Mount, root: Path) -> set[str]:
    """Return the whole disks under a mount, all members of a file system over several."""
    first = mounts.device_of(mount, root)
    if first is None:
        return set()
    names = {first}
    for entry in (root / "sys/fs/btrfs").glob(f"*/devices/{first}"):
        names |= {p.name for p in entry.parent.iterdir()}
    return set().union(*(disks_under(n, root, through_files=True) for n in names))
