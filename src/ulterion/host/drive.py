"""One walk through what the kernel shows of a drive; a survey and a run take its facts from here alike."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Collection, Sequence
from pathlib import Path

from ulterion.core.facts.devices import Drive, Volume
from ulterion.core.links.chain import Step, ceilings, faults
from ulterion.host import (
    chains,
    drives,
    gaveup,
    inuse,
    linkwatch,
    mounts,
    nvmepaths,
    ports,
    safety,
    sensors,
    stacks,
    tree,
)

LIVE = Path("/")


def drive_of(
    name: str, root: Path = LIVE, *, ask_usb: bool = False, system: Collection[str] | None = None, wake: bool = False
) -> Drive:
    """Return what is known of one disk, by its kernel name.

    `ask_usb` as for `survey`; `system` are the disks of the running system, where they are known already; `wake` reads a little of a
    drive whose link may be at rest.
    """
    block = root / "sys/block" / name
    connection = drives.connection(name, root)
    ask = root == LIVE and (ask_usb or connection.transport != "USB")
    steps = _steps(name, root, wake=wake)
    paths = nvmepaths.controllers(block.resolve())
    ways = [steps, *(chains.steps_of(c, root) for c in paths[1:])]
    rotational, ro, removable = (tree.number(block / n) for n in ("queue/rotational", "ro", "removable"))
    depth = tree.number(block / "device/queue_depth") or tree.number(block / "queue/nr_requests")
    temperature, why = _temperature(name, root, ask)
    empty = removable != 0 and tree.number(block / "size") in (0, None)  # a reader without a card is no fault
    found = () if empty else _faults(name, ways, root)
    held = () if empty else tuple(dict.fromkeys(c for way in ways for c in ceilings(way)))
    return Drive(
        name=name,
        transport=connection.transport,
        model=drives.model(name, root),
        serial=drives.serial(name, root, connection),
        firmware=tree.text(block / "device/firmware_rev") or tree.text(block / "device/rev"),
        port=ports.port_of(name, root),
        link=_link(connection.link, ways),
        driver=connection.driver,
        steps=steps,
        faults=found,
        ceilings=held,
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
        paths=tuple(nvmepaths.told(p) for p in paths) if len(paths) > 1 else (),
        empty=empty,
    )


def _steps(name: str, root: Path, *, wake: bool) -> tuple[Step, ...]:
    steps = chains.steps_of(nvmepaths.place_of(name, root), root)
    return linkwatch.steps_under_load(name, steps, root) if wake else steps


def _faults(name: str, ways: Sequence[Sequence[Step]], root: Path) -> tuple[str, ...]:
    """Return what is wrong with a drive and its ways."""
    return tuple(dict.fromkeys([*gaveup.state_words(name, root), *(f for way in ways for f in faults(way))]))


def _link(shown: str | None, ways: Sequence[Sequence[Step]]) -> str | None:
    """Return a drive's link: what the nearest bus shows, or its slot; None where several ways to it differ.

    A link that was looked at under load counts as it was then.
    """
    own = [
        next((s for s in reversed(way) if s.role in ("controller", "slot") and s.link is not None), None)
        for way in ways
    ]
    if len(ways) > 1:
        return shown if len({s.link if s else None for s in own}) == 1 else None
    if own[0] is not None and own[0].link is not None and (own[0].role == "slot" or own[0].loaded):
        return shown if shown and own[0].role == "slot" else own[0].link.name
    return shown


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
                name=part,
                size=sectors * drives.SECTOR if sectors else None,
                filesystem=mount.filesystem if mount else None,
                mounted=mount.point if mount else None,
                options=mount.telling_options if mount else None,
                free=_free(mount.point, root) if mount else None,
                part_of=part_of,
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
