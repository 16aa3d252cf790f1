"""Transfers timed by hand as plain data for JSON: rates in bytes per second."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from typing_extensions import TypedDict

from ulterion.core.stats.estimates import estimate
from ulterion.core.transfers.timings import bound_of, rates_of
from ulterion.features.clock.judging import ClockRow
from ulterion.model.runs.clock import ClockRun


class ClockedRun(TypedDict):
    """Transfers of one task on a setup, timed by hand: rates in bytes per second, each timing in words."""

    run: str
    setup: str | None
    task: str
    direction: str
    timings: list[str]
    rate: float | None
    low: float | None
    high: float | None
    slower_than: float | None
    why: str | None
    warnings: list[str]
    kept_in: str


class Clocked(TypedDict):
    """`ulterion clock`."""

    kept: list[ClockedRun]


class ClockedRow(TypedDict):
    """A transfer, timed by hand or copied, beside what it is held against."""

    medium: str | None
    setup: str
    task: str
    direction: str
    source: str | None
    network: str | None
    timings: list[str]
    rate: float | None
    low: float | None
    high: float | None
    slower_than: float | None
    copied: bool
    against: str | None
    against_measured: bool
    ratio: float | None
    ratio_low: float | None
    ratio_high: float | None
    verdict: str | None
    why: str | None
    suspect: str | None
    runs: list[str]
    differs: list[str]


def clocked_as_data(kept: Sequence[tuple[ClockRun, Path]]) -> Clocked:
    """Return what was kept of timings."""
    return {"kept": [_run(run, path) for run, path in kept]}


def _run(run: ClockRun, path: Path) -> ClockedRun:
    rates = rates_of(run.timings)
    one = estimate(rates) if rates else None
    return {
        "run": run.id,
        "setup": run.setup,
        "task": run.clock.task,
        "direction": run.clock.direction,
        "timings": [t.words() for t in run.timings],
        "rate": one.rate if one else None,
        "low": one.low if one else None,
        "high": one.high if one else None,
        "slower_than": bound_of(run.timings),
        "why": one.why if one else None,
        "warnings": run.warnings,
        "kept_in": str(path),
    }


def clock_rows_as_data(rows: Sequence[ClockRow]) -> list[ClockedRow]:
    """Return a comparison's transfers by hand."""
    return [_row(r) for r in rows]


def _row(row: ClockRow) -> ClockedRow:
    one, ratio = row.estimate, row.comparison.ratio if row.comparison else None
    return {
        "medium": row.medium,
        "setup": row.setup,
        "task": row.task,
        "direction": row.direction,
        "source": row.source,
        "network": row.network,
        "timings": list(row.words),
        "rate": one.rate if one else None,
        "low": one.low if one else None,
        "high": one.high if one else None,
        "slower_than": row.bound,
        "copied": row.copied,
        "against": row.against,
        "against_measured": row.measured,
        "ratio": ratio.value if ratio else None,
        "ratio_low": ratio.low if ratio else None,
        "ratio_high": ratio.high if ratio else None,
        "verdict": row.verdict,
        "why": row.why,
        "suspect": row.suspect,
        "runs": list(row.runs),
        "differs": list(row.differs),
    }
