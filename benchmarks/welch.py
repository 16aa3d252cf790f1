"""Writes the table of how often Welch's test finds what is not there, which comparisons of few passes are corrected by.  Run: python -m benchmarks.welch."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import numpy.typing as npt
from scipy.special import stdtr, stdtrit

from ulterion.core.stats import spreads
from ulterion.core.stats.spreads import nodes, pairs

RATIOS, SHARES = 33, 160  # true ratios of spreads, and shares of the squares found, that are gone through
WIDEST_RATIO, WIDEST_SHARE = 12.0, 20.0  # as logits


def worst(df_a: int, df_b: int) -> npt.NDArray[np.float64]:
    """Return logs of how often p-values of Welch's test, at the nodes of the table, are reached at worst over all ratios of true spreads."""
    share = 1 / (1 + np.exp(-np.linspace(-WIDEST_SHARE, WIDEST_SHARE, SHARES)))  # of all squares, those of side a
    density = df_a / 2 * np.log(share) + df_b / 2 * np.log1p(-share)
    weight = np.exp(density - density.max())
    weight /= weight.sum()
    true = 1 / (1 + np.exp(-np.linspace(-WIDEST_RATIO, WIDEST_RATIO, RATIOS)))[:, None]
    a, b = true * share / df_a, (1 - true) * (1 - share) / df_b
    df = (a + b) ** 2 / (a**2 / df_a + b**2 / df_b)
    error = np.sqrt((a + b) * (df_a + df_b))
    reached = [(2 * stdtr(df_a + df_b, stdtrit(df, p / 2) * error) @ weight).max() for p in np.exp(nodes())]
    return np.asarray(np.maximum.accumulate(np.maximum(np.log(reached), nodes())))


def main() -> None:
    """Write the table beside the module that reads it."""
    table = np.array([worst(*pair) for pair in pairs()])
    table.astype("<f4").tofile(Path(spreads.__file__).with_name(spreads.FILE))


if __name__ == "__main__":
    main()
