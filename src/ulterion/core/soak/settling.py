"""Temperatures: where they settle, how fast, how far above the room, and whether a sensor can be believed.

Heat follows from what a drive does in every second: each body it passes through on its way to the room lags behind by a time constant
of its own (Newton's law of cooling), so a temperature is a sum of the load and of the rate, each seen through such lags,
    T(t) = T(0) + sum over lags k of  a_k (load on, lagged by k) + b_k (rate, lagged by k),        a_k, b_k >= 0,
fitted to the load, T(0) being what it was at rest before it (C. L. Lawson, R. J. Hanson, Solving Least Squares Problems, 1974, chapter
23, for weights that cannot be negative).  A sensor on another body than the one that is heated sees this behind further lags in a row (`WAYS`), so that
it moves late, and slowly at first.  Where it ends is that sum at the last rate for ever.  How slow the slowest body is decides
that, and is known least: the fit is made for many slowest lags (up to `REACH`, `HEAVIEST`) and every way, and each one that fits about as well as the best
(`WORSE`, `ROUGH`, `MIN_STEP`) has its end in the interval.  How much worse still counts, `DOUBT` and `SHORT` follow from no formula: they were set
so that the interval holds the truth in 95% of random drives, and benchmarks/bodies.py, rough.py and soaks.py count how often it does.
"""

from __future__ import annotations

import math
from collections.abc import Iterator

from ulterion.core.arrays import Floats, np
from ulterion.core.records import dataclass
from ulterion.core.soak.lags import Lags, Way, lagged
from ulterion.core.stats.nonnegative import Fit, NonNegative

SLOWED = 0.8  # share of the fastest quarter's rise; a last quarter above it has hardly slowed
GATHERED = 0.1  # degrees in a quarter of the load, below which nothing counts as a rise
MIN_FIT = 120.0  # seconds of load; below it no end can be told
FIT_POINTS = 500  # rows that a fit looks at; longer stretches are averaged down to it
FASTEST, STEPS = 5.0, 45  # seconds of the least lag, and how many there are up to the slowest that is tried,
STRIDE = 3  # of which a fit has every third
WAYS = ((), (10.0,), (30.0,), (90.0,), (270.0,), (800.0,), (30.0, 30.0), (90.0, 90.0), (270.0, 270.0))
"""Seconds of the lags in a row between what is heated and the sensor: on another body it moves late, and slowly at first."""
REACH = 2.5  # the slowest lag that is tried, in lengths of the load,
HEAVIEST = 2400.0  # or in seconds, whichever is more
WORSE = 1.25  # sums of squares, in those of the best fit, up to which another is as good
ROUGH = 0.12  # of the resolution, that the root of the mean square may be greater besides,
MIN_STEP = 0.03  # degrees, or by this where that is more: no body is exactly a sum of lags
DOUBT = 0.15  # of the way still to go, for bodies that are more than lags in a row
MIN_HALF = 0.8  # degrees that no end is known better than, half the interval: rooms and coolers are no constants
SHORT = 1.0  # of the rise so far, that a body may still add which has hardly begun,
LONG = 900.0  # less with every second of load, and nothing after so many
ROUNDING = 0.5  # of the resolution: which way a sensor rounds is not known, and no averaging tells
WIDEST = 5.0  # degrees, half an interval: what is wider than this, and than the rise so far, tells a reader nothing
MIN_SEEN = 600.0  # seconds of load without which no temperature is called settled: a slow body can hide behind a fast one that cools
NEAR_END = 1.0  # degrees from the end that count as settled
REST_SECONDS = 30.0  # before the load, that its temperature at rest is the mean of
LAST_SECONDS = 60.0  # of the load: its rate goes on for ever, and its temperature must be near the end to be settled
SETTLED_WITHIN, SETTLED_OVER = 1.0, 120.0  # idle is settled when nothing moved by more than this over so many seconds
STUCK_SECONDS = 600.0  # seconds of load without any movement after which a sensor is doubted


@dataclass(frozen=True)
class Settling:
    """Where a temperature goes under a constant load.

    Attributes:
        end: temperature it settles at; `low`, `high` its 95% interval.
        time: seconds from the beginning of the load until it is within 1 °C of the end and stays there, by the fit;
            None when that lies beyond what was seen.
        fast, slow: least and greatest lag, seconds.
        now: temperature at the end of the load.
        seen: seconds of load.
    """

    end: float
    low: float
    high: float
    time: float | None
    fast: float
    slow: float
    now: float
    seen: float

    @property
    def sure(self) -> bool:
        """Whether it has settled: the end is known to a degree, and was reached, in ten minutes or more; else it is an extrapolation."""
        return self.seen >= MIN_SEEN and (self.high - self.low) / 2 <= NEAR_END and abs(self.end - self.now) <= NEAR_END


