"""A series smoothed over a window: each row by those around it, the first and the last repeated at the edges."""

from __future__ import annotations

from ulterion.core.arrays import Floats, np


def running_median(values: Floats, rows: int) -> Floats:
    """Return the median of the `rows` rows around each, which leaves an edge an edge; `rows` is odd."""
    return np.asarray(np.median(_windows(values, rows), axis=1))


def running_mean(values: Floats, rows: int) -> Floats:
    """Return the mean of the `rows` rows around each; of an even number one more is before it than after."""
    sums = np.concatenate([[0.0], np.cumsum(np.pad(values, (rows // 2, rows - 1 - rows // 2), mode="edge"))])
    return np.asarray((sums[rows:] - sums[:-rows]) / rows)


def _windows(values: Floats, rows: int) -> Floats:
    padded = np.pad(values, (rows // 2, rows - 1 - rows // 2), mode="edge")
    return np.asarray(np.lib.stride_tricks.sliding_window_view(padded, rows))
