"""Temperatures: where they settle, how fast, how far above the room, and whether a sensor can be believed.

Heat follows from what a drive does in every second: each body it passes through on its way to the room lags behind by a time constant
of its own (Newton's law of cooling), so a temperature is a sum of the load and of the rate, each seen through such lags,
    T(t) = T(0) + sum over lags k of  a_k (load on, lagged by k) + b_k (rate, lagged by k),        a_k, b_k >= 0,
fitted to the load, T(0) being what it was at rest before it (C. L. Lawson, R. J. Hanson, Solving Least Squares Problems, 1974, chapter
23, for weights that cannot be negative).  Where it ends is that sum at the last rate for ever.  How slow the slowest body is decides
that, and is known least: the fit is made for many slowest lags (`REACH`, `HEAVIEST`), and every one that fits about as well as the best
(`WORSE`, `ROUGH`, `LEAST`) has its end in the interval.  How much worse still counts, `DOUBT` and `SHORT` follow from no formula: they were set
so that the interval holds the truth in 95 % of random drives, and benchmarks/rough.py and benchmarks/soaks.py count how often it does.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy.linalg.lapack import dtbtrs  # solves a triangular band: the recursion of a lag, without a loop
from scipy.optimize import nnls

from ulterion.core.soak.trace import Floats

SHORTEST_FIT = 120.0  # seconds of load; below it no end can be told
FIT_POINTS = 500  # rows that a fit looks at; longer stretches are averaged down to it
FASTEST, LAGS = 5.0, 12  # seconds of the least lag, and how many there are up to the slowest
REACH = 2.5  # the slowest lag that is tried, in lengths of the load,
HEAVIEST = 2400.0  # or in seconds, whichever is more
SLOWEST = 36  # how many are tried up to it
WORSE = 1.25  # sums of squares, in those of the best fit, up to which another is as good
ROUGH = 0.12  # of the resolution, that the root of the mean square may be greater besides,
LEAST = 0.03  # degrees, or by this where that is more: no body is exactly a sum of lags
DOUBT = 0.15  # of the way still to go, for bodies that are more than lags in a row
LEAST_HALF = 0.8  # degrees that no end is known better than, half the interval: rooms and coolers are no constants
SHORT = 1.0  # of the rise so far, that a body may still add which has hardly begun,
LONG = 900.0  # less with every second of load, and nothing after so many
ROUNDING = 0.5  # of the resolution: which way a sensor rounds is not known, and no averaging tells
LEAST_SEEN = 600.0  # seconds of load without which no temperature is called settled: a slow body can hide behind a fast one that cools
NEAR_END = 1.0  # degrees from the end that count as settled
REST_SECONDS = 30.0  # before the load, that its temperature at rest is the mean of
LAST_SECONDS = 60.0  # of the load: its rate goes on for ever, and its temperature must be near the end to be settled
SETTLED_WITHIN, SETTLED_OVER = 1.0, 120.0  # idle is settled when nothing moved by more than this over so many seconds
STUCK_SECONDS = 600.0  # seconds of load without any movement after which a sensor is doubted


@dataclass(frozen=True)
class Settling:
    """Where a temperature goes under a constant load.

    Attributes:
        end: temperature it settles at; `low`, `high` its 95 % interval.
        time: seconds from the beginning of the load until it is within 1 C of the end and stays there, by the fit;
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
        return (
            self.seen >= LEAST_SEEN and (self.high - self.low) / 2 <= NEAR_END and abs(self.end - self.now) <= NEAR_END
        )


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
    """Fit where a temperature settles if the load goes on as in its last minute; None when it is too short, or hardly read."""
    load = course.at >= course.load_start
    seconds = float(load.sum()) * course.length
    known = np.isfinite(course.temperature)
    last = course.at >= course.at[-1] + course.length - LAST_SECONDS
    if seconds < SHORTEST_FIT or (known & load).sum() < 20 or not (known & last).any():
        return None
    fits = [
        _fit(course, load, last, float(tau))
        for tau in np.geomspace(4 * FASTEST, max(REACH * seconds, HEAVIEST), SLOWEST)
    ]
    resolution = resolution_of(course.temperature[known])
    best = min(fits, key=lambda fit: fit.squares)
    now = float(np.nanmean(course.temperature[last]))
    allowed = WORSE * best.squares + max(ROUGH * resolution, LEAST) ** 2 * best.residuals.size
    ends = [fit.end for fit in fits if fit.squares <= allowed]
    end = float(np.median(ends))  # those that fit as well are as good: the middle one, not the luckiest
    scatter = math.sqrt(best.squares / best.residuals.size)
    half = max(scatter / 2 + ROUNDING * resolution + DOUBT * abs(end - now), LEAST_HALF)
    hidden = SHORT * max(0.0, now - course.begin) * max(0.0, 1 - seconds / LONG)
    away = np.flatnonzero((np.abs(best.curve - end) > NEAR_END) & load)
    time = 0.0 if not away.size else float(course.at[away[-1]] + course.length - course.load_start)
    return Settling(
        end,
        min(ends) - half,
        max(ends) + half + hidden,
        time if time < seconds else None,
        best.fast,
        best.slow,
        now,
        seconds,
    )


