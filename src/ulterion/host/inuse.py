"""Who uses a disk: every way in which something can be lost or disturbed by writing to it.

The kernel refuses an exclusive opening while a file system, swap, or a device of its device mapper holds a disk or one of its
partitions.  Some users hold nothing: loop devices, virtual machines and other programs, exports to other machines.  They are
looked for here, each in a function of its own; docs/explanation/safety.md lists them with their tests.
"""

from __future__ import annotations

import contextlib
import os
import stat
from collections.abc import Iterator
from pathlib import Path

from ulterion.host import drives, loops, mounts, stacks, tree

LIVE = Path("/")
EXPORTS = (  # files that name what is handed on to other machines (kernel documentation: target, nvmet, usb gadget configfs)
    "sys/kernel/config/target/core/*/*/udev_path",
    "sys/kernel/config/nvmet/subsystems/*/namespaces/*/device_path",
    "sys/kernel/config/usb_gadget/*/functions/mass_storage.*/lun.*/file",
)
MADE_BY = {"CRYPT": "encrypted", "LVM": "logical volume", "mpath": "multipath"}  # by the beginning of dm/uuid
COUNTED_WRITERS = 3  # programs named in one sentence


def family(name: str, root: Path = LIVE) -> dict[str, str]:
    """Return 'major:minor' of the disk and all its partitions, by name."""
    disk = root / "sys/block" / stacks.whole_disk(name, root)
    folders = [disk, *(p.parent for p in sorted(disk.glob("*/partition")))]
    return {f.name: number for f in folders if (number := tree.text(f / "dev"))}


def users(name: str, root: Path = LIVE) -> list[str]:
    """Return in words who uses a disk or a partition of it; empty when nobody does.

    This process may have it open itself.
    """
    disk = stacks.whole_disk(name, root)
    kin = family(name, root)
    sentences = [
        *_mounted(kin, root),
        *_swapped(kin, root),
        *_held(kin, root),
        *_members(kin, root),
        *_loops_on(kin, root),
        *_exported(kin, root),
        *_opened(disk, kin, root),
        *_resumed(kin, root),
        *_twins(disk, root),
    ]
    if disk in stacks.system_disks(root):
        sentences.append("the system disk")
    if disk.startswith("loop"):
        sentences += _under_loop(disk, root)
    return list(dict.fromkeys(sentences))


def _mounted(kin: dict[str, str], root: Path) -> list[str]:
    """File systems, of every program's view of the mounts that may be looked into."""
    seen = [*mounts.read_mounts(root), *_mounts_elsewhere(root)]
    return [
        f"mounted on {m.point}"
        for m in seen
        if m.number in kin.values()
        or mounts.number_of_source(m.source, root) in kin.values()
        or (m.source.startswith("/dev/") and Path(m.source).name in kin)
    ]


def _mounts_elsewhere(root: Path) -> Iterator[mounts.Mount]:
    """Yield the mounts of other namespaces (containers), each namespace once."""
    seen = {_link(root / "proc/self/ns/mnt")}
    for process in _processes(root):
        space = _link(process / "ns/mnt")
        if space is not None and space not in seen:
            seen.add(space)
            yield from mounts.parse_mounts(tree.text(process / "mountinfo", mounts.MAX_BYTES) or "")


def _processes(root: Path) -> Iterator[Path]:
    with contextlib.suppress(OSError):
        for entry in (root / "proc").iterdir():
            if entry.name.isdigit():
                yield entry


def _link(path: Path) -> str | None:
    try:
        return os.readlink(path)  # noqa: PTH115 - what it says is no path
    except OSError:
        return None


def _swaps(root: Path) -> list[str]:
    lines = (tree.text(root / "proc/swaps") or "").splitlines()[1:]
    return [mounts.unescape(line.split()[0]) for line in lines if line.split()]


def _swapped(kin: dict[str, str], root: Path) -> list[str]:
    return [
        f"swap on {s}" for s in _swaps(root) if Path(s).name in kin or mounts.number_of_source(s, root) in kin.values()
    ]


def _held(kin: dict[str, str], root: Path) -> list[str]:
    """Devices that the kernel has built on it: RAID, encryption, logical volumes, caches."""
    return [
        f"part of {h.name}{_built_as(h.name, root)}"
        for member in kin
        for h in sorted((root / "sys/class/block" / member / "holders").glob("*"))
    ]


def _built_as(name: str, root: Path) -> str:
    """Return what a device of the kernel's own is called, in brackets (Documentation/ABI: sysfs-block-dm; admin-guide/md)."""
    block = root / "sys/block" / name
    made = (tree.text(block / "dm/uuid") or "").partition("-")[0]
    words = [tree.text(block / "dm/name"), MADE_BY.get(made), tree.text(block / "md/level")]
    told = ", ".join(w for w in words if w)
    return f" ({told})" if told else ""


def part_of(name: str, root: Path = LIVE) -> list[str]:
    """Return in words what a partition, or a disk without any, is a part of: swap, RAID, encryption, a file system over several."""
    number = tree.text(root / "sys/class/block" / name / "dev")
    kin = {name: number} if number else {}
    return [*_swapped(kin, root), *_held(kin, root), *_members(kin, root)]


