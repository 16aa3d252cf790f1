"""Student's t: its distribution function and quantiles, for any degrees of freedom above zero.

The distribution function is a regularized incomplete beta function (DLMF 8.17), worked out by its continued fraction
(DLMF 8.17.22, in the manner of Lentz); quantiles are found from it by Newton's method on logs, within a bracket.
Loading SciPy's special functions for these two takes longer than most answers do.
"""

from __future__ import annotations

import math
from functools import lru_cache

from ulterion.core.stats.beta import fraction

NORMAL_FROM = 3e7  # degrees of freedom from which on the normal distribution and two further terms are exact
SERIES_FROM = 10.0  # from which on the ratio of two gamma functions is taken from its series
MANY, NEAR_MIDDLE = 1e6, 6.0  # likewise, for values below the second
NEAR = 1e-7  # of a value, between two guesses of which the second is exact


def t_cdf(df: float, t: float) -> float:
    """Return the probability that Student's t with `df` degrees of freedom is at most `t`."""
    if math.isnan(t) or not df > 0:
        return math.nan
    tail = _upper_tail(df, abs(t))
    return tail if t < 0 else 1.0 - tail


@lru_cache(maxsize=4096)
def t_quantile(df: float, p: float) -> float:
    """Return the value that Student's t with `df` degrees of freedom stays below with probability `p`, above 0 and below 1."""
    if not (df > 0 and 0 < p < 1):
        return math.nan
    if p == 0.5:
        return 0.0
    tail = min(p, 1 - p)
    found = _tail_quantile(df, tail)
    return found if p > 0.5 else -found


def _upper_tail(df: float, t: float) -> float:
    """Return the probability of more than `t`, which is not below zero."""
    if df >= NORMAL_FROM or (df >= MANY and t < NEAR_MIDDLE):
        return _near_normal(df, t)
    if t == 0.0:
        return 0.5
    if math.isinf(t):
        return 0.0
    x, a = df / (df + t * t), df / 2
    front = math.exp(_log_front(df, t))
    if x < (a + 1) / (a + 2.5):
        return front * fraction(x, a, 0.5) / (2 * a)
    return 0.5 - front * fraction(t * t / (df + t * t), 0.5, a)


def _near_normal(df: float, t: float) -> float:
    """Return the probability of more than `t` for very many degrees of freedom (R. A. Fisher, Metron 5 (1925), 109-112)."""
    density = math.exp(-t * t / 2) / math.sqrt(2 * math.pi)
    one, two = (t**3 + t) / 4, t * (3 * t**6 - 7 * t**4 - 5 * t**2 - 3) / 96
    return math.erfc(t / math.sqrt(2)) / 2 + density * (one + two / df) / df


def _log_front(df: float, t: float) -> float:
    """Return the log of x^a (1-x)^b / B(a, b) for a = df/2, b = 1/2 and x = df / (df + t²)."""
    a, square = df / 2, t / math.sqrt(df)
    one_more = math.log1p(square * square) if square < 1e100 else 2 * math.log(square)
    rest = math.log(t) - 0.5 * (math.log(df) + one_more)  # half the log of 1 - x
    return -a * one_more + rest + _log_gamma_ratio(a) - 0.5 * math.log(math.pi)


def _log_gamma_ratio(a: float) -> float:
    """Return the log of Γ(a + 1/2) / Γ(a); from its series where the difference of the two logs would lose digits."""
    if a < SERIES_FROM:
        return math.lgamma(a + 0.5) - math.lgamma(a)
    b = 1 / (a * a)
    return 0.5 * math.log(a) - (1 / 8 - b * (1 / 192 - b * (1 / 640 - b * (17 / 14336 - b * 31 / 18432)))) / a


def _tail_quantile(df: float, tail: float) -> float:
    """Return the t above which lies so much, below a half."""
    low, high, t, wanted = 0.0, math.inf, _first_guess(df, tail), math.log(tail)
    for _ in range(400):
        mine = _upper_tail(df, t)
        if mine > tail:
            low = t
        else:
            high = t
        step = _newton(df, t, mine, wanted)
        if step is not None and abs(step - t) <= NEAR * t:  # it doubles the digits: the next would change nothing
            return step
        if step is None or not low < step < high:
            step = math.sqrt(low * high) if low > 0 and not math.isinf(high) else low * 8 or high / 8
        t = step
    return t


def _first_guess(df: float, tail: float) -> float:
    """Return a value near a quantile, within 0.3% where df is 3 or more (G. W. Hill, Communications of the ACM 13 (1970), Algorithm 396)."""
    if df < 1:
        return 0.1
    if df < 3:  # exact for one and two degrees of freedom
        return (
            1 / math.tan(math.pi * tail) if df < 1.5 else math.sqrt(2 / (4 * tail * (1 - tail)) * (1 - 2 * tail) ** 2)
        )
    a = 1 / (df - 0.5)
    b = 48 / (a * a)
    c = ((20700 * a / b - 98) * a - 16) * a + 96.36
    d = ((94.5 / (b + c) - 3) / b + 1) * math.sqrt(a * math.pi / 2) * df
    y = (2 * d * tail) ** (2 / df)
    if y <= 0.05 + a:  # far out
        inner = 1 / (((df + 6) / (df * y) - 0.089 * d - 0.822) * (df + 2) * 3) + 0.5 / (df + 4)
        return math.sqrt(df * ((inner * y - 1) * (df + 1) / (df + 2) + 1 / y))
    x = _normal_guess(tail)
    y = x * x
    if df < 5:
        c += 0.3 * (df - 4.5) * (x - 0.6)
    c = (((0.05 * d * -x - 5) * -x - 7) * -x - 2) * -x + b + c
    y = -x * (((((0.4 * y + 6.3) * y + 36) * y + 94.5) / c - y - 3) / b + 1)
    return math.sqrt(df * math.expm1(a * y * y))


def _normal_guess(tail: float) -> float:
    """Return the normal quantile above which lies so much, to three digits (Abramowitz and Stegun, 26.2.23)."""
    w = math.sqrt(-2 * math.log(tail))
    return w - (2.515517 + w * (0.802853 + w * 0.010328)) / (1 + w * (1.432788 + w * (0.189269 + w * 0.001308)))


def _newton(df: float, t: float, mine: float, wanted: float) -> float | None:
    """Return the next guess: Newton's step for the log of the tail, along the log of t where the tail is heavy; None where it cannot be taken."""
    if mine <= 0 or math.isinf(t):
        return None
    density = (
        math.exp(_log_front(df, t) - math.log(t)) if df < NORMAL_FROM else math.exp(-t * t / 2) / math.sqrt(2 * math.pi)
    )
    if mine > 0.1:
        return t + (mine - math.exp(wanted)) / density
    change = (math.log(mine) - wanted) * mine / (t * density)
    return t * math.exp(max(-3.0, min(change, 3.0)))
