"""What unequal spreads do to Welch's test of two means, and what is done about it.

Welch's test takes its degrees of freedom from the very spreads it is unsure of.  With few values a side, and at the small p-values that
many comparisons together ask for, it finds too much: with three passes a side, 0.001 is reached four times too often at worst.  How
often it is reached is known for every ratio of the true spreads: given the ratio of the spreads found, the difference over its error
follows Student's t with the degrees of freedom of both sides together, but for a factor (B. L. Welch, Biometrika 34 (1947), 28-35).  So a
p-value here is the greatest share of null comparisons, over all ratios of true spreads, in which Welch's test gives as low a value.
"""

from __future__ import annotations

import math
from functools import lru_cache
from importlib import resources

from ulterion.core.arrays import Floats, np

FILE, KEPT = "welch.npy", 20  # the kept table, and up to how many degrees of freedom on either side it goes
MANY = 40  # degrees of freedom on both sides from which on Welch's value is used as it is
MIN_P, NODES = 1e-12, 24  # p-values the table is made for: the least, and how many up to 1
RATIOS, SHARES = 33, 160  # true ratios of spreads, and shares of the squares found, that are gone through
WIDEST_RATIO, WIDEST_SHARE = 12.0, 20.0  # as logits


def exact_p(p: float, df_a: int, df_b: int) -> float:
    """Return how often two equal means give a value of Welch's test as low as `p`, at worst, by each side's degrees of freedom."""
    if p <= 0.0 or min(df_a, df_b) >= MANY:
        return max(p, 0.0)
    logs, worst = _table(*sorted((df_a, df_b)))
    return min(1.0, p * math.exp(float(np.interp(math.log(p), logs, worst - logs))))


def welch_p(p: float, df_a: int, df_b: int) -> float:
    """Return the value of Welch's test that two equal means fall below with probability `p` at worst: `exact_p` backwards."""
    if min(df_a, df_b) >= MANY:
        return p
    logs, worst = _table(*sorted((df_a, df_b)))
    return min(p, math.exp(float(np.interp(math.log(p), worst, logs))))


@lru_cache(maxsize=256)
def _table(df_a: int, df_b: int) -> tuple[Floats, Floats]:
    """Return logs of p-values of Welch's test, and of how often they are reached at worst, both rising, for degrees of freedom in order."""
    logs = np.linspace(math.log(MIN_P), 0.0, NODES)
    return logs, _kept()[_row(df_a, df_b)] if df_b <= KEPT else worst(df_a, df_b)


@lru_cache(maxsize=1)
def _kept() -> Floats:
    """Return what `worst` gives for up to `KEPT` degrees of freedom on either side: it needs SciPy's special functions, which take long to load."""
    with resources.files("ulterion.core.stats").joinpath(FILE).open("rb") as source:
        return np.asarray(np.load(source))


def _row(df_a: int, df_b: int) -> int:
    """Return the row of two degrees of freedom, the smaller first, in the kept table."""
    return (df_b - 1) * df_b // 2 + df_a - 1


def worst(df_a: int, df_b: int) -> Floats:
    """Return logs of how often p-values of Welch's test, at the nodes of the table, are reached at worst."""
    from scipy.special import stdtr, stdtrit

    share = 1 / (1 + np.exp(-np.linspace(-WIDEST_SHARE, WIDEST_SHARE, SHARES)))  # of all squares, those of side a
    density = df_a / 2 * np.log(share) + df_b / 2 * np.log1p(-share)
    weight = np.exp(density - density.max())
    weight /= weight.sum()
    true = 1 / (1 + np.exp(-np.linspace(-WIDEST_RATIO, WIDEST_RATIO, RATIOS)))[:, None]
    a, b = true * share / df_a, (1 - true) * (1 - share) / df_b
    df = (a + b) ** 2 / (a**2 / df_a + b**2 / df_b)
    error = np.sqrt((a + b) * (df_a + df_b))
    logs = np.linspace(math.log(MIN_P), 0.0, NODES)
    reached = [(2 * stdtr(df_a + df_b, stdtrit(df, p / 2) * error) @ weight).max() for p in np.exp(logs)]
    return np.maximum.accumulate(np.maximum(np.log(reached), logs))


def table() -> Floats:
    """Return the kept table anew (python -m benchmarks.welch writes it)."""
    return np.array([worst(df_a, df_b) for df_b in range(1, KEPT + 1) for df_a in range(1, df_b + 1)])