def _members(kin: dict[str, str], root: Path) -> list[str]:
    """File systems over several devices, of which only one stands in the list of mounts."""
    return [
        f"part of the mounted btrfs {entry.parent.parent.name[:8]}"
        for entry in sorted((root / "sys/fs/btrfs").glob("*/devices/*"))
        if entry.name in kin
    ]


def _loops_on(kin: dict[str, str], root: Path) -> list[str]:
    return [
        f"under {b.name}"
        for b in loops.backings(root)
        if b.device in kin.values() or (not b.known and Path(b.path).name in kin)
    ]


def _under_loop(disk: str, root: Path) -> list[str]:
    """What uses that on which a loop device lies: another loop device, swap, or whatever uses a disk below."""
    every = loops.backings(root)
    mine = next((b for b in every if b.name == disk), None)
    if mine is None:
        return []
    if not mine.known:
        return [f"on something unknown ({mine.path})"]
    sentences = [
        f"on the same file or disk as {b.name}"
        for b in every
        if b.name != disk and (b.device, b.file) == (mine.device, mine.file)
    ]
    if mine.file is not None:
        sentences += [f"on the swap file {s}" for s in _swaps(root) if _file_of(root / s.lstrip("/")) == mine.file]
        sentences += [f"on a file that {w} has open for writing" for w in _writers(root, files={mine.file})]
        return sentences
    below = stacks.name_of(mine.device or "", root)
    if below is None:
        return [*sentences, f"on a device that the kernel does not show ({mine.path})"]
    # the loop device itself stands on it, which is no reason
    return sentences + [f"on {below}, which is {u}" for u in users(below, root) if u != f"under {disk}"]


def _file_of(path: Path) -> tuple[int, int] | None:
    try:
        facts = path.stat()
    except OSError:
        return None
    return facts.st_dev, facts.st_ino


def _exported(kin: dict[str, str], root: Path) -> list[str]:
    sentences = []
    for pattern in EXPORTS:
        for entry in sorted(root.glob(pattern)):
            path = tree.text(entry)
            if path and (mounts.number_of_source(path, root) in kin.values() or Path(path).name in kin):
                sentences.append(f"handed on to another machine ({'/'.join(entry.relative_to(root).parts[3:-1])})")
    return sentences


def _opened(disk: str, kin: dict[str, str], root: Path) -> list[str]:
    """Programs that have it open for writing, by its own node or the one for raw commands."""
    numbers = {("b", n) for n in kin.values()}
    block = root / "sys/block" / disk
    for pattern in ("device/scsi_generic/sg*/dev", "device/ng*/dev", "device/nvme-generic/ng*/dev"):
        numbers |= {("c", number) for p in block.glob(pattern) if (number := tree.text(p))}
    return [f"open for writing in {w}" for w in _writers(root, numbers=numbers)]


def _writers(
    root: Path, numbers: set[tuple[str, str]] | None = None, files: set[tuple[int, int]] | None = None
) -> list[str]:
    """Return the programs, this one left out, that have one of these devices or files open for writing."""
    sentences = []
    for process in _processes(root):
        if process.name != str(os.getpid()) and any(
            _is_wanted(one, numbers or set(), files or set()) and _writes(process, one.name)
            for one in _descriptors(process)
        ):
            sentences.append(f"{tree.text(process / 'comm') or 'a program'} ({process.name})")
    if len(sentences) > COUNTED_WRITERS:
        return [*sentences[:COUNTED_WRITERS], f"{len(sentences) - COUNTED_WRITERS} more"]
    return sentences


def _descriptors(process: Path) -> list[Path]:
    try:
        return list((process / "fd").iterdir())
    except OSError:
        return []  # another user's, or it has ended


def _is_wanted(descriptor: Path, numbers: set[tuple[str, str]], files: set[tuple[int, int]]) -> bool:
    try:
        facts = descriptor.stat()
    except OSError:
        return False
    if stat.S_ISBLK(facts.st_mode):
        return ("b", loops.number_text(facts.st_rdev)) in numbers
    if stat.S_ISCHR(facts.st_mode):
        return ("c", loops.number_text(facts.st_rdev)) in numbers
    return (facts.st_dev, facts.st_ino) in files


def _writes(process: Path, descriptor: str) -> bool:
    """Return whether a descriptor was opened for writing (proc(5): fdinfo, flags in octal)."""
    told = tree.text(process / "fdinfo" / descriptor) or ""
    flags = next((line.split()[1] for line in told.splitlines() if line.startswith("flags:")), "1")
    return bool(int(flags, 8) & os.O_ACCMODE)


def _resumed(kin: dict[str, str], root: Path) -> list[str]:
    number = tree.text(root / "sys/power/resume")
    return ["where the system keeps its hibernation image"] if number in kin.values() else []


def _twins(disk: str, root: Path) -> list[str]:
    """The same drive by another path: one with its serial number that the kernel, or a file system, holds."""
    serial = drives.serial(disk, root)
    if serial is None:
        return []
    twins = []
    for entry in sorted((root / "sys/block").glob("*")):
        if entry.name == disk or drives.serial(entry.name, root) != serial:
            continue
        kin = family(entry.name, root)
        used = [*_mounted(kin, root), *_swapped(kin, root), *_held(kin, root), *_members(kin, root)]
        twins += [f"the same drive as {entry.name} by its serial number, which is {u}" for u in used[:1]]
    return twins
