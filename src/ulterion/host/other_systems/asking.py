"""The facts of this machine and of a target on it, where the system is not Linux."""

from __future__ import annotations

import os
import platform
import shutil
import subprocess
import time
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from ulterion.core.facts.devices import Drive, Survey, Volume, as_target
from ulterion.core.facts.target import BenchFacts, TargetFacts
from ulterion.host.other_systems import macos, windows
from ulterion.model.systems import NAMES, system, untried

MAX_SECONDS = 60.0  # seconds that a program of the system's may take
FRESH = 5.0  # seconds
_asked: list[tuple[float, Survey]] = []


def survey() -> Survey:
    """Return what the system's programs show; where one fails, what it would have said is missing."""
    if system() == "macos":
        found = macos.survey(_said(macos.PROFILE).decode("utf-8", "replace"), _said(macos.REGISTRY))
    else:
        found = windows.survey(_said(windows.COMMAND).decode("utf-8", "replace"))
    return replace(found, bench=_this_machine(found.bench, {}, None), doubts=tuple(filter(None, [untried()])))


def _recent() -> Survey:
    """Return a survey of the last few seconds: a run asks several times at its beginning, and the programs are slow."""
    if not _asked or time.monotonic() - _asked[0][0] > FRESH:
        _asked[:] = [(time.monotonic(), survey())]
    return _asked[0][1]


def _said(command: Sequence[str]) -> bytes:
    """Return what a program of the system's prints, nothing where it cannot be run or takes too long."""
    try:
        done = subprocess.run(command, stdin=subprocess.DEVNULL, capture_output=True, timeout=MAX_SECONDS, check=False)
    except (OSError, subprocess.SubprocessError):
        return b""
    return done.stdout


def bench_facts(versions: dict[str, str], room_temperature: float | None) -> BenchFacts:
    """Return the facts of this machine."""
    return _this_machine(_recent().bench, versions, room_temperature)


def _this_machine(known: BenchFacts, versions: dict[str, str], room_temperature: float | None) -> BenchFacts:
    return replace(
        known,
        host=platform.node() or "unknown",
        system=f"{NAMES[system()]} {platform.mac_ver()[0] or platform.release()}",
        cpu=known.cpu or platform.processor() or None,
        cores=os.cpu_count(),
        versions=versions,
        room_temperature=room_temperature,
    )


def target_facts(path: Path) -> TargetFacts:
    """Return what lies under a folder or a file; what is unknown stays None."""
    path = path.resolve()
    drive, volume = under(_recent().drives, str(path))
    room = shutil.disk_usage(path)
    return as_target(
        drive,
        str(path),
        "folder" if path.is_dir() else "file",
        drive.name if drive else None,
        filesystem=volume.filesystem if volume else None,
        mount_options=volume.options if volume else None,
        filesystem_bytes=room.total,
        free_bytes=room.free,
    )


def device_facts(path: Path, name: str) -> TargetFacts:
    """Return what a raw device is, by the system's name of it; what is unknown stays None."""
    drive = next((d for d in _recent().drives if d.name.casefold() == name.casefold()), None)
    return as_target(drive, str(path), "device", drive.name if drive else name)


def under(drives: Sequence[Drive], path: str) -> tuple[Drive | None, Volume | None]:
    """Return the drive and the volume that a path lies on: the one whose place is the longest beginning of it."""

    def shaped(place: str) -> str:
        return place.replace("\\", "/").rstrip("/").casefold() + "/"

    here = shaped(path)
    fitting = [
        (len(shaped(v.mounted)), i, d, v)
        for i, d in enumerate(drives)
        for v in d.volumes
        if v.mounted and here.startswith(shaped(v.mounted))
    ]
    if not fitting:
        return None, None
    _, _, drive, volume = max(fitting, key=lambda f: f[:2])
    return drive, volume
