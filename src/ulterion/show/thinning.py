"""Long series in as many points as can be seen."""

from __future__ import annotations

from ulterion.core.arrays import Floats, np
from ulterion.core.records import dataclass


@dataclass(frozen=True)
class Thinned:
    """A series in fewer points: where each begins, the mean of what it takes in, and its range; NaN where nothing is known."""

    at: Floats
    mean: Floats
    low: Floats
    high: Floats


def thinned(at: Floats, values: Floats, most: int) -> Thinned:
    """Return a series in at most so many points."""
    step = max(1, -(-at.size // most))
    starts = np.arange(0, at.size, step)
    known = np.isfinite(values)
    counts = np.add.reduceat(known.astype(np.float64), starts)
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = np.add.reduceat(np.where(known, values, 0.0), starts) / counts
    return Thinned(at[starts], mean, np.fmin.reduceat(values, starts), np.fmax.reduceat(values, starts))
