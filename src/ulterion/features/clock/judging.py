"""Transfers, timed by hand or copied, beside each other and beside what was measured: figures as figures, bounds as bounds."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ulterion.core.facts.differences import DRIVER, LINK, RunFacts, differences
from ulterion.core.facts.target import NETWORK_FILESYSTEMS
from ulterion.core.links.ceilings import Direction
from ulterion.core.stats.estimates import Estimate, estimate
from ulterion.core.stats.samples import Rates
from ulterion.core.stats.verdicts import Comparison, Verdict, compare_family
from ulterion.core.transfers.timings import Timing, bound_of, rates_of
from ulterion.core.units import show_percent
from ulterion.core.workloads.sanity_limits import BUFFERED, above_link
from ulterion.model.review import Review
from ulterion.model.runs.clock import ClockRun
from ulterion.model.runs.copied import CopyRun
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.header import counted
from ulterion.results.measurement import best_of
from ulterion.results.pooling import pooled_results


@dataclass(frozen=True)
class ClockRow:
    """A task on a setup, timed by hand or copied by `copy`.

    Attributes:
        medium: of the setup; `setup`, `task`, `direction` what it is.
        estimate: its rate, bytes per second, None where no timing is a figure.
        bound: what it was slower than, where a timing says no more.
        words: each timing in words.
        source: the setup that was copied from, where both ends are setups; a transfer between two is held against the same source's alone.
        network: the kind of network file system that it went over, or None.
        copied: whether the files were copied by us; else a hand timed them.
        against: the setup it is held against, None where there is nothing; `measured` whether a measurement stands for the like.
        comparison: with it, of figures.
        verdict: of figures or of the bound.
        why: for one that is undecided, or stands on a bound, the reason.
        runs: ids of the runs it rests on.
        differs: of copies, what else differed from those it is held against, in words.
        suspect: why its rate cannot be that of the transfer, or None.
    """

    medium: str | None
    setup: str
    task: str
    direction: Direction
    estimate: Estimate | None
    bound: float | None
    words: tuple[str, ...]
    source: str | None = None
    network: str | None = None
    copied: bool = False
    against: str | None = None
    measured: bool = False
    comparison: Comparison | None = None
    verdict: Verdict | None = None
    why: str | None = None
    runs: tuple[str, ...] = ()
    differs: tuple[str, ...] = ()
    suspect: str | None = None


@dataclass(frozen=True)
class _Cell:
    setup: str
    task: str
    direction: Direction
    timings: tuple[Timing, ...]
    runs: tuple[str, ...]
    copies: tuple[tuple[float, ...], ...] = ()
    source: str | None = None
    network: str | None = None
    newest: CopyRun | None = None

    @property
    def rates(self) -> Rates:
        """Its figures."""
        return self.copies or rates_of(self.timings)


@dataclass(frozen=True)
class _Base:
    setup: str
    rates: Rates
    measured: bool = False
    newest: CopyRun | None = None


def clocked_rows(review: Review, runs: Sequence[AnyRun], margin: float, setups: Sequence[str] = ()) -> list[ClockRow]:
    """Return every task that was timed by hand, the baseline's first, each medium a family of comparisons."""
    cells = _cells(review, runs)
    rows: list[ClockRow] = []
    for medium in dict.fromkeys(review.setup(c.setup).medium for c in cells):
        mine = [c for c in cells if review.setup(c.setup).medium == medium]
        rows += _family(review, runs, medium, mine, margin)
    return [r for r in rows if not setups or r.setup in setups or r.setup == review.baseline_for(r.medium or "")]


def _cells(review: Review, runs: Sequence[AnyRun]) -> list[_Cell]:
    timed: dict[tuple[str, Direction, str], list[ClockRun]] = {}
    copied: dict[tuple[str, Direction, str, str | None, str | None], list[CopyRun]] = {}
    mine = sorted((r for r in runs if r.setup in review.setups), key=lambda r: r.started)
    for clocked in counted(mine, ClockRun):
        timed.setdefault((clocked.clock.task, clocked.clock.direction, clocked.setup or ""), []).append(clocked)
    for run in counted(mine, CopyRun):
        if run.rates:
            way: Direction = "write" if run.transfer.written else "read"
            source = None if way == "read" else run.copied.from_setup
            copied.setdefault((run.copied.task, way, run.setup or "", source, _network(run)), []).append(run)
    by_hand = [
        _Cell(setup, task, way, tuple(t for r in same for t in r.timings), tuple(r.id for r in same))
        for (task, way, setup), same in timed.items()
    ]
    return by_hand + [
        _Cell(
            setup=setup,
            task=task,
            direction=way,
            timings=(),
            runs=tuple(r.id for r in same),
            copies=_units(same),
            source=source,
            network=network,
            newest=same[-1],
        )
        for (task, way, setup, source, network), same in copied.items()
    ]


def _network(run: CopyRun) -> str | None:
    """Return the network file system that a copy went over, None where both ends are this machine's."""
    ends = (run.target.filesystem, run.copied.source.filesystem if run.copied.source else None)
    return next((name for name in ends if name in NETWORK_FILESYSTEMS), None)