@dataclass(frozen=True)
class _Fit:
    """The best sum for a slowest lag."""

    squares: float
    end: float
    fast: float
    slow: float
    residuals: Floats
    curve: Floats


def _fit(course: Course, load: np.ndarray, last: np.ndarray, slowest: float) -> _Fit:
    """Fit the weights of all lags up to the slowest."""
    on = load.astype(np.float64)
    final = max(float(np.mean(course.rate[last])), 1.0)
    taus = np.geomspace(FASTEST, slowest, LAGS)
    causes = np.column_stack([on, course.rate * on / final])
    columns = np.hstack([_lagged(causes, tau, course.length) for tau in taus])
    begin = course.begin
    kept = np.isfinite(course.temperature) & load
    seen, values = _averaged(columns[kept], course.temperature[kept] - begin)
    weights, _ = nnls(seen, values)
    residuals = values - seen @ weights
    lags = weights.reshape(LAGS, 2).sum(axis=1)
    used = taus[lags > 0.02 * max(float(lags.max()), 1e-9)]
    fast, slow = (float(used[0]), float(used[-1])) if used.size else (FASTEST, FASTEST)
    curve = np.asarray(columns @ weights) + begin
    return _Fit(float(residuals @ residuals), begin + float(lags.sum()), fast, slow, residuals, curve)


def _lagged(causes: Floats, tau: float, length: float) -> Floats:
    """Return causes, one a column, as a body sees them that lags behind by a time constant, in seconds: y[n] = k y[n-1] + (1 - k) x[n]."""
    keep = math.exp(-length / tau)
    band = np.array([[1.0], [-keep]]).repeat(causes.shape[0], axis=1)
    lagged, _ = dtbtrs(band, (1 - keep) * causes, uplo="L")
    return np.asarray(lagged)


def _averaged(columns: Floats, values: Floats) -> tuple[Floats, Floats]:
    step = math.ceil(values.size / FIT_POINTS)
    starts = np.arange(0, values.size, step)
    counts = np.diff(np.append(starts, values.size))
    return np.add.reduceat(columns, starts, axis=0) / counts[:, None], np.add.reduceat(values, starts) / counts


def resolution_of(values: Floats) -> float:
    """Return the smallest step a sensor made, 0 when it never moved."""
    steps = np.abs(np.diff(values))
    steps = steps[steps > 1e-6]
    return float(steps.min()) if steps.size else 0.0


def is_settled(at: Floats, temperature: Floats, now: float) -> bool:
    """Return whether a temperature has moved by at most 1 C over the last two minutes before `now`, fully observed.

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
            name, float(at[known[0]]), f"stood at {values[known[0]]:.1f} C without moving: it looks stuck", still=True
        )
    fine = resolution_of(values[known])
    moved = known[np.flatnonzero(np.abs(np.diff(values[known])) > 1e-9) + 1]
    if moved.size > 20 and 0 < fine < 0.3 and last - float(at[moved[-1]]) >= STUCK_SECONDS / 2:
        return Doubt(
            name, float(at[moved[-1]]), f"stopped moving at {values[known[-1]]:.1f} C: it looks stuck", still=True
        )
    return None


def time_above(at: Floats, seconds: Floats, temperature: Floats, limit: float) -> float:
    """Return for how many seconds a temperature was at or above a limit."""
    return float(np.sum(seconds[np.isfinite(temperature) & (temperature >= limit)]))
