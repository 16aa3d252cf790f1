"""Straight lines through points."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence


def between(x: float, xs: Sequence[float], ys: Sequence[float]) -> float:
    """Return the value at `x` of a line through points in order of x; beyond the ends, the value of the first or last point."""
    if x <= xs[0] or x >= xs[-1]:
        return ys[0] if x <= xs[0] else ys[-1]
    at = bisect_right(xs, x) - 1
    return ys[at] + (ys[at + 1] - ys[at]) / (xs[at + 1] - xs[at]) * (x - xs[at])
