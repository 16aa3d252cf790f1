"""A survey of the machine: every drive with its whole chain, network adapters, tunnels, and what root would add."""

from __future__ import annotations

import contextlib
import os
import re
from pathlib import Path

from ulterion.core.chain import Step, faults
from ulterion.core.links import find_link
from ulterion.core.surveyed import Adapter, Drive, Survey, Tunnel, Volume
from ulterion.host import chains, drives, inuse, mounts, safety, sensors, tree
from ulterion.host.facts import bench_facts

NOT_DRIVES = ("loop", "ram", "zram", "dm-", "md", "nbd", "sr", "fd")
ETHERNET = {100: "Ethernet 100 Mb/s", 1000: "Ethernet 1 Gb/s", 2500: "Ethernet 2.5 Gb/s", 5000: "Ethernet 5 Gb/s",
            10000: "Ethernet 10 Gb/s", 25000: "Ethernet 25 Gb/s"}  # fmt: skip
LIVE = Path("/")


def survey(root: Path = LIVE, *, ask_usb: bool = False) -> Survey:
    """Return what the machine under `root` shows; anything that cannot be read is left out.

    Drives behind USB bridges are asked for temperature and health only with `ask_usb`: a bridge that does not know such
    commands may reset itself, and looking around must disturb nothing.
    """
    found = tuple(drive_of(p.name, root, ask_usb=ask_usb) for p in _disks(root))
    would = []
    if not _is_root():
        without = [d.name for d in found if d.temperature is None and d.transport in ("NVMe", "SATA", "USB")]
        if without:
            would.append(f"temperature and health of {', '.join(without)}, from their own logs")
        if any(s.role == "slot" and s.link is None for d in found for s in d.steps):
            would.append("the bus mode of card slots")
    return Survey(bench_facts({}, None, root), found, tuple(_adapters(root)), tuple(_tunnels(root)), tuple(would))


def _is_root() -> bool:
    return hasattr(os, "geteuid") and os.geteuid() == 0


def _disks(root: Path) -> list[Path]:
    """Return the folders of whole disks; multipath ghosts and made-up devices are left out."""
    folders = sorted((root / "sys/block").glob("*"), key=lambda p: (len(p.name), p.name))
    return [
        p for p in folders if not p.name.startswith(NOT_DRIVES) and not re.search(r"c\d+n\d+$|boot\d$|rpmb$", p.name)
    ]


def drive_of(name: str, root: Path = LIVE, *, ask_usb: bool = False) -> Drive:
    """Return what is known of one disk, by its kernel name; `ask_usb` as for `survey`."""
    block = root / "sys/block" / name
    connection = drives.connection(name, root)
    ask = root == LIVE and (ask_usb or connection.transport != "USB")
    steps = chains.steps_of(block, root)
    rotational, ro, removable = (tree.number(block / n) for n in ("queue/rotational", "ro", "removable"))
    depth = tree.number(block / "device/queue_depth") or tree.number(block / "queue/nr_requests")
    temperature, why = _temperature(name, root, ask)
    card = next((s.link for s in steps if s.role == "slot"), None)
    return Drive(
        name=name,
        transport=connection.transport,
        model=drives.model(name, root),
        serial=drives.serial(name, root),
        firmware=tree.text(block / "device/firmware_rev") or tree.text(block / "device/rev"),
        port=chains.port_of(block, root),
        link=connection.link or card,
        driver=connection.driver,
        steps=steps,
        faults=tuple(faults(steps)),
        size=drives.capacity(name, root),
        logical_block=tree.number(block / "queue/logical_block_size"),
        physical_block=tree.number(block / "queue/physical_block_size"),
        rotational=None if rotational is None else bool(rotational),
        removable=None if removable is None else bool(removable),
        read_only=None if ro is None else bool(ro),
        queue_depth=depth,
        write_cache=tree.text(block / "queue/write_cache"),
        volumes=tuple(_volumes(name, root)),
        temperature=temperature,
        no_temperature=why,
        health=sensors.counters_of(name, root) if ask else {},
        system=name in inuse.system_disks(root),
    )


def _temperature(name: str, root: Path, ask: bool) -> tuple[float | None, str]:
    if not ask:  # what the kernel shows by itself disturbs nobody
        return drives.temperature(name, root), ""
    found, why = sensors.of_disk(name, root)
    for sensor in found[:1]:
        with contextlib.suppress(sensors.SensorError):
            return sensor.read(), ""
    return None, why


def _volumes(name: str, root: Path) -> list[Volume]:
    """Return the partitions of a disk, or the disk itself where it is mounted whole."""
    by_number = {m.number: m for m in mounts.read_mounts(root)}
    by_source = {Path(m.source).name: m for m in mounts.read_mounts(root)}
    found = []
    for part in [*safety.partitions(name, root), name]:
        folder = root / "sys/class/block" / part
        mount = by_number.get(tree.text(folder / "dev") or "") or by_source.get(part)
        if part == name and mount is None:
            continue
        sectors = tree.number(folder / "size")
        found.append(Volume(part, sectors * drives.SECTOR if sectors else None, mount.filesystem if mount else None,
                            mount.point if mount else None, mount.telling_options if mount else None,
                            _free(mount.point, root) if mount else None))  # fmt: skip
    return found


def _free(point: str, root: Path) -> int | None:
    if root != LIVE:
        return None
    with contextlib.suppress(OSError):
        room = os.statvfs(point)
        return room.f_bavail * room.f_frsize
    return None


def _adapters(root: Path) -> list[Adapter]:
    """Return the network adapters that are hardware."""
    found = []
    for folder in sorted((root / "sys/class/net").glob("*")):
        device = folder / "device"
        if not device.exists():
            continue
        speed = tree.number(folder / "speed")
        name = ETHERNET.get(speed or 0)
        state = tree.text(folder / "operstate")
        steps: tuple[Step, ...] = chains.steps_of(device, root)
        found.append(Adapter(folder.name, find_link(name).name if name else None, tree.name_of_link(device / "driver"),
                             None if state is None else state == "up", steps))  # fmt: skip
    return found


def _tunnels(root: Path) -> list[Tunnel]:
    found = []
    for folder in sorted((root / "sys/bus/thunderbolt/devices").glob("[0-9]*-[0-9]*")):
        speed = tree.text(folder / "rx_speed")
        if speed is None:
            continue
        title = " ".join(t for t in (tree.text(folder / "vendor_name"), tree.text(folder / "device_name")) if t)
        found.append(Tunnel(folder.name, title or None, speed, tree.number(folder / "rx_lanes")))
    return found
