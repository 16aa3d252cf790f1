"""What a soak says: everything computed from its trace, in one place."""

from __future__ import annotations

from dataclasses import replace

from ulterion.core.arrays import Floats, np
from ulterion.core.records import dataclass
from ulterion.core.soak.drops import FOR_GOOD
from ulterion.core.soak.falls import Fall, falls
from ulterion.core.soak.levels import levels
from ulterion.core.soak.settling import LAST_SECONDS, Course, Doubt, Settling, doubts, settle, time_above
from ulterion.core.soak.smoothing import running_mean, running_median
from ulterion.core.soak.steady import Lowest, Steady, lowest, steady_end
from ulterion.core.soak.trace import AGAIN, DRIVE, LOAD, POWER, ROOM, Phase, Trace, value_at
from ulterion.core.stats.interval import Interval

HELD = 0.05  # change of the rate up to which it is said to be held
SETTLES_SECONDS = 60.0  # in which a sensor follows what happens
ROOM_OFF = 0.1  # degrees that a thermometer of the room is taken to be off from one minute to another
MOVED = 3.0  # degrees that another sensor must move for one that stands still to be doubted
POWER_MISSING = 0.1  # share of a load without a reading of the power from which on its energy is not told
STALLED_ROWS = 5  # of which the middle one counts when it is looked for how long a cache that came back lasted
LONG_FALL = 20.0  # seconds from which on a fall that may be of heat leaves open where a temperature settles


@dataclass(frozen=True)
class TemperatureFinding:
    """One temperature over a soak, C.

    Attributes:
        sensor: its name.
        start: when the load began.
        peak: greatest; `peak_at` when, seconds.
        settling: where it settled under the load, or None.
        why: why there is no settling.
        above_limit: seconds at or above the drive's limit, None without one.
    """

    sensor: str
    start: float | None
    peak: float
    peak_at: float
    settling: Settling | None
    why: str
    above_limit: float | None


@dataclass(frozen=True)
class Findings:
    """What a soak says.

    Attributes:
        seconds, bytes: length of the load and what it moved.
        rate: mean rate of the load, bytes per second; `fast` the level it began at, once it moved
            anything, `last` the mean of its last minute.
        falls: why and when the rate fell.
        lowest: what it never fell below.
        steady: the steady end, or None.
        room: temperature of the room in the load's last minute, C, or None; `room_spread` how much it moved.
        temperatures: for each temperature but the room's.
        doubts: sensors that cannot be believed.
        recovered: bytes moved fast in the second load, over those of the first; None without a second load.
        energy: joules during the load, None when power was not logged.
    """

    seconds: float
    bytes: float
    rate: float
    fast: float
    last: float
    falls: tuple[Fall, ...]
    lowest: Lowest | None
    steady: Steady | None
    room: float | None
    room_spread: float
    temperatures: tuple[TemperatureFinding, ...]
    doubts: tuple[Doubt, ...] = ()
    recovered: float | None = None
    energy: float | None = None

    @property
    def held(self) -> bool:
        """Whether the load kept its rate from beginning to end: it never fell, and no minute (nor second, of a short one) was slow."""
        low = None if self.lowest is None else self.lowest.by_minute or self.lowest.by_row
        return (
            not self.falls
            and abs(self.last / self.fast - 1) < HELD
            and low is not None
            and low > (1 - HELD) * self.fast
        )

    def fall(self, cause: str) -> Fall | None:
        """Return the fall of a cause, or None."""
        return next((f for f in self.falls if f.cause == cause), None)

    @property
    def drive(self) -> TemperatureFinding | None:
        """The drive's own temperature."""
        return next((w for w in self.temperatures if w.sensor == DRIVE), None)

    @property
    def rise(self) -> Interval | None:
        """The drive's settled temperature above the room with its 95% interval, C; None when either is not known."""
        settling = self.drive.settling if self.drive else None
        if settling is None or self.room is None:
            return None
        return Interval(settling.end - self.room, settling.low - self.room, settling.high - self.room)


