"""The facts of a target folder or file, and of the bench, read from the running system."""

from __future__ import annotations

import os
import platform
from pathlib import Path

from ulterion.core.facts.devices import as_target
from ulterion.core.facts.target import NETWORK_FILESYSTEMS, BenchFacts, TargetFacts
from ulterion.host import drives, mounts, safety, stacks, tree
from ulterion.host.drive import drive_of

STORAGE_DRIVERS = ("nvme", "uas", "usb_storage", "ahci", "libata", "sd_mod", "mmc_block", "virtio_blk", "xhci_hcd")
MEMORY_FILESYSTEMS = ("tmpfs", "ramfs")
THINNING_FILESYSTEMS = ("btrfs", "zfs", "bcachefs", "f2fs", "squashfs")


def target_facts(path: Path, root: Path = Path("/")) -> TargetFacts:
    """Return what lies under a folder or file; what cannot be read stays None."""
    path = path.resolve()
    mount = mounts.mount_of(path, root)
    disk = mounts.disk_of(mount, root) if mount else None
    room = os.statvfs(path)
    return as_target(
        drive_of(disk, root) if disk else None,
        str(path),
        "folder" if path.is_dir() else "file",
        disk,
        filesystem=mount.filesystem if mount else None,
        mount_options=mount.telling_options if mount else None,
        filesystem_bytes=room.f_blocks * room.f_frsize,
        free_bytes=room.f_bavail * room.f_frsize,
        attachment=drives.attachment(disk, root) if disk else None,
    )


def key_of(path: Path) -> tuple[int, int] | None:
    """Return the device and inode of what a path leads to now, None when it leads nowhere."""
    try:
        facts = path.stat()
    except OSError:
        return None
    return facts.st_dev, facts.st_ino


def device_facts(path: Path, name: str, root: Path = Path("/")) -> TargetFacts:
    """Return what a raw block device is, by the kernel's name of it; what cannot be read stays None."""
    disk = stacks.whole_disk(name, root)
    known = safety.identity(name, root)
    attachment = drives.attachment(disk, root)
    return as_target(drive_of(disk, root), str(path.resolve()), "device", name, serial=known, attachment=attachment)


def bench_facts(versions: dict[str, str], room_temperature: float | None, root: Path = Path("/")) -> BenchFacts:
    """Return the facts of this machine."""
    live = root == Path("/")
    cpuinfo = tree.text(root / "proc/cpuinfo", tree.SMALL * 64) or ""
    cpu = (tree.text(root / "proc/cpuinfo") or "").partition("model name")[2].partition("\n")[0].strip("\t :")
    memory = (tree.text(root / "proc/meminfo") or "").partition("MemTotal:")[2].split()
    return BenchFacts(
        host=platform.node() or "unknown",
        system=f"{platform.system()} {platform.release()}" if live else _recorded_system(root),
        cpu=cpu or (platform.processor() if live else None) or None,
        cores=os.cpu_count() if live else cpuinfo.count("\nprocessor") + cpuinfo.startswith("processor") or None,
        memory_bytes=int(memory[0]) * 1024 if memory and memory[0].isdigit() else None,
        versions=versions,
        room_temperature=room_temperature,
        model=_host_model(root),
        governor=tree.text(root / "sys/devices/system/cpu/cpu0/cpufreq/scaling_governor"),
        power=_power(root),
        drivers=_driver_versions(root),
    )


def _recorded_system(root: Path) -> str | None:
    release = tree.text(root / "proc/sys/kernel/osrelease")
    return f"Linux {release}" if release else None


def _host_model(root: Path) -> str | None:
    names = [tree.text(root / "sys/class/dmi/id" / n) for n in ("sys_vendor", "product_name")]
    return " ".join(n for n in names if n) or None


def _power(root: Path) -> str | None:
    """Return 'mains' or 'battery', None where the machine shows no supply."""
    supplies = [(tree.text(p / "type"), tree.number(p / "online")) for p in (root / "sys/class/power_supply").glob("*")]
    if any(kind in ("Mains", "USB") and online for kind, online in supplies):
        return "mains"
    return "battery" if any(kind == "Battery" for kind, _ in supplies) else None


def _driver_versions(root: Path) -> dict[str, str]:
    versions = {n: tree.text(root / "sys/module" / n / "version") for n in STORAGE_DRIVERS}
    return {n: v for n, v in versions.items() if v}


def cautions(facts: TargetFacts) -> list[str]:
    """Return what a reviewer should know of this target before believing a figure, one sentence each."""
    sentences = []
    if facts.system_disk:
        sentences.append(
            f"this drive is the system disk ({facts.device}), so the figures include whatever else the system does"
        )
    if facts.filesystem in MEMORY_FILESYSTEMS:
        sentences.append(f"{facts.filesystem} lives in memory: no drive is measured here")
    if facts.filesystem in NETWORK_FILESYSTEMS:
        sentences.append(
            f"{facts.filesystem} keeps its files elsewhere: the way to them is measured along with the drive"
        )
    if facts.filesystem in THINNING_FILESYSTEMS:
        sentences.append(
            f"{facts.filesystem} may compress, move or share data: figures can differ from the drive's own"
        )
    sentences += [*facts.faults, *facts.ceilings]
    return sentences