@dataclass(frozen=True)
class Course:
    """A temperature and what made it: rows of equal length from the rest before the load to its end.

    Attributes:
        at: when each row begins, seconds; `length` how long it is.
        rate: bytes per second.
        temperature: C, NaN where it was not read.
        load_start: when the load began.
    """

    at: Floats
    length: float
    rate: Floats
    temperature: Floats
    load_start: float

    @property
    def begin(self) -> float:
        """The temperature at rest: the mean of the last half minute before the load, or the first that was read."""
        before = (
            (self.at < self.load_start) & (self.at >= self.load_start - REST_SECONDS) & np.isfinite(self.temperature)
        )
        if before.any():
            return float(np.mean(self.temperature[before]))
        return float(self.temperature[np.flatnonzero(np.isfinite(self.temperature))[0]])


def settle(course: Course) -> Settling | None:
    """Fit where a temperature settles if the load goes on as in its last minute; None when the load is too short, was hardly read, its rise has hardly slowed, or the end is known no better than by the rise so far."""
    load = course.at >= course.load_start
    seconds = float(load.sum()) * course.length
    known = np.isfinite(course.temperature)
    last = course.at >= course.at[-1] + course.length - LAST_SECONDS
    if seconds < MIN_FIT or (known & load).sum() < 20 or not (known & last).any():
        return None
    if _hardly_slowed(course.temperature[load], course.begin):
        return None
    fits = _fits(course, load, last, max(REACH * seconds, HEAVIEST))
    resolution = resolution_of(course.temperature[known])
    best = min(fits, key=lambda fit: fit.squares)
    now = float(np.nanmean(course.temperature[last]))
    allowed = WORSE * best.squares + max(ROUGH * resolution, MIN_STEP) ** 2 * best.rows
    ends = [fit.end for fit in fits if fit.squares <= allowed]
    end = float(np.median(ends))  # those that fit as well are as good: the middle one, not the luckiest
    scatter = math.sqrt(best.squares / best.rows)
    half = max(scatter / 2 + ROUNDING * resolution + DOUBT * abs(end - now), MIN_HALF)
    hidden = SHORT * max(0.0, now - course.begin) * max(0.0, 1 - seconds / LONG)
    away = np.flatnonzero((np.abs(_curve(course, load, last, best) - end) > NEAR_END) & load)
    time = 0.0 if not away.size else float(course.at[away[-1]] + course.length - course.load_start)
    low, high = min(ends) - half, max(ends) + half + hidden
    if (high - low) / 2 > max(WIDEST, abs(now - course.begin)):
        return None
    return Settling(
        end=end,
        low=low,
        high=high,
        time=time if time < seconds else None,
        fast=float(best.used[0]),
        slow=float(best.used[-1]),
        now=now,
        seen=seconds,
    )


@dataclass(frozen=True)
class _Fit:
    """The best sum for a slowest lag and a way to the sensor.

    Attributes:
        squares: left over, of so many `rows`.
        end: where it ends, C.
        taus, weights: its lags, seconds, and the weights of load and rate behind each, a pair a row.
        way: the lags in a row before them.
    """

    squares: float
    rows: int
    end: float
    taus: Floats
    weights: Floats
    way: Way

    @property
    def used(self) -> Floats:
        """The lags that count, the fastest first."""
        lags = self.weights.sum(axis=1)
        used = self.taus[lags > 0.02 * max(float(lags.max()), 1e-9)]
        return used if used.size else np.array([FASTEST])


def _hardly_slowed(temperature: Floats, begin: float) -> bool:
    """Return whether the rise has hardly slowed, so that no end can be predicted. Compares the means of the load's quarters."""
    means = [float(np.nanmean(q)) if np.isfinite(q).any() else math.nan for q in np.array_split(temperature, 4)]
    first, *rises = np.diff([begin, *means])
    known = temperature[np.isfinite(temperature)]
    least = GATHERED + resolution_of(known) / 4
    return bool(rises[-1] > max(least, SLOWED * max(first, *rises[:-1])))


def _fits(course: Course, load: np.ndarray, last: np.ndarray, slowest: float) -> list[_Fit]:
    """Return the best sum for every slowest lag and every way to the sensor."""
    taus = np.geomspace(FASTEST, slowest, STEPS)
    kept = np.isfinite(course.temperature) & load
    fits: list[_Fit] = []
    begin = course.begin
    lags = Lags(_causes(course, load, last), taus, course.length, lambda rows: _averaged(rows[:, kept]))
    values = _averaged((course.temperature[kept] - begin)[None, :])[0]
    for way in WAYS:
        seen = lags.behind(way).reshape(-1, values.size).T
        # every fit has a part of the same columns: a triangle of them gives the same squares with fewer rows
        triangle = np.asarray(np.linalg.qr(np.column_stack([seen, values]), mode="r"))
        fits += _fits_of(triangle, taus, way, begin, rows=values.size)
    return fits


