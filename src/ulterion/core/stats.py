"""Estimates of a rate from repeated passes, and what two of them say about each other.

Rates vary in proportion, so everything is done on their natural logarithms: the estimate is the geometric mean, its
interval Student's t on the logs, and two estimates are compared by the ratio with Welch's interval on the logs.
Sources: B. L. Welch, "The generalization of 'Student's' problem", Biometrika 34 (1947), 28-35, with the degrees of
freedom of F. E. Satterthwaite, Biometrics Bulletin 2 (1946), 110-114; S. Holm, "A simple sequentially rejective
multiple test procedure", Scandinavian Journal of Statistics 6 (1979), 65-70.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from scipy.special import stdtr, stdtrit  # Student's t: its distribution function and quantiles

from ulterion.core.errors import UsageError

LEVEL = 0.95  # coverage of every interval shown
FEWEST = 3  # passes below which no interval is given: two leave one degree of freedom, an interval of no use


@dataclass(frozen=True)
class Estimate:
    """What the passes of one workload on one hookup say.

    Attributes:
        passes: number of passes.
        rate: geometric mean, in the unit of the passes' rates.
        low, high: 95 % interval of the true rate, or None with fewer than three passes.
        spread: standard deviation of the logs (about the relative spread of one pass), None for one pass.
        why: why there is no interval, or None.
    """

    passes: int
    rate: float
    low: float | None
    high: float | None
    spread: float | None
    why: str | None = None

    @property
    def margin(self) -> float | None:
        """Half the interval's width relative to the rate (0.01 for ±1 %), None without an interval."""
        if self.low is None or self.high is None:
            return None
        return math.sqrt(self.high / self.low) - 1.0


def _mean_and_sd(logs: Sequence[float]) -> tuple[float, float]:
    mean = math.fsum(logs) / len(logs)
    squares = math.fsum((x - mean) ** 2 for x in logs)
    return mean, math.sqrt(squares / (len(logs) - 1)) if len(logs) > 1 else 0.0


def estimate(rates: Sequence[float]) -> Estimate:
    """Estimate the true rate from the rates of the passes (each above zero; at least one)."""
    if not rates or any(not (r > 0 and math.isfinite(r)) for r in rates):
        raise UsageError("an estimate needs at least one pass, and every pass a rate above zero")
    n = len(rates)
    mean, sd = _mean_and_sd([math.log(r) for r in rates])
    if n < FEWEST:
        why = f"{n} pass{'es' if n > 1 else ''}: too few for an interval (at least {FEWEST})"
        return Estimate(n, math.exp(mean), None, None, sd if n > 1 else None, why)
    half = _t_quantile(n - 1) * sd / math.sqrt(n)
    return Estimate(n, math.exp(mean), math.exp(mean - half), math.exp(mean + half), sd)


def _t_quantile(df: float, level: float = LEVEL) -> float:
    return float(stdtrit(df, 0.5 + level / 2))


@dataclass(frozen=True)
class Difference:
    """A difference of two means, with its interval at the level asked for and the p-value of 'there is none'."""

    value: float
    low: float
    high: float
    p: float


def difference(a: Sequence[float], b: Sequence[float], level: float = LEVEL) -> Difference:
    """Return the mean of `a` less that of `b` with Welch's interval; two values at least on each side."""
    (mean_a, sd_a), (mean_b, sd_b) = _mean_and_sd(a), _mean_and_sd(b)
    value, va, vb = mean_a - mean_b, sd_a**2 / len(a), sd_b**2 / len(b)
    error = math.sqrt(va + vb)
    if error == 0.0:  # equal to the last digit on both sides: exact as far as can be told
        return Difference(value, value, value, 1.0 if value == 0 else 0.0)
    df = (va + vb) ** 2 / (va**2 / (len(a) - 1) + vb**2 / (len(b) - 1))
    half = _t_quantile(df, level) * error
    return Difference(value, value - half, value + half, 2 * float(stdtr(df, -abs(value) / error)))


@dataclass(frozen=True)
class Ratio:
    """One estimate over another.

    Attributes:
        value: ratio of the geometric means.
        low, high: 95 % interval (or of the level asked for), or None when either side has too few passes.
        p: two-sided p-value of 'the true ratio is 1' (Welch's t on the logs), or None.
        spread: pooled standard deviation of the logs of one pass, None when it cannot be had.
        passes: the smaller number of passes of the two sides.
        why: why there is no interval, or None.
    """

    value: float
    low: float | None
    high: float | None
    p: float | None
    spread: float | None
    passes: int
    why: str | None = None


def ratio(a: Sequence[float], b: Sequence[float], level: float = LEVEL) -> Ratio:
    """Compare the rates of the passes `a` with those of `b`: how many times as fast `a` is, with its interval at a level."""
    left, right = estimate(a), estimate(b)
    value, fewest = left.rate / right.rate, min(len(a), len(b))
    if fewest < FEWEST:
        return Ratio(value, None, None, None, None, fewest, f"needs at least {FEWEST} passes on both sides")
    apart = difference([math.log(r) for r in a], [math.log(r) for r in b], level)
    pooled = math.sqrt(((left.spread or 0.0) ** 2 + (right.spread or 0.0) ** 2) / 2)
    return Ratio(value, math.exp(apart.low), math.exp(apart.high), apart.p, pooled, fewest)


def holm(p_values: Sequence[float]) -> list[float]:
    """Return Holm's adjusted p-values, in the order given (Holm 1979; each at most 1)."""
    order = sorted(range(len(p_values)), key=lambda i: p_values[i])
    adjusted, running = [0.0] * len(p_values), 0.0
    for rank, index in enumerate(order):
        running = max(running, min(1.0, (len(p_values) - rank) * p_values[index]))
        adjusted[index] = running
    return adjusted


def half_width(spread: float, passes: int, level: float = LEVEL) -> float:
    """Return the half width, on the log scale, of the interval of a ratio with `passes` on each side.

    `spread` is the pooled standard deviation of the logs of one pass.
    """
    return _t_quantile(2 * passes - 2, level) * spread * math.sqrt(2 / passes)
