"""Estimates of a rate from repeated passes and runs, and what two of them say about each other.

Rates vary in proportion, so everything is done on their natural logarithms: the estimate is the geometric mean, its
interval Student's t on the logs, and two estimates are compared by the ratio with Welch's interval on the logs, at the level that
makes it hold for any two spreads (`core/stats/spreads.py`).  Several runs are a sample of runs (`core/stats/samples.py`).
Sources: B. L. Welch, "The generalization of 'Student's' problem", Biometrika 34 (1947), 28-35, with the degrees of
freedom of F. E. Satterthwaite, Biometrics Bulletin 2 (1946), 110-114; S. Holm, "A simple sequentially rejective
multiple test procedure", Scandinavian Journal of Statistics 6 (1979), 65-70.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import field
from functools import lru_cache

from ulterion.core.errors import UsageError
from ulterion.core.records import dataclass
from ulterion.core.stats.samples import ByHand, Looked, Rates, Runs, Sample, as_runs, sample_of, scaled
from ulterion.core.stats.spreads import exact_p, welch_p
from ulterion.core.stats.student import t_cdf, t_quantile

LEVEL = 0.95  # coverage of every interval shown
FEWEST = 3  # passes below which no interval is given: two leave one degree of freedom, an interval of no use
WIDEST = 300.0  # as a log: what an interval that says nothing ends at; numbers do at e to the 709


@dataclass(frozen=True)
class Estimate:
    """What the passes of one workload on one setup say.

    Attributes:
        passes: number of passes.
        rate: geometric mean, in the unit of the passes' rates.
        low, high: 95% interval of the true rate, or None with fewer than three passes.
        spread: standard deviation of the logs of a pass, or of a run where there are several; None for one pass.
        why: why there is no interval, or None.
        runs: number of runs.
        drift: log of what the passes rise by from the first to the last, 0 where none shows.
    """

    passes: int
    rate: float
    low: float | None
    high: float | None
    spread: float | None
    why: str | None = None
    runs: int = 1
    drift: float = 0.0

    @property
    def margin(self) -> float | None:
        """Half the interval's width relative to the rate (0.01 for ±1%), None without an interval."""
        if self.low is None or self.high is None:
            return None
        return math.sqrt(self.high / self.low) - 1.0


@dataclass(frozen=True)
class _Known:
    """Runs as the key of what is known of them: their values, and what `Looked` and `ByHand` know besides."""

    key: tuple[object, ...]
    runs: Sequence[Sequence[float]] = field(compare=False)


def _sample(rates: Rates) -> Sample:
    runs = as_runs(rates)
    key = tuple((type(r), tuple(r), *(vars(r).items() if isinstance(r, Looked | ByHand) else ())) for r in runs)
    return _sample_of(_Known(key, runs))


@lru_cache(maxsize=4096)  # a comparison looks at each sample dozens of times
def _sample_of(known: _Known) -> Sample:
    runs = known.runs
    if not runs or any(not (r > 0 and math.isfinite(r)) for run in runs for r in run):
        raise UsageError("an estimate needs at least one pass, and every pass a rate above zero")
    return sample_of(scaled(runs, math.log))


def estimate(rates: Rates) -> Estimate:
    """Estimate the true rate from the rates of the passes (each above zero; at least one), of one run or of several."""
    one = _sample(rates)
    rate = math.exp(one.mean)
    if one.assumed and one.variance is not None:
        half = _t_quantile(one.df) * math.sqrt(one.variance)
        low, high = _bound(one.mean - half), _bound(one.mean + half)
        return Estimate(passes=one.passes, rate=rate, low=low, high=high, spread=one.spread, why=_few_words(one.passes))
    if one.passes < FEWEST or one.variance is None:
        why = f"{one.passes} pass{'es' if one.passes > 1 else ''}: too few for an interval (at least {FEWEST})"
        return Estimate(passes=one.passes, rate=rate, low=None, high=None, spread=one.spread, why=why, runs=one.runs)
    half = _t_quantile(one.df) * math.sqrt(one.variance) + abs(one.drift) / 2
    low, high = _bound(one.mean - half), _bound(one.mean + half)
    return Estimate(
        passes=one.passes, rate=rate, low=low, high=high, spread=one.spread, why=None, runs=one.runs, drift=one.drift
    )


def _few_words(timings: int) -> str:
    """Say on how few timings by hand something rests."""
    return "one timing" if timings == 1 else "two timings"


def _bound(log: float) -> float:
    """Return an end of an interval of logs as a rate or ratio: above nothing and below all numbers, however little is known."""
    return math.exp(max(-WIDEST, min(log, WIDEST)))


def _t_quantile(df: float, level: float = LEVEL) -> float:
    return t_quantile(df, 0.5 + level / 2)


