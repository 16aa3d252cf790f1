"""Two soaks at the same moment of the same load: how much warmer one runs, where neither needs to have settled.

Where two loads moved as much at every moment, as much heat went into both drives, so their temperatures can be compared at that
moment, whatever a write cache or heat did to the rate on the way.  The temperature of a moment is the mean of the last minute
before it; a sensor of whole degrees that stands still in that minute may be off by half a degree either way, one that moves tells
more (the mean of a rounded course that crosses a step).  Checked against made-up coolers by benchmarks/coolers.py.
"""

from __future__ import annotations

import math

from ulterion.core.arrays import Floats, np
from ulterion.core.records import dataclass
from ulterion.core.soak.trace import DRIVE, LOAD, POWER, ROOM, Trace
from ulterion.core.stats.interval import Interval

NORMAL = 1.959964  # standard deviations that hold 95% of a normal distribution
WINDOW = 60.0  # seconds whose mean is the temperature of a moment
SHORTEST = 300.0  # seconds of load before which temperatures say little of a cooler
LOOKS = 30.0  # seconds between the moments at which the bytes moved are compared
STILL = 0.26  # steps: error of the mean of a rounded course that stands still for a minute; below 1/sqrt(12), as one near an edge would cross it
ROOM_OFF = 0.1  # degrees C that two thermometers of a room are taken to differ by, a standard deviation


@dataclass(frozen=True)
class SameLoad:
    """How two soaks differ at the last moment that both have.

    Attributes:
        sensor: which temperature was compared: the drive's, or another that both have.
        seconds, bytes: of the load, until then.
        first, second: temperatures of that moment, C.
        warmer: how much warmer the first is above its room, with its 95% interval, C; below zero: cooler.
        above_room: whether both rooms are known; else the temperatures themselves are compared.
    """

    sensor: str
    seconds: float
    bytes: float
    first: float
    second: float
    warmer: Interval
    above_room: bool


def at_the_same_moment(
    one: Trace, other: Trace, rooms: tuple[float | None, float | None], margin: float
) -> SameLoad | None:
    """Compare two soaks at the end of the shorter load.

    Args:
        one, other: their series.
        rooms: temperatures of the rooms at the end, C, where known.
        margin: by how much the bytes moved may differ at any moment, as a ratio.

    Returns:
        The difference, or None where the loads were not alike, too short, or read by no common sensor.
    """
    loads = [_load(trace) for trace in (one, other)]
    if loads[0] is None or loads[1] is None:
        return None
    a, b = loads[0], loads[1]
    until = min(_length(a), _length(b))
    if until < SHORTEST or not _alike(a, b, until, margin):
        return None
    for sensor in _common(a, b):
        told = [_at(load, sensor, until) for load in (a, b)]
        if told[0] is not None and told[1] is not None:
            return _difference(sensor, (told[0], told[1]), rooms, moved=(_moved(a, until), until))
    return None


def _difference(
    sensor: str,
    told: tuple[tuple[float, float], tuple[float, float]],
    rooms: tuple[float | None, float | None],
    *,
    moved: tuple[float, float],
) -> SameLoad:
    (first, first_off), (second, second_off) = told
    known = rooms[0] is not None and rooms[1] is not None
    warmer = first - second - ((rooms[0] or 0.0) - (rooms[1] or 0.0) if known else 0.0)
    same = rooms[0] == rooms[1]
    half = NORMAL * math.sqrt(first_off**2 + second_off**2 + (ROOM_OFF**2 if known and not same else 0.0))
    return SameLoad(
        sensor=sensor,
        seconds=moved[1],
        bytes=moved[0],
        first=first,
        second=second,
        warmer=Interval(warmer, warmer - half, warmer + half),
        above_room=known,
    )


def _load(trace: Trace) -> Trace | None:
    phase = trace.phase(LOAD)
    load = trace.during(phase) if phase is not None else None
    return None if load is None or load.at.size < 2 else load


def _length(load: Trace) -> float:
    return float(load.at[-1] + load.seconds[-1] - load.at[0])


def _moved(load: Trace, until: float) -> float:
    """Return the bytes moved in the first `until` seconds of a load."""
    ends = load.at + load.seconds - load.at[0]
    return float(
        np.interp(until, np.concatenate(([0.0], ends)), np.concatenate(([0.0], np.cumsum(load.rate * load.seconds))))
    )


def _alike(one: Trace, other: Trace, until: float, margin: float) -> bool:
    """Return whether both had moved as many bytes at every look, and in every stretch between looks about as many."""
    times = np.arange(2 * LOOKS, until + 1e-6, LOOKS)
    moved = np.array([[_moved(load, t) for t in times] for load in (one, other)])
    if (moved <= 0).any():
        return False
    return bool(np.all(np.abs(np.log(moved[0] / moved[1])) <= math.log1p(margin)))


def _common(one: Trace, other: Trace) -> list[str]:
    """Return the temperatures that both have, the drive's first."""
    names = [n for n in one.sensors if n in other.sensors and n not in (ROOM, POWER)]
    return sorted(names, key=lambda n: n != DRIVE)


def _at(load: Trace, sensor: str, until: float) -> tuple[float, float] | None:
    """Return a temperature at a moment of a load, and its standard error; None where it was not read in the minute before."""
    values = load.sensor(sensor)
    if values is None:
        return None
    since = load.at - load.at[0]
    here = values[(since > until - WINDOW - 1e-6) & (since <= until + 1e-6)]
    here = here[np.isfinite(here)]
    if here.size == 0:
        return None
    return float(here.mean()), _error(here, _resolution(values))


def _resolution(values: Floats) -> float:
    """Return the steps a sensor moves in, C."""
    steps = np.diff(np.unique(np.round(values[np.isfinite(values)], 3)))
    return float(steps.min()) if steps.size else 1.0


def _error(values: Floats, step: float) -> float:
    """Return the standard error of the mean of rounded values: of a whole step where they stand still, less the more they move."""
    steps = 1 + round(float(values.max() - values.min()) / step)
    return max(STILL * step / math.sqrt(steps), float(values.std()) / math.sqrt(values.size))
