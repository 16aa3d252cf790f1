"""Temperatures: where they settle, how fast, how far above the room, and whether a sensor can be believed.

A drive in a case is taken for two bodies (Newton's law of cooling for each): after a step of power its temperature is
    T(t) = T_end - a exp(-t / fast) - b exp(-t / slow)
T_end, a and b follow by least squares for given time constants; those are found on a grid and then refined.  The
interval of T_end is the linearised one of the five parameters, for the effective number of points: the residuals of a
sensor follow one another (G. V. Bayley, J. M. Hammersley, J. Royal Stat. Soc. Suppl. 8 (1946), 184-197).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy.special import fdtri, stdtrit

from ulterion.core.soak.trace import Floats

SHORTEST_FIT = 120.0  # seconds; below it no end can be told
FIT_POINTS = 400  # rows that a fit looks at; longer stretches are averaged down to it
FASTEST = 4.0  # seconds; least time constant
REACH = 1.0  # greatest time constant, in lengths of the stretch: beyond it the end is guessed, not seen
TIME_CONSTANTS = 14
ROUNDING = 0.3  # of the resolution, left after averaging: at rest a sensor may stand on one step for ever
NEAR_END = 1.0  # degrees from T_end that count as settled
SETTLED_WITHIN, SETTLED_OVER = 1.0, 120.0  # idle is settled when nothing moved by more than this over so many seconds
STUCK_SECONDS = 600.0  # seconds of load without any movement after which a sensor is doubted
LEVEL = 0.95


@dataclass(frozen=True)
class Settling:
    """Where a temperature goes under a constant load.

    Attributes:
        end: temperature it settles at; `low`, `high` its 95 % interval.
        time: seconds from the beginning of the load until it is within 1 C of the end and stays there, by the fit;
            None when that lies beyond what was seen.
        fast, slow: time constants, seconds.
        start: where the stretch that was fitted begins, seconds.
    """

    end: float
    low: float
    high: float
    time: float | None
    fast: float
    slow: float
    start: float

    @property
    def sure(self) -> bool:
        """Whether the end is known to within a degree; else the soak was too short to tell."""
        return (self.high - self.low) / 2 <= NEAR_END


def settle(at: Floats, temperature: Floats, start: float, load_start: float) -> Settling | None:
    """Fit where a temperature settles from `start` on (the load and its rate being constant from there).

    Rows without a value are left out.  None when the stretch is too short or has too few values.
    """
    keep = np.isfinite(temperature) & (at >= start)
    times, values = at[keep] - start, temperature[keep]
    if times.size < 20 or times[-1] - times[0] < SHORTEST_FIT:
        return None
    resolution = _resolution(values)
    times, values = _averaged(times, values)
    length = float(times[-1])
    fit = _chosen(times, values, length)
    half = _half_width(times, values, fit, resolution)
    reached = _time_to(fit, length)
    return Settling(
        fit.end,
        fit.end - half,
        fit.end + half,
        None if reached is None else reached + start - load_start,
        fit.fast,
        fit.slow,
        start,
    )


@dataclass(frozen=True)
class _Fit:
    """T(t) = end - a exp(-t / fast) - b exp(-t / slow)."""

    end: float
    a: float
    b: float
    fast: float
    slow: float

    def curve(self, times: Floats) -> Floats:
        return np.asarray(self.end - self.a * np.exp(-times / self.fast) - self.b * np.exp(-times / self.slow))

    def slopes(self, times: Floats) -> Floats:
        """Return the derivatives by end, a, b and the logs of the time constants, a column for each."""
        quick, late = np.exp(-times / self.fast), np.exp(-times / self.slow)
        by_fast = -self.a * quick * times / self.fast
        by_slow = -self.b * late * times / self.slow
        columns = [np.ones_like(times), -quick, by_fast]
        return np.stack(columns + ([-late, by_slow] if self.b else []), axis=1)


def _linear(times: Floats, values: Floats, fast: float, slow: float | None) -> tuple[float, _Fit]:
    """Return the best fit for given time constants (without `slow`, of one body), and its sum of squares."""
    columns = [np.ones_like(times), -np.exp(-times / fast)]
    if slow is not None:
        columns.append(-np.exp(-times / slow))
    weights, *_ = np.linalg.lstsq(np.stack(columns, axis=1), values, rcond=None)
    end, a, b = (float(x) for x in (*weights, 0.0)[:3])
    fit = _Fit(end, a, b, fast, slow if slow is not None else fast)
    residuals = values - fit.curve(times)
    return float(residuals @ residuals), fit


def _chosen(times: Floats, values: Floats, length: float) -> _Fit:
    """Return the fit of one body, or of two where they fit significantly better (F test, 1 %)."""
    grid = [float(g) for g in np.geomspace(FASTEST, max(length * REACH, 3 * FASTEST), TIME_CONSTANTS)]
    one_squares, one = min((_linear(times, values, t, None) for t in grid), key=lambda fit: fit[0])
    one_squares, one = _refined(times, values, [one.fast], length)
    pairs = [(fast, slow) for slow in grid for fast in grid if fast < 0.6 * slow]
    _, two = min((_linear(times, values, *pair) for pair in pairs), key=lambda fit: fit[0])
    two_squares, two = _refined(times, values, [two.fast, two.slow], length)
    count = max(_effective(values - one.curve(times)), 8.0)
    better = (one_squares - two_squares) / 2 > float(fdtri(2, count - 5, 0.99)) * two_squares / (count - 5)
    return two if better else one


def _refined(times: Floats, values: Floats, start: list[float], length: float) -> tuple[float, _Fit]:
    """Improve time constants by least squares on their logs, kept within what can be seen."""
    from scipy.optimize import least_squares

    low, high = math.log(FASTEST / 2), math.log(max(length * REACH, 3 * FASTEST) * 1.2)

    def fitted(logs: Floats) -> tuple[float, _Fit]:
        constants = [float(c) for c in np.exp(logs)]
        return _linear(times, values, constants[0], constants[1] if len(constants) > 1 else None)

    def residuals(logs: Floats) -> Floats:
        return np.asarray(values - fitted(logs)[1].curve(times))

    begin = np.clip(np.log(start), low + 1e-6, high - 1e-6)
    return fitted(least_squares(residuals, begin, bounds=(low, high), max_nfev=60).x)


def _half_width(times: Floats, values: Floats, fit: _Fit, resolution: float) -> float:
    """Return half the 95 % interval of the end (C): linearised, for residuals that follow one another.

    A sensor's rounding is no noise that more points would average away, so a part of its resolution is added.
    """
    residuals = values - fit.curve(times)
    count = _effective(residuals)
    variance = max(float(residuals @ residuals) / max(times.size - 5, 1), resolution**2 / 48)
    slopes = fit.slopes(times)
    scale = np.linalg.norm(slopes, axis=0)
    scale[scale == 0] = 1.0
    _, singular, rows = np.linalg.svd(slopes / scale, full_matrices=False)
    # directions that the data say nothing about add what little they can: time constants are bounded anyway
    known = singular > 1e-6 * singular[0]
    leverage = float(np.sum((rows[known, 0] / singular[known]) ** 2)) / scale[0] ** 2
    error = math.sqrt(variance * leverage * times.size / count)
    return float(stdtrit(max(count - 5, 2.0), 0.5 + LEVEL / 2)) * error + ROUNDING * resolution


def _averaged(times: Floats, values: Floats) -> tuple[Floats, Floats]:
    step = math.ceil(times.size / FIT_POINTS)
    starts = np.arange(0, times.size, step)
    counts = np.diff(np.append(starts, times.size))
    return np.add.reduceat(times, starts) / counts, np.add.reduceat(values, starts) / counts


def _effective(residuals: Floats) -> float:
    """Return how many independent points the residuals are worth (first-order autocorrelation)."""
    squares = float(residuals @ residuals)
    follow = float(residuals[1:] @ residuals[:-1]) / squares if squares > 0 else 0.0
    follow = min(max(follow, 0.0), 0.98)
    return residuals.size * (1 - follow) / (1 + follow)


def _resolution(values: Floats) -> float:
    """Return the smallest step a sensor made, 0 when it never moved."""
    steps = np.abs(np.diff(values))
    steps = steps[steps > 1e-6]
    return float(steps.min()) if steps.size else 0.0


def _time_to(fit: _Fit, length: float) -> float | None:
    """Return when the fitted curve is within 1 C of its end for good, or None when not within the stretch."""
    times = np.linspace(0.0, length, 2000)
    away = np.abs(fit.a * np.exp(-times / fit.fast) + fit.b * np.exp(-times / fit.slow))
    outside = np.flatnonzero(away > NEAR_END)
    if outside.size == 0:
        return 0.0
    return float(times[outside[-1] + 1]) if outside[-1] + 1 < times.size else None


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
    fine = _resolution(values[known])
    moved = known[np.flatnonzero(np.abs(np.diff(values[known])) > 1e-9) + 1]
    if moved.size > 20 and 0 < fine < 0.3 and last - float(at[moved[-1]]) >= STUCK_SECONDS / 2:
        return Doubt(
            name, float(at[moved[-1]]), f"stopped moving at {values[known[-1]]:.1f} C: it looks stuck", still=True
        )
    return None


def time_above(at: Floats, seconds: Floats, temperature: Floats, limit: float) -> float:
    """Return for how many seconds a temperature was at or above a limit."""
    return float(np.sum(seconds[np.isfinite(temperature) & (temperature >= limit)]))
