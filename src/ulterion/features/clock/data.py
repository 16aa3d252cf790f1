"""The answers of `ulterion clock` and `ulterion race`, and timings beside a comparison."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from ulterion.core.documents.plain import Plain
from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import Estimate, Ratio, estimate
from ulterion.core.transfers.race import Crossing, Runner, crossings, order
from ulterion.core.transfers.timings import bound_of, rates_of
from ulterion.features.clock.judging import ClockRow
from ulterion.model.runs.clock import ClockRun
from ulterion.run.observers import Kept
from ulterion.show.answers import Answer


@dataclass(frozen=True)
class ClockedRun(Answer):
    """Transfers of one task on a setup, timed by hand, each timing in words."""

    run: str
    setup: str | None
    task: str
    direction: str
    timings: tuple[str, ...]
    rate: float | None
    low: float | None
    high: float | None
    slower_than: float | None
    why: str | None
    warnings: tuple[str, ...]
    kept_in: str


@dataclass(frozen=True)
class Clocked(Answer):
    """`ulterion clock`."""

    answer: tuple[str, ...]
    kept: tuple[ClockedRun, ...]
    compared: tuple[ClockedRow, ...]


@dataclass(frozen=True)
class ClockedRow(Answer):
    """A transfer, timed by hand or copied, beside what it is compared with."""

    medium: str | None
    setup: str
    task: str
    direction: str
    source: str | None
    network: str | None
    timings: tuple[str, ...]
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
    at_least: float | None
    size: float | None
    seconds: float | None
    runs: tuple[str, ...]
    differs: tuple[str, ...]

    @classmethod
    def by(cls, row: ClockRow) -> ClockedRow:
        """Return one row."""
        ratio = row.comparison.ratio if row.comparison else None
        return cls.of(
            row,
            timings=row.words,
            slower_than=row.bound,
            against_measured=row.measured,
            **_interval(row.estimate),
            **_ratio(ratio),
        )


@dataclass(frozen=True)
class Racer(Answer):
    """One transfer: when it was over (or last looked at), and its share when the first was over."""

    name: str
    seconds: float
    done: bool
    share_then: float


@dataclass(frozen=True)
class Race(Answer):
    """`ulterion race`, the first to end first."""

    amount: float
    racers: tuple[Racer, ...]
    crossings: tuple[Crossing, ...]
    story: tuple[str, ...]


def _interval(one: Estimate | None) -> Plain:
    return {n: getattr(one, n) if one else None for n in ("rate", "low", "high")}


def _ratio(ratio: Ratio | None) -> Plain:
    value, low, high = (ratio.value, ratio.low, ratio.high) if ratio else (None, None, None)
    return {"ratio": value, "ratio_low": low, "ratio_high": high}


def clocked_answer(kept: Sequence[Kept[ClockRun]], answer: Sequence[str], rows: Sequence[ClockRow]) -> Clocked:
    """Return the timings that were kept, and how they compare with others of their task."""
    return Clocked(tuple(answer), tuple(_clocked(k.run, k.path) for k in kept), tuple(map(ClockedRow.by, rows)))


def _clocked(run: ClockRun, path: Path) -> ClockedRun:
    rates = rates_of(run.timings)
    one = estimate(rates) if rates else None
    return ClockedRun.of(
        run.clock,
        run=run.id,
        setup=run.setup,
        timings=tuple(t.words() for t in run.timings),
        slower_than=bound_of(run.timings),
        why=one.why if one else None,
        warnings=tuple(run.warnings),
        kept_in=str(path),
        **_interval(one),
    )


def race_answer(runners: Sequence[Runner], story: Sequence[str]) -> Race:
    """Return a race."""
    ranked = order(runners)
    racers = [Racer.of(r, seconds=r.end, share_then=r.at(min(ranked[0].end, r.end))) for r in ranked]
    return Race(ranked[0].total, tuple(racers), tuple(crossings(runners)), tuple(story))
