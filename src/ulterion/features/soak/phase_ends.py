"""When the phases of a soak end, and in what words."""

from __future__ import annotations

from collections.abc import Callable

from ulterion.core.arrays import Floats, np
from ulterion.core.soak.resting import is_at_rest, left_to_settle, stands_still
from ulterion.core.soak.steady import ROUND_SECONDS, ROUNDS, rounds_of, steady_round
from ulterion.core.soak.trace import DRIVE, LOAD, Phase, sensor_values, trace_of
from ulterion.core.units import show_duration, show_size
from ulterion.model.runs.phase_builder import PhaseBuilder
from ulterion.model.runs.soak import SETTLED, SoakPlan

MAX_IDLE, MAX_COOL = 900.0, 3600.0  # seconds waited for a temperature to settle
IDLE_BLIND, COOL_BLIND = 10.0, 60.0  # seconds where there is no temperature to wait for
LOOK_EVERY = 15.0  # seconds between two looks at whether a rest is over

TIME_UP = "the time was up"
Ended = Callable[[PhaseBuilder], str | None]
"""Returns why a phase is over, or None while it is not."""


def load_done(plan: SoakPlan, seconds: float, moved: int) -> Ended:
    """Return when a load is over that ran for `seconds` and moved `moved` bytes before it was cut off."""
    rounds_seen = 0

    def done(phase: PhaseBuilder) -> str | None:
        nonlocal rounds_seen
        if plan.load_seconds is not None and seconds + phase.seconds >= plan.load_seconds - 1e-6:
            return TIME_UP
        if plan.load_bytes is not None and moved + phase.bytes >= plan.load_bytes:
            return f"{show_size(plan.load_bytes)} were moved"
        if plan.until_steady and phase.seconds // ROUND_SECONDS > rounds_seen:
            rounds_seen = int(phase.seconds // ROUND_SECONDS)
            rounds = _last_rounds(phase)
            if steady_round(rounds) is not None:
                return "the rate was steady"
        return None

    return done


def _last_rounds(phase: PhaseBuilder) -> list[float]:
    """Return the rates of the last five rounds of a phase, fewer when it is shorter."""
    interval = phase.seconds / max(len(phase.rows), 1)
    rows = phase.rows[-round(ROUNDS * ROUND_SECONDS / interval) :]
    starts = [interval * i for i in range(len(rows))]
    trace = trace_of(rows, starts, [Phase(LOAD, 0.0, interval * len(rows))])
    return [float(r) for r in rounds_of(trace)]


def idle_done(seconds: float | None) -> Ended:
    """Return when the rest before a load is over: after its time, or once the drive is as cold as it gets, as far as can be told."""
    return _rest_done(seconds, IDLE_BLIND, MAX_IDLE, is_at_rest)


def cool_done(seconds: float | None) -> Ended:
    """Return when the rest after a load is over: after its time, or once the drive's temperature stands still."""
    return _rest_done(seconds, COOL_BLIND, MAX_COOL, stands_still)


def _rest_done(seconds: float | None, blind: float, longest: float, over: Callable[[Floats, Floats], bool]) -> Ended:
    """Return when a rest is over: after its time, once `over` says so of its rows, or when there is no use in waiting."""
    looked = 0.0

    def done(phase: PhaseBuilder) -> str | None:
        nonlocal looked
        if seconds is not None:
            return TIME_UP if phase.seconds >= seconds - 1e-6 else None
        if phase.seconds < min(looked + LOOK_EVERY if looked else blind, longest):
            return None
        looked = phase.seconds
        values = sensor_values(phase.rows, DRIVE)
        if not np.isfinite(values).any():
            return "no temperature to wait for" if phase.seconds >= blind else None
        starts = np.asarray(np.arange(values.size) * phase.interval, dtype=np.float64)
        if over(starts, values):
            return SETTLED
        return _not_settled(starts, values, longest) if phase.seconds >= longest else None

    return done


def _not_settled(at: Floats, values: Floats, longest: float) -> str:
    left = left_to_settle(at, values)
    may = f": up to {left:.0f} °C may be left" if left is not None and left >= 0.5 else ""
    return f"not settled after {show_duration(longest)}{may}"


def rest_words(seconds: float | None) -> str:
    """Return in words when a rest ends."""
    return "until its temperature has settled" if seconds is None else f"for {show_duration(seconds)}"


def load_words(plan: SoakPlan) -> str:
    """Return in words when a load ends."""
    words = [f"for {show_duration(plan.load_seconds)}"] if plan.load_seconds is not None else []
    words += [f"until {show_size(plan.load_bytes)} are moved"] if plan.load_bytes is not None else []
    words += ["until the rate is steady"] if plan.until_steady else []
    return " or ".join(words)


def work_left(plan: SoakPlan, seconds: float, moved: int) -> bool:
    """Return whether a load that ran for `seconds` and moved `moved` bytes before it was cut off has any left."""
    if plan.load_seconds is not None and seconds >= plan.load_seconds - 1e-6:
        return False
    return plan.load_bytes is None or moved < plan.load_bytes