def _fits_of(triangle: Floats, taus: Floats, way: Way, begin: float, *, rows: int) -> Iterator[_Fit]:
    """Yield the best sum for every slowest lag behind a way; the triangle has two columns a lag, and the temperature last."""
    columns, values = NonNegative(triangle[:, :-1]), triangle[:, -1]
    first = int(np.searchsorted(taus, 4 * FASTEST))
    found: dict[int, Fit] = {}
    for slowest in range(first, taus.size):
        chosen = np.arange(slowest, -1, -STRIDE)[::-1]
        before = found.get(slowest - STRIDE)  # which has all of its lags but the slowest
        both = np.column_stack([2 * chosen, 2 * chosen + 1]).ravel()
        fit = columns.fit(values, both, before.used if before else ())
        found[slowest] = fit
        yield _Fit(
            squares=fit.distance**2,
            rows=rows,
            end=begin + float(fit.weights.sum()),
            taus=taus[chosen],
            weights=fit.weights.reshape(-1, 2),
            way=way,
        )


def _causes(course: Course, load: np.ndarray, last: np.ndarray) -> Floats:
    """Return load and rate (1 at the last minute's), a row each."""
    on = load.astype(np.float64)
    final = max(float(np.mean(course.rate[last])), 1.0)
    return np.vstack([on, course.rate * on / final])


def _curve(course: Course, load: np.ndarray, last: np.ndarray, fit: _Fit) -> Floats:
    """Return the temperature by a fit in every row."""
    causes = _causes(course, load, last)
    for lag in fit.way:
        causes = lagged(causes, lag, course.length)
    parts = [
        weights @ lagged(causes, float(tau), course.length)
        for tau, weights in zip(fit.taus, fit.weights, strict=True)
        if weights.any()
    ]
    return np.asarray(sum(parts, np.full(load.size, course.begin)))


def _averaged(rows: Floats) -> Floats:
    """Return rows with as many neighbouring values joined into their mean as leaves `FIT_POINTS` at most."""
    step = math.ceil(rows.shape[1] / FIT_POINTS)
    starts = np.arange(0, rows.shape[1], step)
    counts = np.diff(np.append(starts, rows.shape[1]))
    return np.asarray(np.add.reduceat(rows, starts, axis=1) / counts)


def resolution_of(values: Floats) -> float:
    """Return the smallest step a sensor made, 0 when it never moved."""
    steps = np.abs(np.diff(values))
    steps = steps[steps > 1e-6]
    return float(steps.min()) if steps.size else 0.0


def is_settled(at: Floats, temperature: Floats, now: float) -> bool:
    """Return whether a temperature has moved by at most 1 °C over the last two minutes before `now`, fully observed.

    The first and the second half of the two minutes are compared by their means, so that one step of a coarse sensor
    does not count as movement.
    """
    keep = np.isfinite(temperature) & (at > now - SETTLED_OVER)
    if not keep.any() or at[0] > now - SETTLED_OVER:
        return False
    times, values = at[keep], temperature[keep]
    halves = values[times <= now - SETTLED_OVER / 2], values[times > now - SETTLED_OVER / 2]
    if min(h.size for h in halves) < 3:
        return False
    drift = abs(float(halves[1].mean() - halves[0].mean()))
    return drift <= SETTLED_WITHIN / 4 and float(np.ptp(values)) <= 2 * SETTLED_WITHIN


@dataclass(frozen=True)
class Doubt:
    """Why a sensor cannot be believed, in words, and from when on (seconds); `still`: because it stands still."""

    sensor: str
    since: float
    why: str
    still: bool = False


def doubts(name: str, at: Floats, values: Floats, load_seconds: float, now: float) -> Doubt | None:
    """Return why a sensor cannot be believed: it vanished, or it never moved under ten minutes of load."""
    known = np.flatnonzero(np.isfinite(values))
    if known.size == 0:
        return Doubt(name, 0.0, "gave no value at all")
    last = float(at[known[-1]])
    if now - last > 30.0:
        return Doubt(name, last, "vanished: no value from then on")
    if name in ("room", "power"):
        return None
    if load_seconds >= STUCK_SECONDS and float(np.ptp(values[known])) == 0.0:
        return Doubt(
            name, float(at[known[0]]), f"stood at {values[known[0]]:.1f} °C without moving: it looks stuck", still=True
        )
    fine = resolution_of(values[known])
    moved = known[np.flatnonzero(np.abs(np.diff(values[known])) > 1e-9) + 1]
    if moved.size > 20 and 0 < fine < 0.3 and last - float(at[moved[-1]]) >= STUCK_SECONDS / 2:
        return Doubt(
            name, float(at[moved[-1]]), f"stopped moving at {values[known[-1]]:.1f} °C: it looks stuck", still=True
        )
    return None


def time_above(at: Floats, seconds: Floats, temperature: Floats, limit: float) -> float:
    """Return for how many seconds a temperature was at or above a limit."""
    return float(np.sum(seconds[np.isfinite(temperature) & (temperature >= limit)]))
