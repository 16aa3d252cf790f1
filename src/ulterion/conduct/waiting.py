"""Waiting for a hand: what to plug where, until the right drive is at the right place, mounted and settled."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from ulterion.conduct.place import Place
from ulterion.core.errors import UsageError
from ulterion.core.surveyed import Drive
from ulterion.core.units import show_duration
from ulterion.host import inuse, machine, mounts
from ulterion.host.uevents import Uevents
from ulterion.model.review import Hookup

SETTLED = 2.0  # seconds that the right drive must stay as it is
STEP = 1.0


def wait_for(place: Place, seconds: float, tell: Callable[[str], None]) -> None:
    """Return once the drive of a hookup is plugged in where it belongs and its target can be used.

    Tells what to do, and at once when a wrong drive or port is seen.  Raises UsageError when the time is up.
    """
    hookup, target = place.entry, place.path
    if hookup is None or target is None:
        raise UsageError(f"--wait is for real hookups with a target; '{place.hookup}' has {place.where or 'none'}")
    parts = " > ".join(place.review.review.label(k) for k in hookup.chain)
    tell(
        f"plug in: {parts}; it is used once it is there and mounted on {target} (waiting {show_duration(seconds)} at most)"
    )
    events, until, said = Uevents(), time.monotonic() + seconds, ""
    try:
        while True:
            words = _missing(hookup, target)
            if words is None:
                time.sleep(SETTLED)
                if _missing(hookup, target) is None:
                    tell("there it is")
                    return
                continue
            if words != said:
                tell(words)
                said = words
            left = until - time.monotonic()
            if left <= 0:
                raise UsageError(
                    f"hookup '{place.hookup}' was not ready after {show_duration(seconds)}: {words}; give --wait more time"
                )
            events.wait(min(left, STEP))
    finally:
        events.close()


def _missing(hookup: Hookup, target: Path) -> str | None:
    """Return what is still missing, in words, or None when all is as it should be."""
    expect = hookup.expect
    drives = [d for d in machine.survey().drives if d.size]
    mine = next((d for d in drives if expect and expect.serial and d.serial == expect.serial), None)
    if expect is not None and expect.serial is not None:
        if mine is None:
            other = _at_port(drives, expect.port)
            wrong = f"; another drive is there: {other.name}, serial {other.serial}" if other else ""
            return f"the drive with serial {expect.serial} is not there{wrong}"
        if expect.port is not None and mine.port is not None and mine.port != expect.port:
            return f"wrong port: it is in {mine.port} and belongs into {expect.port}"
    if not target.exists():
        return f"{target} is not there yet; mount the drive"
    if target.is_block_device():
        return None
    mount = mounts.mount_of(target.resolve())
    disk = mounts.disk_of(mount) if mount else None
    if mine is not None and disk is not None and inuse.whole_disk(disk) != mine.name:
        return f"{target} is on {disk} and not on {mine.name}; mount the drive there"
    if mine is None and disk is not None and inuse.whole_disk(disk) in inuse.system_disks():
        return f"{target} is still on the system disk; mount the drive there"
    return None


def _at_port(drives: list[Drive], port: str | None) -> Drive | None:
    return next((d for d in drives if port is not None and d.port == port), None)
