"""What unequal spreads do to Welch's test of two means, and what is done about it.

Welch's test takes its degrees of freedom from the very spreads it is unsure of.  With few values a side, and at the small p-values that
many comparisons together ask for, it finds too much: with three passes a side, 0.001 is reached four times too often at worst.  How
often it is reached is known for every ratio of the true spreads: given the ratio of the spreads found, the difference over its error
follows Student's t with the degrees of freedom of both sides together, but for a factor (B. L. Welch, Biometrika 34 (1947), 28-35).  So a
p-value here is the greatest share of null comparisons, over all ratios of true spreads, in which Welch's test gives as low a value.
"""

from __future__ import annotations

import math
import pkgutil
import sys
from array import array
from bisect import bisect_left
from collections.abc import Sequence
from functools import cache, lru_cache

from ulterion.core.stats.lines import between

FILE = "welch.f4"  # the kept table: for each of `pairs()` the logs of how often the p-values of `nodes()` are reached at worst
MANY = 40  # degrees of freedom on both sides from which on Welch's value is used as it is
MIN_P, NODES = 1e-12, 24  # p-values the table is made for: the least, and how many up to 1
LARGER = (*range(1, MANY + 1), 50, 70, 120, 300, 2000)  # degrees of freedom of the other side that have rows
"""Between them 1/df is followed; beyond them nothing changes."""


def exact_p(p: float, df_a: int, df_b: int) -> float:
    """Return how often two equal means give a value of Welch's test as low as `p`, at worst, by each side's degrees of freedom."""
    if p <= 0.0 or min(df_a, df_b) >= MANY:
        return max(p, 0.0)
    logs, worst = _table(*sorted((df_a, df_b)))
    more = [w - log for w, log in zip(worst, logs, strict=True)]
    return min(1.0, p * math.exp(between(math.log(p), logs, more)))


def welch_p(p: float, df_a: int, df_b: int) -> float:
    """Return the value of Welch's test that two equal means fall below with probability `p` at worst: `exact_p` backwards."""
    if min(df_a, df_b) >= MANY:
        return p
    logs, worst = _table(*sorted((df_a, df_b)))
    return min(p, math.exp(between(math.log(p), worst, logs)))


def pairs() -> list[tuple[int, int]]:
    """Return the degrees of freedom of both sides that have a row in the kept table, the smaller first, in the order of the rows."""
    return [(small, large) for large in LARGER for small in range(1, min(large, MANY - 1) + 1)]


@lru_cache(maxsize=256)
def _table(df_a: int, df_b: int) -> tuple[Sequence[float], Sequence[float]]:
    """Return logs of p-values of Welch's test, and of how often they are reached at worst, both rising, for degrees of freedom in order."""
    logs, df_b = nodes(), min(df_b, LARGER[-1])
    above = bisect_left(LARGER, df_b)
    upper = _row(df_a, LARGER[above])
    if LARGER[above] == df_b:
        return logs, upper
    below = LARGER[above - 1]
    share = (1 / below - 1 / df_b) / (1 / below - 1 / LARGER[above])
    return logs, [(1 - share) * lower + share * higher for lower, higher in zip(_row(df_a, below), upper, strict=True)]


@cache
def nodes() -> Sequence[float]:
    """Return the logs of the p-values that the table is made for."""
    first = math.log(MIN_P)
    return [*(first - n * first / (NODES - 1) for n in range(NODES - 1)), 0.0]


def _row(small: int, large: int) -> Sequence[float]:
    """Return the row of the kept table for a pair."""
    start = _places()[small, large] * NODES
    return _kept()[start : start + NODES]


@cache
def _places() -> dict[tuple[int, int], int]:
    return {pair: number for number, pair in enumerate(pairs())}


@cache
def _kept() -> Sequence[float]:
    """Return the kept table (python -m benchmarks.welch writes it), row after row."""
    data = pkgutil.get_data(__package__, FILE)
    assert data is not None
    values = array("f", data)
    if sys.byteorder == "big":
        values.byteswap()
    return values
