"""The beta distribution: its distribution function and quantiles, by the continued fraction of the incomplete beta function (DLMF 8.17.22).

Loading SciPy's special functions for these takes longer than most answers do.
"""

from __future__ import annotations

import math

TINY = 1e-300
STEPS = 200_000
ENOUGH = 1e-9  # relative change of a quantile below which it is found; the step that shows it is far nearer
TRIES = 200


def fraction(x: float, a: float, b: float) -> float:
    """Return the continued fraction of the incomplete beta function (DLMF 8.17.22); it converges fast where x < (a + 1) / (a + b + 2)."""
    c, d = 1.0, 1 - (a + b) * x / (a + 1)
    d = 1 / (d if abs(d) > TINY else TINY)
    found = d
    for m in range(1, STEPS):
        for term in (
            m * (b - m) * x / ((a + 2 * m - 1) * (a + 2 * m)),
            -(a + m) * (a + b + m) * x / ((a + 2 * m) * (a + 2 * m + 1)),
        ):
            d, c = 1 + term * d, 1 + term / c
            d = 1 / (d if abs(d) > TINY else TINY)
            c = c if abs(c) > TINY else TINY
            found *= d * c
        if abs(d * c - 1) < 1e-16:
            break
    return found


def beta_cdf(a: float, b: float, x: float) -> float:
    """Return the probability that a beta variable with parameters above zero is at most `x`, from 0 to 1."""
    if x <= 0.0 or x >= 1.0:
        return 0.0 if x <= 0.0 else 1.0
    front = math.exp(_log_front(a, b, x))
    if x < (a + 1) / (a + b + 2):
        return front * fraction(x, a, b) / a
    return 1.0 - front * fraction(1 - x, b, a) / b


def beta_quantile(a: float, b: float, p: float) -> float:
    """Return the value that a beta variable stays below with probability `p`, above 0 and below 1: Newton's method within a bracket."""
    low, high, x = 0.0, 1.0, a / (a + b)
    for _ in range(TRIES):
        off = beta_cdf(a, b, x) - p
        low, high = (low, x) if off > 0 else (x, high)
        slope = math.exp(_log_front(a, b, x)) / (x * (1 - x))
        step = x - off / slope if slope > 0 else math.nan
        if not low < step < high:
            step = math.sqrt(low * high) if low > 0 else high / 4
        if abs(step - x) <= ENOUGH * step:
            return step
        x = step
    return x


def _log_front(a: float, b: float, x: float) -> float:
    """Return the log of x^a (1-x)^b / B(a, b)."""
    return a * math.log(x) + b * math.log1p(-x) + math.lgamma(a + b) - math.lgamma(a) - math.lgamma(b)
