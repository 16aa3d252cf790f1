"""The facts of a target and of this machine, whichever system it runs."""

from __future__ import annotations

from pathlib import Path

from ulterion.core.facts.target import BenchFacts, TargetFacts
from ulterion.core.records import dataclass
from ulterion.host import facts, mounts, stacks
from ulterion.host.other_systems import asking
from ulterion.model.systems import system


@dataclass(frozen=True)
class StorageUnderPath:
    """What a folder lies on: the whole disk, what it is called there, its file system, and whether the system lives on that disk."""

    disk: str | None = None
    name: str | None = None
    filesystem: str | None = None
    system: bool = False


def storage_under(path: Path) -> StorageUnderPath:
    """Return what a folder lies on; what is unknown is None."""
    path = path.resolve()
    if system() != "linux":
        from ulterion.host.other_systems import asking

        drive, volume = asking.under(asking.survey().drives, str(path))
        name = drive.name if drive else None
        return StorageUnderPath(name, name, volume.filesystem if volume else None, bool(drive and drive.system))
    mount = mounts.mount_of(path)
    name = mounts.disk_of(mount) if mount else None
    disk = stacks.whole_disk(name) if name else None
    return StorageUnderPath(
        disk, name, mount.filesystem if mount else None, disk is not None and disk in stacks.system_disks()
    )


def facts_of(path: Path) -> TargetFacts:
    """Return what lies under a folder or a file; what cannot be read stays None."""
    if system() == "linux":
        return facts.target_facts(path)

    return asking.target_facts(path)


def facts_of_device(path: Path, name: str) -> TargetFacts:
    """Return what a raw device is; what cannot be read stays None."""
    if system() == "linux":
        return facts.device_facts(path, name)

    return asking.device_facts(path, name)


def facts_of_machine(versions: dict[str, str], room_temperature: float | None) -> BenchFacts:
    """Return the facts of this machine."""
    if system() == "linux":
        return facts.bench_facts(versions, room_temperature)

    return asking.bench_facts(versions, room_temperature)