def _differs(one: CopyRun | None, other: CopyRun | None) -> tuple[str, ...]:
    """Return what else differed between two copies of a task, besides the setup, in words."""
    if one is None or other is None:
        return ()
    ways = (
        ()
        if one.copied.method == other.copied.method
        else (f"method: {one.copied.method} against {other.copied.method}",)
    )
    return (*differences(_facts(one), _facts(other), leaving_out=(LINK, DRIVER)), *ways)


def _facts(run: CopyRun) -> RunFacts:
    return RunFacts(run.target, run.bench, tuple(run.chain), engine=run.bench.versions.get("ulterion"))


def _units(copies: Sequence[CopyRun]) -> tuple[tuple[float, ...], ...]:
    """Return the rates of copies by run; where several pluggings-in are known, by these (see `ulterion.results.pooling`)."""
    by: dict[str, list[float]] = {}
    known = {run.target.attachment for run in copies}
    apart = None not in known and len(known) > 1
    for run in copies:
        by.setdefault((run.target.attachment or "") if apart else run.id, []).extend(run.rates)
    return tuple(tuple(rates) for rates in by.values())


def _family(
    review: Review, runs: Sequence[AnyRun], medium: str, cells: Sequence[_Cell], margin: float
) -> list[ClockRow]:
    baseline = review.baseline_for(medium)
    bases = [_base(cell, baseline, cells, runs) for cell in cells]
    figures = [cell.rates for cell in cells]
    pairs = [(f, base.rates) for f, base in zip(figures, bases, strict=True) if base is not None and f]
    judged = iter(compare_family(pairs, margin))
    rows = []
    for cell, rates, base in zip(cells, figures, bases, strict=True):
        row = ClockRow(
            medium=medium,
            setup=cell.setup,
            task=cell.task,
            direction=cell.direction,
            estimate=estimate(rates) if rates else None,
            bound=bound_of(cell.timings),
            words=tuple(t.words() for t in cell.timings),
            runs=cell.runs,
            copied=bool(cell.copies),
            source=cell.source,
            network=cell.network,
            differs=_differs(cell.newest, base.newest if base else None),
            suspect=_suspect(review, cell.setup, rates),
        )
        comparison = next(judged) if base is not None and rates else None
        doubt = row.suspect or (_suspect(review, base.setup, base.rates) if base is not None else None)
        judged_row = _judged(row, base, comparison, margin)
        doubtful = doubt is not None and judged_row.verdict is not None
        rows.append(replace(judged_row, verdict="undecided", why=doubt) if doubtful else judged_row)
    return sorted(rows, key=lambda r: (r.task, r.direction, r.setup != baseline))


def _suspect(review: Review, setup: str, rates: Rates) -> str | None:
    """Return why figures cannot be those of transfers on a setup, or None: its links carry less."""
    too_fast = above_link(estimate(rates).rate, review.narrowest_link(setup)) if rates else None
    return f"{setup}: {too_fast}; {BUFFERED}" if too_fast is not None else None


def _base(cell: _Cell, baseline: str | None, cells: Sequence[_Cell], runs: Sequence[AnyRun]) -> _Base | None:
    """Return what a task is held against: the baseline's timings of it, or else the best that was measured there."""
    if baseline is None or cell.setup == baseline:
        return None
    wanted = (baseline, cell.task, cell.direction, cell.source)
    like = [c for c in cells if (c.setup, c.task, c.direction, c.source) == wanted and c.rates]
    same = next((c for c in like if bool(c.copies) == bool(cell.copies)), None) or next(iter(like), None)
    if same is not None:
        return _Base(baseline, same.rates, newest=same.newest)
    if cell.source is not None or cell.network is not None:
        return None  # what was measured on one drive says nothing of what two, or a network, carry
    best = best_of(list(pooled_results(runs).get(baseline, {}).values()), cell.direction, "sequential")
    return None if best is None else _Base(baseline, best.rates, measured=True)


def _judged(row: ClockRow, base: _Base | None, comparison: Comparison | None, margin: float) -> ClockRow:
    if base is None:
        return row
    if comparison is not None:
        why = comparison.why
        if comparison.verdict == "undecided" and row.estimate is not None and row.estimate.passes < 3:
            why = f"{3 - row.estimate.passes} more timings here, and three in all on the other side, would tell more"
        return replace(
            row, against=base.setup, measured=base.measured, comparison=comparison, verdict=comparison.verdict, why=why
        )
    verdict, why = _by_bound(row.bound, estimate(base.rates), margin)
    return replace(row, against=base.setup, measured=base.measured, verdict=verdict, why=why)


def _by_bound(bound: float | None, base: Estimate, margin: float) -> tuple[Verdict | None, str]:
    """Return the verdict that a bound allows: slower where even the bound is below all the other may be, by more than the margin."""
    if bound is None:
        return None, "it did not end, and no time was told: no figure and no bound"
    if base.low is None or base.why is not None:
        return "undecided", "the other side has fewer than three timings or passes"
    if bound < base.low / (1 + margin):
        return "slower", f"a bound: at most {show_percent(bound / base.low)} of it"
    return "undecided", "it was stopped too early for its bound to tell"
