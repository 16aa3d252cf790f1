"""Fair conditions before a cell of a plan: the drive as cool as in its first cell, and its write cache empty, as far as waiting gets it there."""

from __future__ import annotations

from collections.abc import Callable

from ulterion.core.records import dataclass
from ulterion.core.soak.cache_fill import Fill
from ulterion.core.units import show_duration
from ulterion.model.runs.measure import Before, MeasureRun
from ulterion.run.requests import RepetitionPolicy
from ulterion.run.targets.protocol import Target, temperature_of

STEP = 5.0  # seconds between two looks
WARMER = 1.0  # degrees that a drive may be above what is waited for


@dataclass(frozen=True)
class _Waited:
    seconds: float
    warm: float | None
    fill: Fill | None
    cool: bool
    fresh: bool


def wait_for_start_conditions(
    run: MeasureRun, target: Target, extras: RepetitionPolicy, tell: Callable[[str], None]
) -> MeasureRun:
    """Wait for what `extras` ask for; return the run with what was waited for, and what could not be had, as warnings."""
    if extras.start_at is None and not extras.fresh:
        return run
    before = run.before or Before(recent_bytes=0)
    waited = _wait(target, before.fill if extras.fresh else None, extras, tell)
    told = _words(waited, extras)
    if waited.fill is not None:
        before = before.changed(cache_used=int(waited.fill.used))
    return run.with_warnings(*told).changed(before=before, unequal=told)


def _wait(target: Target, fill: Fill | None, extras: RepetitionPolicy, tell: Callable[[str], None]) -> _Waited:
    seconds = 0.0
    while True:
        warm = temperature_of(target)
        cool = extras.start_at is None or warm is None or warm <= extras.start_at + WARMER
        fresh = fill is None or fill.is_fresh
        if (cool and fresh) or seconds >= extras.longest:
            return _Waited(seconds, warm, fill, cool, fresh)
        still = [] if cool else [f"{warm:.0f} °C to {extras.start_at:.0f} °C"]
        still += [] if fresh else ["its write cache"]
        tell(f"waiting for fair conditions, {show_duration(seconds)}: {', '.join(still)}")
        target.rest(STEP)
        seconds += STEP
        fill = fill.after(0.0, STEP) if fill is not None else None


def _words(waited: _Waited, extras: RepetitionPolicy) -> list[str]:
    told = []
    if not waited.cool:
        told.append(
            f"the drive was still at {waited.warm:.0f} °C after {show_duration(waited.seconds)}, and began its first cell at {extras.start_at:.0f} °C"
        )
    if not waited.fresh:
        told.append(f"the write cache was not empty after {show_duration(waited.seconds)}")
    return told
