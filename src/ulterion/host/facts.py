"""The facts of a target folder or file, and of the bench, read from the running system."""

from __future__ import annotations

import os
import platform
from pathlib import Path

from ulterion.core.facts import BenchFacts, TargetFacts
from ulterion.host import drives, mounts, safety, tree

MEMORY_FILESYSTEMS = ("tmpfs", "ramfs")
NETWORK_FILESYSTEMS = ("nfs", "nfs4", "cifs", "smb3", "9p", "fuse.sshfs", "afs", "ceph", "virtiofs")
THINNING_FILESYSTEMS = ("btrfs", "zfs", "bcachefs", "f2fs", "squashfs")


def target_facts(path: Path, root: Path = Path("/")) -> TargetFacts:
    """Return what lies under a folder or file; what cannot be read stays None."""
    path = path.resolve()
    kind = "folder" if path.is_dir() else "file"
    mount = mounts.mount_of(path, root)
    disk = mounts.disk_of(mount, root) if mount else None
    room = os.statvfs(path)
    link = drives.connection(disk, root) if disk else drives.Connection()
    queue = root / "sys/block" / disk / "queue" if disk else None
    rotational = tree.number(queue / "rotational") if queue else None
    return TargetFacts(
        path=str(path),
        kind=kind,
        device=disk,
        model=drives.model(disk, root) if disk else None,
        serial=drives.serial(disk, root) if disk else None,
        firmware=tree.text(root / "sys/block" / disk / "device/firmware_rev") if disk else None,
        transport=link.transport,
        link=link.link,
        driver=link.driver,
        capacity_bytes=drives.capacity(disk, root) if disk else None,
        filesystem=mount.filesystem if mount else None,
        mount_options=mount.telling_options if mount else None,
        filesystem_bytes=room.f_blocks * room.f_frsize,
        free_bytes=room.f_bavail * room.f_frsize,
        logical_block=tree.number(queue / "logical_block_size") if queue else None,
        physical_block=tree.number(queue / "physical_block_size") if queue else None,
        rotational=None if rotational is None else bool(rotational),
        system_disk=None if disk is None else disk == safety.system_disk(root),
        temperature=drives.temperature(disk, root) if disk else None,
    )


def device_facts(path: Path, root: Path = Path("/")) -> TargetFacts:
    """Return what a raw block device is; what cannot be read stays None."""
    name = path.resolve().name
    disk = safety.whole_disk(name, root)
    link = drives.connection(disk, root)
    queue = root / "sys/block" / disk / "queue"
    rotational = tree.number(queue / "rotational")
    return TargetFacts(
        path=str(path.resolve()),
        kind="device",
        device=name,
        model=drives.model(disk, root),
        serial=safety.identity(name, root),
        firmware=tree.text(root / "sys/block" / disk / "device/firmware_rev"),
        transport=link.transport,
        link=link.link,
        driver=link.driver,
        capacity_bytes=drives.capacity(disk, root),
        logical_block=tree.number(queue / "logical_block_size"),
        physical_block=tree.number(queue / "physical_block_size"),
        rotational=None if rotational is None else bool(rotational),
        system_disk=disk == safety.system_disk(root),
        temperature=drives.temperature(disk, root),
    )


def bench_facts(versions: dict[str, str], room_temperature: float | None, root: Path = Path("/")) -> BenchFacts:
    """Return the facts of this machine."""
    cpu = (tree.text(root / "proc/cpuinfo") or "").partition("model name")[2].partition("\n")[0].strip("\t :")
    memory = (tree.text(root / "proc/meminfo") or "").partition("MemTotal:")[2].split()
    return BenchFacts(
        host=platform.node() or "unknown",
        system=f"{platform.system()} {platform.release()}",
        cpu=cpu or platform.processor() or None,
        cores=os.cpu_count(),
        memory_bytes=int(memory[0]) * 1024 if memory and memory[0].isdigit() else None,
        versions=versions,
        room_temperature=room_temperature,
    )


def cautions(facts: TargetFacts) -> list[str]:
    """Return what a reviewer should know of this target before believing a figure, one sentence each."""
    found = []
    if facts.system_disk:
        found.append(f"{facts.device} is the system disk: whatever else the system does will be in the figures")
    if facts.filesystem in MEMORY_FILESYSTEMS:
        found.append(f"{facts.filesystem} lives in memory: no drive is measured here")
    if facts.filesystem in NETWORK_FILESYSTEMS:
        found.append(f"{facts.filesystem} reaches its files elsewhere: the way there is measured with the drive")
    if facts.filesystem in THINNING_FILESYSTEMS:
        found.append(f"{facts.filesystem} may compress, move or share data: figures can differ from the drive's own")
    return found
