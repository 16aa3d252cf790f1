"""A soak as numbers: rate and temperatures on one time axis, and the phases it went through.

Times are seconds since the soak began, rates bytes per second, temperatures degrees Celsius, latencies seconds.  What
was not read is NaN.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import field, replace
from typing import Any, Final

from ulterion.core.arrays import Flags, Floats, Integers, np
from ulterion.core.records import dataclass

DRIVE, CASE, ROOM, POWER = "drive", "case", "room", "power"
"""Names of sensors with a meaning: the drive's own, its case, the room (all in C), and the supply (in W)."""
IDLE: Final = "idle"
LOAD: Final = "load"
COOL: Final = "cool"
AGAIN: Final = "again"
MAX_POINTS = 4000  # rows an analysis looks at; longer series are joined, which costs resolution, not truth


@dataclass(frozen=True)
class TraceRow:
    """One interval of a soak as a target gives it.

    Attributes:
        seconds: its length.
        bytes, requests: completed in it.
        p50, p99, worst: latencies of those requests in seconds; None when none completed.
        sensors: value of each sensor, None where it gave none.
    """

    seconds: float
    bytes: int
    requests: int
    p50: float | None = None
    p99: float | None = None
    worst: float | None = None
    sensors: dict[str, float | None] = field(default_factory=dict)


@dataclass(frozen=True)
class Phase:
    """A stretch of a soak: idle, load, cool, or again (a second load after cooling)."""

    name: str
    start: float
    end: float


@dataclass(frozen=True)
class Counters:
    """How much the drive's own counters moved during a soak; None where it shows none.

    Attributes:
        throttlings: transitions into a light or heavy thermal management state.
        throttled_seconds: time spent in them.
        warning_seconds: time above the drive's warning temperature.
        alive: whether they have moved in the drive's life: those that stand at zero may not be implemented at all.
    """

    throttlings: int | None = None
    throttled_seconds: float | None = None
    warning_seconds: float | None = None
    alive: bool = False

    @property
    def throttled(self) -> bool | None:
        """Whether the drive says that it throttled; None when it says nothing, or when its counters never moved."""
        known = [v for v in (self.throttlings, self.throttled_seconds) if v is not None]
        if any(v > 0 for v in known):
            return True
        return False if known and self.alive else None


@dataclass(frozen=True)
class Trace:
    """The series of a soak; all arrays have one value for each row.

    Attributes:
        at: when each row begins; `seconds` how long it is.
        rate: bytes per second of each row.
        sensors: values of each sensor, in C (or W for 'power').
        phases: in order of time.
        worst: greatest latency of a request that ended in the row; NaN where none did.
        writes: share of the load's requests that write, 0 to 1.
        limit: temperature (C) at which the drive says it is too hot, or None.
        counters: what the drive's own counters say.
        rotational: whether the kernel takes the drive for a spinning disk.
        bridged: whether something stands between host and drive that may grow hot itself.
        span: bytes that the load goes through in order, again and again; None where it does not.
        block: bytes of a request, 0 where they are not all alike; `depth` how many are in flight.
    """

    at: Floats
    seconds: Floats
    rate: Floats
    sensors: dict[str, Floats] = field(default_factory=dict)
    phases: tuple[Phase, ...] = ()
    worst: Floats | None = None
    writes: float = 1.0
    limit: float | None = None
    counters: Counters = Counters()
    rotational: bool = False
    bridged: bool = False
    span: float | None = None
    block: float = 0.0
    depth: int = 1

    def phase(self, name: str) -> Phase | None:
        """Return the first phase of a name that is not empty, or None."""
        return next((p for p in self.phases if p.name == name and p.end > p.start), None)

    def during(self, phase: Phase) -> Trace:
        """Return the rows that begin within a phase."""
        return self.between(phase.start, phase.end)

    def between(self, start: float, end: float) -> Trace:
        """Return the rows that begin in [start, end)."""
        keep = (self.at >= start - 1e-6) & (self.at < end - 1e-6)
        return replace(
            self,
            at=self.at[keep],
            seconds=self.seconds[keep],
            rate=self.rate[keep],
            sensors={n: v[keep] for n, v in self.sensors.items()},
            worst=None if self.worst is None else self.worst[keep],
        )

    @property
    def bytes(self) -> float:
        """Bytes moved in all rows."""
        return float(np.sum(self.rate * self.seconds))

    def sensor(self, name: str) -> Floats | None:
        """Return a sensor's values, or None when it gave none at all."""
        values = self.sensors.get(name)
        return None if values is None or not np.isfinite(values).any() else values

    def joined(self, most: int = MAX_POINTS) -> Trace:
        """Return at most `most` rows, equal numbers of rows joined; means of rates and temperatures, the worst latency."""
        step = math.ceil(self.at.size / most) if self.at.size else 1
        if step == 1:
            return self
        starts = np.arange(0, self.at.size, step)
        seconds = np.add.reduceat(self.seconds, starts)
        rate = np.add.reduceat(self.rate * self.seconds, starts) / seconds
        sensors = {n: _means(v, starts) for n, v in self.sensors.items()}
        worst = None if self.worst is None else np.fmax.reduceat(self.worst, starts)
        return replace(self, at=self.at[starts], seconds=seconds, rate=rate, sensors=sensors, worst=worst)


def _means(values: Floats, starts: Integers) -> Floats:
    """Return the mean of the known values of each group; NaN where a group has none."""
    known = np.isfinite(values)
    counts = np.add.reduceat(known.astype(np.float64), starts)
    sums = np.add.reduceat(np.where(known, values, 0.0), starts)
    with np.errstate(invalid="ignore", divide="ignore"):
        return sums / counts


def value_at(at: Floats, values: Floats | None, moment: float, within: float = 30.0) -> float | None:
    """Return the known value nearest to a moment, at most `within` seconds away, or None."""
    if values is None:
        return None
    known = np.flatnonzero(np.isfinite(values) & (np.abs(at - moment) <= within))
    if known.size == 0:
        return None
    return float(values[known[np.argmin(np.abs(at[known] - moment))]])


def longest_true(flags: Sequence[bool] | Flags, seconds: Floats) -> float:
    """Return the longest time (seconds) that consecutive rows were flagged."""
    longest = current = 0.0
    for flag, length in zip(flags, seconds, strict=True):
        current = current + float(length) if flag else 0.0
        longest = max(longest, current)
    return longest


def trace_of(rows: Sequence[TraceRow], starts: Sequence[float], phases: Sequence[Phase], **facts: Any) -> Trace:
    """Return rows, and when each began (seconds), as a trace; `facts` are further attributes of `Trace`."""
    names = dict.fromkeys(name for row in rows for name in row.sensors)
    lengths = np.array([row.seconds for row in rows], dtype=np.float64)
    return Trace(
        at=np.asarray(starts, dtype=np.float64),
        seconds=lengths,
        rate=np.array([row.bytes for row in rows], dtype=np.float64) / np.maximum(lengths, 1e-9),
        sensors={name: sensor_values(rows, name) for name in names},
        phases=tuple(phases),
        worst=np.array([_known(row.worst) for row in rows]),
        **facts,
    )


def sensor_values(rows: Sequence[TraceRow], name: str) -> Floats:
    """Return a sensor's value in each row, NaN where it gave none."""
    return np.array([_known(row.sensors.get(name)) for row in rows], dtype=np.float64)


def _known(value: float | None) -> float:
    return math.nan if value is None else value