def analyse(trace: Trace, room: float | None = None) -> Findings | None:
    """Return what a soak says; None when its load has no row.  `room` stands in where no sensor read the room."""
    phase, load = trace.phase(LOAD), _load_of(trace)
    if phase is None or load is None:
        return None
    whole = _whole_rows(load)
    events = falls(whole)
    rooms = trace.sensor(ROOM)
    room_now = _at_the_end(load, _filled(load, ROOM)) if load.sensor(ROOM) is not None else room
    edges = levels(whole.rate)
    return Findings(
        seconds=float(load.seconds.sum()),
        bytes=load.bytes,
        rate=load.bytes / float(load.seconds.sum()),
        fast=next((e.rate for e in edges if e.rate > 0), load.bytes / float(load.seconds.sum())),
        last=_last_minute(whole),
        falls=tuple(events),
        lowest=lowest(trace.during(phase)),
        steady=steady_end(load),
        room=room_now,
        room_spread=float(np.nanmax(rooms) - np.nanmin(rooms)) if rooms is not None else 0.0,
        temperatures=tuple(
            _temperature_finding(n, trace, load, phase, events)
            for n in trace.sensors
            if n not in (ROOM, POWER) and trace.sensor(n) is not None
        ),
        doubts=tuple(_doubts(trace, load)),
        recovered=_recovered(trace, events),
        energy=energy_of(load),
    )


def events(trace: Trace) -> list[Fall]:
    """Return what happened to the rate of a soak's load, finished or still going on: the falls that `analyse` tells."""
    load = _load_of(trace)
    return [] if load is None else falls(_whole_rows(load))


def _last_minute(load: Trace) -> float:
    """Return the mean rate of the last minute of a load, or of the last third of one that is shorter than three."""
    end = float(load.at[-1] + load.seconds[-1])
    length = min(LAST_SECONDS, (end - float(load.at[0])) / 3)
    rows = load.at >= end - length - 1e-6
    rows[-1] = True
    return float(np.sum(load.rate[rows] * load.seconds[rows]) / np.sum(load.seconds[rows]))


def _load_of(trace: Trace) -> Trace | None:
    """Return the rows of the load, None when there are none."""
    phase = trace.phase(LOAD)
    load = trace.during(phase).joined() if phase else None
    return None if load is None or load.at.size == 0 or load.bytes == 0 else load


def _whole_rows(load: Trace) -> Trace:
    """Leave out a last row that was cut short: too little time for a rate."""
    if load.at.size > 1 and load.seconds[-1] < 0.5 * float(np.median(load.seconds)):
        return load.between(float(load.at[0]), float(load.at[-1]))
    return load


def why_held_down(events: list[Fall] | tuple[Fall, ...]) -> str:
    """Return why a temperature under load does not show where it would settle; empty where it does."""
    if any(f.cause == "throttling" for f in events):
        return "throttling capped the temperature, so there is no settled value"
    if any(f.cause == "unexplained" and f.heat is None and f.seconds >= LONG_FALL for f in events):
        return "the rate fell, perhaps from heat, which would cap the temperature"
    return ""


def _temperature_finding(name: str, trace: Trace, load: Trace, phase: Phase, events: list[Fall]) -> TemperatureFinding:
    values = trace.sensors[name]
    why, settling = why_held_down(events), None
    if not why:
        settling = _settled(trace, load, name, phase)
        why = "" if settling else "too short, or read too rarely, to find the settled value"
    where = int(np.nanargmax(values))
    above = time_above(trace.at, trace.seconds, values, trace.limit) if trace.limit and name == DRIVE else None
    return TemperatureFinding(
        sensor=name,
        start=value_at(trace.at, values, phase.start),
        peak=float(values[where]),
        peak_at=float(trace.at[where]),
        settling=settling,
        why=why,
        above_limit=above,
    )


