"""Between two copies: what was removed goes back to the device, and the device comes to rest, so that the next finds what the first found."""

from __future__ import annotations

import time
from collections.abc import Callable

from ulterion.core.units import show_duration, show_size
from ulterion.engine.copies.file_pool import FilePool
from ulterion.features.copy.scratch_folder import OwnFolder, pulse_under

QUIET = 1.0  # seconds in which the kernel counts nothing of a device that is at rest
MAX_SECONDS = 20.0  # seconds that are waited for that
LOOK = 0.1  # seconds


def removed(own: OwnFolder, pool: FilePool, rest: float, *, trims: bool, more: bool) -> str:
    """Remove a copy, trim what is free now (where `trims`), wait until its device does nothing more, and rest so many seconds; return in words what was done.

    Where no `more` follows, nothing but the removal is needed.

    Raises TargetFailed and OSError where the device is gone.
    """
    own.emptied()
    if not more:
        return ""
    folder = bytes(own.files)
    pool.all_of([("flush", folder)])
    size, why = 0, "system disk: left alone"
    if trims:
        ((size, why),) = pool.all_of([("trim", folder)])
    told = f"not trimmed ({why})" if why else f"free space trimmed ({show_size(size)})"
    quiet = _quiet(pulse_under(own.path))
    if quiet is not None:
        told += f", {_quiet_words(quiet)}"
    if rest:
        time.sleep(rest)
        told += f", rested {show_duration(rest)}"
    return told


def _quiet_words(seconds: float) -> str:
    if seconds >= MAX_SECONDS:
        return f"device still busy after {MAX_SECONDS:g} s"
    return "device idle at once" if seconds < LOOK else f"device idle after {show_duration(seconds)}"


def _quiet(pulse: Callable[[], object] | None) -> float | None:
    """Wait until a device does nothing more; return the seconds until then, None where the kernel counts nothing of it."""
    if pulse is None:
        return None
    start = since = time.monotonic()
    seen = pulse()
    while time.monotonic() - since < QUIET and time.monotonic() - start < MAX_SECONDS:
        time.sleep(LOOK)
        now = pulse()
        if now != seen:
            seen, since = now, time.monotonic()
    return MAX_SECONDS if time.monotonic() - since < QUIET else since - start
