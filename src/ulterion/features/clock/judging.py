"""Transfers timed by hand or copied, compared with each other and with what was measured. A transfer that did not end gives a bound."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ulterion.core.facts.differences import DRIVER, LINK, RunFacts, differences
from ulterion.core.facts.target import NETWORK_FILESYSTEMS
from ulterion.core.links.ceilings import Direction
from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import Estimate, estimate
from ulterion.core.stats.samples import SEEN, VARIES, Rates
from ulterion.core.stats.verdicts import Comparison, Verdict, compare_family
from ulterion.core.transfers.timings import Timing, bound_of, rates_of
from ulterion.core.units import show_percent
from ulterion.core.workloads.sanity_limits import BUFFERED, above_link
from ulterion.model.review import Review
from ulterion.model.runs.clock import ClockRun
from ulterion.model.runs.copied import CopyRun
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.header import counted
from ulterion.results.baselines import Baseline, baseline_among
from ulterion.results.measurement import best_of
from ulterion.results.pooling import pooled_results


@dataclass(frozen=True)
class ClockRow:
    """A task on a setup, timed by hand or copied by `copy`.

    Attributes:
        medium: of the setup; `setup`, `task`, `direction` what it is.
        estimate: its rate, bytes per second, None where no timing is a figure.
        bound: what it was slower than, where a timing says no more.
        words: each timing in words; `progress` how far each got, without the rate that this bounds.
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
        at_least: how many times as fast the faster of the two is at least, where one of them did not finish.
        size, seconds: bytes of one transfer and the time it took in the middle, where all were of one size.
        watched: how long one that did not end was watched, seconds.
    """

    medium: str | None
    setup: str
    task: str
    direction: Direction
    estimate: Estimate | None
    bound: float | None
    words: tuple[str, ...]
    progress: tuple[str, ...] = ()
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
    at_least: float | None = None
    size: float | None = None
    seconds: float | None = None
    watched: float | None = None


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
    varies: float = VARIES

    @property
    def rates(self) -> Rates:
        """The rates of its transfers, bytes per second."""
        return self.copies or rates_of(self.timings, self.varies)

    @property
    def bound(self) -> float | None:
        """What it was slower than, bytes per second, where a timing did not end."""
        return bound_of(self.timings)

    @property
    def size(self) -> float | None:
        """Bytes of one transfer, where all that ended were of one size."""
        sizes = {t.size for t in self.timings if t.end == "done"}
        if self.newest is not None:
            sizes = {float(self.newest.copied.bytes)}
        return sizes.pop() if len(sizes) == 1 else None


@dataclass(frozen=True)
class _Base:
    setup: str
    rates: Rates
    bound: float | None = None
    measured: bool = False
    newest: CopyRun | None = None


def clocked_rows(
    review: Review, runs: Sequence[AnyRun], margin: float, setups: Sequence[str] = (), *, against: str | None = None
) -> list[ClockRow]:
    """Return every task that was timed by hand or copied, the baseline's first, each medium a family of comparisons.

    `setups` are those that are asked for, in order; `against` is the setup that all are compared with, whatever their medium.
    """
    cells = _cells(review, runs)
    media = [None] if against else list(dict.fromkeys(review.setup(c.setup).medium for c in cells))
    rows: list[ClockRow] = []
    for medium in media:
        mine = [c for c in cells if medium is None or review.setup(c.setup).medium == medium]
        baseline = baseline_among(review, medium, {c.setup for c in mine}, setups, against)
        family = _family(review, runs, baseline, mine, margin)
        rows += [r for r in family if not setups or r.setup in setups or r.setup == baseline.setup]
    return rows


def transfer_rates(review: Review, runs: Sequence[AnyRun]) -> dict[str, dict[str, Rates]]:
    """Return the rates of timings and copies, by setup and by task with its direction."""
    rates: dict[str, dict[str, Rates]] = {}
    for cell in _cells(review, runs):
        if cell.rates and cell.source is None:
            rates.setdefault(cell.setup, {})[f"{cell.task}, {cell.direction}"] = cell.rates
    return rates


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
        _Cell(
            setup=setup,
            task=task,
            direction=way,
            timings=tuple(t for r in same for t in r.timings),
            runs=tuple(r.id for r in same),
            varies=review.review.timing_spread,
        )
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
    review: Review, runs: Sequence[AnyRun], chosen: Baseline, cells: Sequence[_Cell], margin: float
) -> list[ClockRow]:
    baseline = chosen.setup
    bases = [_base(cell, baseline, cells, runs) for cell in cells]
    figures = [cell.rates for cell in cells]
    pairs = [(f, base.rates) for f, base in zip(figures, bases, strict=True) if base is not None and base.rates and f]
    judged = iter(compare_family(pairs, margin))
    rows = []
    for cell, rates, base in zip(cells, figures, bases, strict=True):
        known = estimate(rates) if rates else None
        row = ClockRow(
            medium=review.setup(cell.setup).medium,
            setup=cell.setup,
            task=cell.task,
            direction=cell.direction,
            estimate=known,
            bound=cell.bound,
            size=cell.size,
            watched=max((t.seconds for t in cell.timings if t.bound and t.seconds), default=None),
            seconds=cell.size / known.rate if cell.size and known is not None else None,
            words=tuple(t.words() for t in cell.timings),
            progress=tuple(t.progress() for t in cell.timings),
            runs=cell.runs,
            copied=bool(cell.copies),
            source=cell.source,
            network=cell.network,
            differs=_differs(cell.newest, base.newest if base else None),
            suspect=_suspect(review, cell.setup, rates),
        )
        comparison = next(judged) if base is not None and base.rates and rates else None
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
    like = [c for c in cells if (c.setup, c.task, c.direction, c.source) == wanted and (c.rates or c.bound)]
    same = next((c for c in like if bool(c.copies) == bool(cell.copies)), None) or next(iter(like), None)
    if same is not None:
        return _Base(baseline, same.rates, same.bound, newest=same.newest)
    if cell.source is not None or cell.network is not None:
        return None  # what was measured on one drive says nothing of what two, or a network, carry
    best = best_of(list(pooled_results(runs).get(baseline, {}).values()), cell.direction, "sequential")
    return None if best is None else _Base(baseline, best.rates, measured=True)


def _judged(row: ClockRow, base: _Base | None, comparison: Comparison | None, margin: float) -> ClockRow:
    if base is None:
        return row
    if comparison is not None:
        why = comparison.why
        if comparison.verdict == "undecided" and row.estimate is not None and row.estimate.passes < SEEN:
            why = "a few more timings of each would help"
        return replace(
            row, against=base.setup, measured=base.measured, comparison=comparison, verdict=comparison.verdict, why=why
        )
    compared = replace(row, against=base.setup, measured=base.measured)
    if base.rates:
        return _bound_against(compared, estimate(base.rates), margin)
    return _against_bound(compared, base.bound, margin)


def _bound_against(row: ClockRow, base: Estimate, margin: float) -> ClockRow:
    """Judge a transfer that did not end: it is slower where even its bound is below all that the other may be, by more than the margin."""
    if row.bound is None:
        return replace(row, why="unfinished and untimed, so nothing can be concluded")
    if base.low is None:
        return replace(row, verdict="undecided", why="the other side has fewer than three passes")
    if row.bound < base.low / (1 + margin):
        least = base.rate / row.bound
        return replace(
            row, verdict="slower", at_least=least, why=f"unfinished: no more than {show_percent(1 / least)} of it"
        )
    return replace(row, verdict="undecided", why="stopped too early to conclude anything")


def _against_bound(row: ClockRow, bound: float | None, margin: float) -> ClockRow:
    """Judge a transfer against one that did not end: it is faster where all that it may be lies above the bound, by more than the margin."""
    if row.estimate is None or bound is None:
        return replace(
            row, verdict="undecided" if row.bound else None, why="neither was finished, so neither has a rate"
        )
    if row.estimate.low is not None and row.estimate.low > bound * (1 + margin):
        return replace(
            row,
            verdict="faster",
            at_least=row.estimate.rate / bound,
            why="the other was stopped before it finished",
        )
    return replace(row, verdict="undecided", why="the other was stopped too early to conclude anything")
