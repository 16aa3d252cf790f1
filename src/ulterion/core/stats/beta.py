"""The beta distribution and its kin: distribution functions and quantiles, by the continued fraction of the incomplete beta function (DLMF 8.17.22).

Loading SciPy's special functions for these takes longer than most answers do.
"""

from __future__ import annotations

import math

TINY = 1e-300
STEPS = 200_000
ENOUGH = 1e-9  # relative change of a quantile below which it is found; the step that shows it is far nearer
TRIES = 200
BOTH_LARGE, ONE_LARGE = 30.0, 1e4  # parameters from which on Stirling's series has all digits


def fraction(x: float, a: float, b: float) -> float:
    """Return the continued fraction of the incomplete beta function (DLMF 8.17.22); it converges fast where x < (a + 1) / (a + b + 2)."""
    c, d = 1.0, 1 - (a + b) * x / (a + 1)
    d = 1 / (d if abs(d) > TINY else TINY)
    found = d
    for m in range(1, STEPS):
        even = a + 2 * m
        term = m * (b - m) * x / ((even - 1) * even)
        d, c = 1 + term * d or TINY, 1 + term / c or TINY
        d = 1 / d
        found *= d * c
        term = -(a + m) * (a + b + m) * x / (even * (even + 1))
        d, c = 1 + term * d or TINY, 1 + term / c or TINY
        d = 1 / d
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


def f_tail(over: float, under: float, f: float) -> float:
    """Return the probability that Fisher's F with `over` and `under` degrees of freedom is more than `f` (DLMF 8.17, Abramowitz and Stegun 26.6.2)."""
    return 1.0 if f <= 0 else beta_cdf(under / 2, over / 2, under / (under + over * f))


def chi_square_tail(df: float, x: float) -> float:
    """Return the probability that a chi-square variable is more than `x`: a regularized incomplete gamma function, by its series
    (DLMF 8.7.1) below the middle and its continued fraction (DLMF 8.9.2) above.
    """
    a, z = df / 2, x / 2
    if z <= 0:
        return 1.0
    front = math.exp(a * math.log(z) - z - math.lgamma(a))
    if z < a + 1:
        term = total = 1 / a
        while term > total * 1e-17:
            a += 1
            term *= z / a
            total += term
        return 1 - front * total
    c, b = 1 / TINY, z + 1 - a
    found = d = 1 / b
    for n in range(1, STEPS):
        b += 2
        d = 1 / (b - n * (n - a) * d)
        c = b - n * (n - a) / c
        found *= c * d
        if abs(c * d - 1) < 1e-16:
            break
    return front * found


def _log_front(a: float, b: float, x: float) -> float:
    """Return the log of x^a (1-x)^b / B(a, b); where the gamma functions are large, by Stirling's series (DLMF 5.11.1), so that no digits cancel."""
    if min(a, b) >= BOTH_LARGE:
        mean = a / (a + b)
        away = a * math.log1p((x - mean) / mean) + b * math.log1p((mean - x) / (1 - mean))
        return away + 0.5 * math.log(a * b / (2 * math.pi * (a + b))) - _stirling(a) - _stirling(b) + _stirling(a + b)
    small, large = min(a, b), max(a, b)
    if large < ONE_LARGE:
        grown = math.lgamma(a + b) - math.lgamma(large)
    else:  # the log of a ratio of gamma functions
        grown = (large - 0.5) * math.log1p(small / large) + small * math.log(a + b) - small
        grown += _stirling(a + b) - _stirling(large)
    return a * math.log(x) + b * math.log1p(-x) + grown - math.lgamma(small)


def _stirling(a: float) -> float:
    """Return what Stirling's series adds to the log of a large gamma function."""
    return (1 - 1 / (30 * a * a)) / (12 * a)
