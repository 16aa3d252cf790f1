"""A value with its interval."""

from __future__ import annotations

from typing import NamedTuple


class Interval(NamedTuple):
    """A value and the ends of its 95% interval, in the unit of the value."""

    value: float
    low: float
    high: float
