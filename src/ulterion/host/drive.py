"""One walk through what the kernel shows of a drive; a survey and a run take its facts from here alike."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Collection
from pathlib import Path

from ulterion.core.chain import ceilings, faults
from ulterion.core.surveyed import Drive, Volume
from ulterion.host import chains, drives, inuse, mounts, safety, sensors, stacks, tree

LIVE = Path("/")


def drive_of(name: str, root: Path = LIVE, *, ask_usb: bool = False, system: Collection[str] | None = None) -> Drive:
    """Return what is known of one disk, by its kernel name.

    `ask_usb` as for `survey`; `system` are the disks of the running system, where they are known already.
    """
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
        link=connection.link or (card.name if card else None),
        driver=connection.driver,
        steps=steps,
        faults=tuple(faults(steps)),
        ceilings=tuple(ceilings(steps)),
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
        system=name in (stacks.system_disks(root) if system is None else system),
    )


def _temperature(name: str, root: Path, ask: bool) -> tuple[float | None, str]:
    if not ask:  # what the kernel shows by itself disturbs nobody
        return drives.temperature(name, root), ""
    readers, why = sensors.of_disk(name, root)
    for sensor in readers[:1]:
        with contextlib.suppress(sensors.SensorError):
            return sensor.read(), ""
    return None, why


def _volumes(name: str, root: Path) -> list[Volume]:
    """Return the partitions of a disk, or the disk itself where it is mounted whole."""
    # a bind mount or subvolume shows a part of a file system: the whole counts where it is mounted too, else the first of them
    every = sorted(mounts.read_mounts(root), key=lambda m: m.top != "/")[::-1]
    by_number = {m.number: m for m in every}
    by_source = {Path(m.source).name: m for m in every if m.source.startswith("/dev/")}
    volumes = []
    for part in [*safety.partitions(name, root), name]:
        folder = root / "sys/class/block" / part
        mount = by_number.get(tree.text(folder / "dev") or "") or by_source.get(part)
        part_of = tuple(inuse.part_of(part, root))
        if part == name and mount is None and not part_of:
            continue
        sectors = tree.number(folder / "size")
        volumes.append(
            Volume(
                part,
                sectors * drives.SECTOR if sectors else None,
                mount.filesystem if mount else None,
                mount.point if mount else None,
                mount.telling_options if mount else None,
                _free(mount.point, root) if mount else None,
                part_of,
            )
        )
    return volumes


def _free(point: str, root: Path) -> int | None:
    if root != LIVE:
        return None
    with contextlib.suppress(OSError):
        room = os.statvfs(point)
        return room.f_bavail * room.f_frsize
    return None
