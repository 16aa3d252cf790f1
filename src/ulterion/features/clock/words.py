"""Transfers timed by hand, in words."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.stats.estimates import Estimate
from ulterion.core.units import show_between, show_rate
from ulterion.features.clock.judging import ClockRow

WAYS = {"write": "written", "read": "read"}


def task_words(row: ClockRow) -> str:
    """Return what was transferred, and which way."""
    way = WAYS[row.direction] + (f" from {row.source}" if row.source else "")
    return f"{row.task}, {way}" + (f", over the network ({row.network})" if row.network else "")


def rate_words(estimate: Estimate | None, bound: float | None, unit: str) -> tuple[str, str]:
    """Return a rate and its interval, or what it was slower than."""
    if estimate is None:
        return (f"< {show_rate(bound, unit, with_unit=False)}" if bound is not None else "–"), ""
    if estimate.low is None or estimate.high is None:
        return show_rate(estimate.rate, unit, with_unit=False), "–"
    low, high = (show_rate(v, unit, with_unit=False) for v in (estimate.low, estimate.high))
    return show_rate(estimate.rate, unit, with_unit=False), show_between(low, high)


def remarks(rows: Sequence[ClockRow]) -> list[str]:
    """Return what bounds and undecided ones rest on, and what has no verdict."""
    told = []
    for row in rows:
        shown = [w for w in row.words if row.estimate is None]
        parts = [*shown, *([row.why] if row.why and row.verdict != "same" else [])]
        parts += [f"compared with the measurement of {row.against}"] if row.measured else []
        parts += [row.suspect] if row.suspect and row.suspect != row.why else []
        parts += [f"also differed: {', '.join(row.differs)}"] if row.differs else []
        told += [f"{row.setup}, {task_words(row)}: {'; '.join(parts)}"] if parts else []
    return told
