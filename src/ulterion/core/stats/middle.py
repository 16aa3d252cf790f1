"""The median, without what the standard library loads beside it."""

from __future__ import annotations

from collections.abc import Iterable


def median(values: Iterable[float]) -> float:
    """Return the middle one of at least one value in order of size, or the mean of the middle two."""
    ordered = sorted(values)
    half = len(ordered) // 2
    return ordered[half] if len(ordered) % 2 else (ordered[half - 1] + ordered[half]) / 2