def _settled(trace: Trace, load: Trace, name: str, phase: Phase) -> Settling | None:
    """Return where a temperature settles in the room as it is at the end.

    A room that drifts is followed with the body's own lag: by drift x lag / time too late, which widens the interval.
    """
    until = trace.between(float(trace.at[0]), phase.end).joined()
    values, late, off = until.sensors[name], 0.0, 0.0
    if until.sensor(ROOM) is not None:
        room = _filled(until, ROOM)
        values = values - (room - _at_the_end(until, room))
        off = ROOM_OFF
        late = abs(float(room[-1] - room[np.searchsorted(until.at, phase.start)])) / float(load.seconds.sum())
    course = Course(until.at, float(np.median(until.seconds)), until.rate, values, phase.start)
    found = settle(course)
    if found is None:
        return None
    doubt = off + late * min(found.slow, float(load.seconds.sum()))
    return replace(found, low=found.low - doubt, high=found.high + doubt)


def _filled(trace: Trace, name: str) -> Floats:
    """Return a sensor that has a value at least once, smoothed over a minute, gaps filled by a straight line."""
    known = np.isfinite(trace.sensors[name])
    values = np.interp(trace.at, trace.at[known], trace.sensors[name][known])
    rows = max(1, round(LAST_SECONDS / float(np.median(trace.seconds))))
    return running_mean(values, min(rows, values.size))


def _at_the_end(trace: Trace, values: Floats) -> float:
    return float(np.mean(values[trace.at >= trace.at[-1] - LAST_SECONDS]))


def _doubts(trace: Trace, load: Trace) -> list[Doubt]:
    now = float(trace.at[-1])
    each = (doubts(n, trace.at, v, float(load.seconds.sum()), now) for n, v in trace.sensors.items())
    return [d for d in each if d is not None and not (d.still and _nothing_happened(trace, d))]


def _nothing_happened(trace: Trace, doubt: Doubt) -> bool:
    """Return whether nothing could have moved a sensor since it stands still: no load began or ended, no other sensor moved.

    One that has settled stands still, and is to be believed.
    """
    after = (trace.at > doubt.since + SETTLES_SECONDS) & (trace.at <= float(trace.at[-1]))
    edges = [t for p in trace.phases for t in (p.start, p.end)]
    began = any(doubt.since - 1.0 <= t < float(trace.at[-1]) - SETTLES_SECONDS for t in edges)
    others = [v[after] for n, v in trace.sensors.items() if n not in (doubt.sensor, ROOM, POWER)]
    moved = any(np.isfinite(v).any() and float(np.nanmax(v) - np.nanmin(v)) >= MOVED for v in others)
    return not began and not moved


def _recovered(trace: Trace, events: list[Fall]) -> float | None:
    """Return how much of the fast bytes came back: those of the second load over those of the first."""
    again, cache = trace.phase(AGAIN), next((f for f in events if f.cause == "write cache"), None)
    if again is None or cache is None:
        return None
    rows = trace.during(again)
    if rows.at.size == 0:
        return None
    level = running_median(rows.rate, STALLED_ROWS)  # a row that stalled does not end what came back
    fast = level > (FOR_GOOD + cache.after / cache.before) / 2 * cache.before
    end = int(np.argmin(fast)) if not fast.all() else rows.at.size
    return min(1.0, float((rows.rate * rows.seconds)[:end].sum()) / cache.written)


def energy_of(load: Trace) -> float | None:
    """Return the joules of a load, or of a rest, short gaps in the reading filled by a straight line; None when more than a tenth is missing."""
    power = load.sensor(POWER)
    if power is None:
        return None
    known = np.isfinite(power)
    if float(load.seconds[~known].sum()) > POWER_MISSING * float(load.seconds.sum()):
        return None
    filled = np.interp(load.at, load.at[known], power[known])
    return float(np.sum(filled * load.seconds))
