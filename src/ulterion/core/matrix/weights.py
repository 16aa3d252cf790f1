"""Runs of a matrix, and least squares of them with two variances: from pass to pass, and from run to run."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ulterion.core.arrays import Floats, np
from ulterion.core.matrix.grid import Cell
from ulterion.core.records import dataclass

PRIOR_DF = 4  # of the spread of passes that all runs have in common (see `_within`)
NEGLIGIBLE = 1e-8  # singular values below this share of the greatest count as none


@dataclass(frozen=True)
class Observed:
    """A run: its cell (None for a check outside the grid), the name of what was measured, the logs of its passes, when (hours)."""

    cell: Cell | None
    name: str
    logs: tuple[float, ...]
    hour: float

    @property
    def mean(self) -> float:
        """Of the logs."""
        return math.fsum(self.logs) / len(self.logs)


def within_runs(observed: Sequence[Observed]) -> Floats:
    """Return the variance of each run's mean that its passes tell, drawn towards what all runs have in common (G. K. Smyth, 2004)."""
    squares = np.array([sum((v - o.mean) ** 2 for v in o.logs) for o in observed])
    df = np.array([len(o.logs) - 1 for o in observed], dtype=float)
    common = float(squares.sum() / max(df.sum(), 1.0))
    return np.asarray((squares + PRIOR_DF * common) / (df + PRIOR_DF) / np.array([len(o.logs) for o in observed]))


@dataclass(frozen=True)
class Space:
    """What the rows and columns of a design span.

    Attributes:
        columns: orthonormal, shape (runs, rank): every fit of the design is a combination of them.
        rows: orthonormal, shape (rank, coefficients): what the runs determine is a combination of them.
    """

    columns: Floats
    rows: Floats

    @classmethod
    def of(cls, design: Floats) -> Space:
        """Return the space of a design, shape (runs, coefficients), of which NEGLIGIBLE directions count as none."""
        columns, values, rows = np.linalg.svd(design, full_matrices=False)
        kept = values > NEGLIGIBLE * values[0]
        return cls(np.asarray(columns[:, kept]), np.asarray(rows[kept]))

    @property
    def rank(self) -> int:
        """How many coefficients the runs determine."""
        return len(self.rows)

    def determines(self, contrast: Floats) -> bool:
        """Return whether the runs determine a combination of the coefficients."""
        return bool(np.abs(contrast @ self.rows.T @ self.rows - contrast).max() < 1e-6)

    def squares(self, means: Floats, variance: Floats) -> float:
        """Return the weighted sum of squares that the best fit leaves; `weighted` gives the same with more work."""
        weighed = self.columns / variance[:, None]
        rest = means - self.columns @ np.linalg.solve(self.columns.T @ weighed, weighed.T @ means)
        return float(rest @ (rest / variance))


def weighted(means: Floats, design: Floats, variance: Floats) -> tuple[Floats, Floats, float]:
    """Return coefficients, their covariance by these variances, and the weighted sum of squares that is left."""
    weight = 1 / np.sqrt(variance)
    rows = design * weight[:, None]
    inverse = np.linalg.pinv(rows, rcond=NEGLIGIBLE)
    beta = inverse @ (means * weight)
    rest = means * weight - rows @ beta
    return beta, np.asarray(inverse @ inverse.T), float(rest @ rest)


def between_runs(means: Floats, within: Floats, space: Space, left: int) -> float:
    """Return the variance between runs at which the squares left over are what they should be, 0 where they are fewer already."""
    low, high = 0.0, float(np.var(means)) + 1e-12
    if space.squares(means, within) <= left:
        return 0.0
    while space.squares(means, within + high) > left and high < 1e6:
        high *= 4
    for _ in range(60):
        middle = (low + high) / 2
        if space.squares(means, within + middle) > left:
            low = middle
        else:
            high = middle
    return (low + high) / 2