@dataclass(frozen=True)
class Difference:
    """A difference of two means, with its interval at the level asked for and the p-value of 'there is none'."""

    value: float
    low: float
    high: float
    p: float


def difference(a: Runs, b: Runs, level: float = LEVEL) -> Difference:
    """Return the mean of `a` less that of `b` with Welch's interval; two values, or runs, at least on one side, and on both if each is one run."""
    return _apart(sample_of(a), sample_of(b), level)


def _apart(a: Sample, b: Sample, level: float) -> Difference:
    """Return the difference of two means.

    Where one side is a single run, what varies between runs is taken from the other, and the two variances are then one.
    """
    value, drift = a.mean - b.mean, (abs(a.drift) + abs(b.drift)) / 2
    shared = (a.runs == 1) != (b.runs == 1) and not (a.assumed or b.assumed)
    va, vb = (_borrowed(a, b), _borrowed(b, a)) if shared else (a.variance or 0.0, b.variance or 0.0)
    error = math.sqrt(va + vb)
    if error == 0.0:  # equal to the last digit on both sides: exact as far as can be told
        return Difference(value, value - drift, value + drift, 1.0 if value == 0 else 0.0)
    if a.assumed or b.assumed:  # what timings vary by is taken so, and no better known than that
        df = float(min(s.df for s in (a, b) if s.assumed))
        p = 2 * t_cdf(df, -abs(value) / error)
        half = _t_quantile(df, level) * error
    elif shared:
        df = float(max(a, b, key=lambda s: s.runs).df)
        p = 2 * t_cdf(df, -abs(value) / error)
        half = _t_quantile(df, level) * error
    else:
        df = (va + vb) ** 2 / (va**2 / a.df + vb**2 / b.df)
        p = exact_p(2 * t_cdf(df, -abs(value) / error), round(a.df), round(b.df))
        half = _t_quantile(df, 1 - welch_p(1 - level, round(a.df), round(b.df))) * error
    return Difference(value, value - half - drift, value + half + drift, p)


def _borrowed(one: Sample, other: Sample) -> float:
    """Return the variance of a mean; that of a single run is at least what the other side's runs vary by."""
    own = one.variance or 0.0
    return own if one.runs > 1 else max(own, (other.variance or 0.0) * other.units)


@dataclass(frozen=True)
class Ratio:
    """One estimate over another.

    Attributes:
        value: ratio of the geometric means.
        low, high: 95% interval (or of the level asked for), or None when either side has too few passes.
        p: two-sided p-value of 'the true ratio is 1' (Welch's t on the logs, at worst over all spreads), or None.
        spread: pooled standard deviation of the logs of one pass, or run, None when it cannot be had.
        units: the smaller number of passes of the two sides; of runs where `by_runs`.
        why: why there is no interval, or None.
        by_runs: whether it rests on what varies between runs.
    """

    value: float
    low: float | None
    high: float | None
    p: float | None
    spread: float | None
    units: int
    why: str | None = None
    by_runs: bool = False


def ratio(a: Rates, b: Rates, level: float = LEVEL) -> Ratio:
    """Compare the rates of the passes `a` with those of `b`: how many times as fast `a` is, with its interval at a level."""
    left, right = _sample(a), _sample(b)
    value, by_runs = math.exp(left.mean - right.mean), max(left.runs, right.runs) > 1
    fewest = min(left.runs, right.runs) if by_runs else min(left.units, right.units)
    if any(s.passes < FEWEST and not s.assumed for s in (left, right)):
        why = f"needs at least {FEWEST} passes on both sides"
        return Ratio(
            value=value, low=None, high=None, p=None, spread=None, units=min(left.passes, right.passes), why=why
        )
    apart = _apart(left, right, level)
    spreads = [s.spread or 0.0 for s in (left, right) if (s.runs > 1) == by_runs]
    pooled = math.sqrt(sum(s**2 for s in spreads) / len(spreads))
    return Ratio(
        value=value,
        low=_bound(apart.low),
        high=_bound(apart.high),
        p=apart.p,
        spread=pooled,
        units=fewest,
        why=None,
        by_runs=by_runs,
    )


def holm(p_values: Sequence[float]) -> list[float]:
    """Return Holm's adjusted p-values, in the order given (Holm 1979; each at most 1)."""
    order = sorted(range(len(p_values)), key=lambda i: p_values[i])
    adjusted, running = [0.0] * len(p_values), 0.0
    for rank, index in enumerate(order):
        running = max(running, min(1.0, (len(p_values) - rank) * p_values[index]))
        adjusted[index] = running
    return adjusted


def half_width(spread: float, units: int, level: float = LEVEL) -> float:
    """Return the half width, on the log scale, of Welch's interval of a ratio with `units` passes, or runs, on each side.

    `spread` is the pooled standard deviation of the logs of one of them.
    """
    return _t_quantile(2 * units - 2, level) * spread * math.sqrt(2 / units)
