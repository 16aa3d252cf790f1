"""How far a plan is: its cells done, doubtful and open, its checks, the minutes left, and what comes next.

All of it is read from the runs of the review: a plan keeps nothing of its own, so that nothing can be out of step.
"""

from __future__ import annotations

import itertools
from collections.abc import Collection, Mapping, Sequence
from typing import Literal

from ulterion.core.errors import UsageError, unknown
from ulterion.core.matrix.deciding import decided
from ulterion.core.matrix.grid import Cell, changes_between, words
from ulterion.core.records import dataclass
from ulterion.core.stats.middle import median
from ulterion.core.stats.verdicts import Verdict
from ulterion.model.plan import Plan
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.measure import MeasureRun
from ulterion.model.runs.soak import SoakRun

CellState = Literal["done", "doubtful", "open", "elsewhere"]
Again = Literal["undecided", "asked"]
"""Why a cell is measured again: its comparison with the baseline is undecided, or the reviewer asked for it."""

PLANNED = "plan"  # name of the suite of a plan that lists workloads


@dataclass(frozen=True)
class PlannedCell:
    """A cell of a plan.

    Attributes:
        cell, setup: which, and what serves it.
        state: done; 'doubtful' where it is done and something is wrong with it; open; or 'elsewhere', for another host.
        why: what is doubtful, in words.
        runs: ids of its runs.
        verdicts: by workload text, against the baseline, as far as they may be taken; empty where there is none.
        host: the host it is for, or None.
    """

    cell: Cell
    setup: str
    state: CellState
    why: tuple[str, ...] = ()
    runs: tuple[str, ...] = ()
    verdicts: Mapping[str, Verdict] | None = None
    host: str | None = None

    @property
    def open_verdicts(self) -> list[str]:
        """The workloads whose comparison is still open."""
        return [text for text, verdict in (self.verdicts or {}).items() if verdict == "undecided"]


@dataclass(frozen=True)
class Check:
    """The direct setup measured for the n-th time; `run` is its id, None as long as it is to come."""

    setup: str
    number: int
    run: str | None = None


@dataclass(frozen=True)
class Step:
    """What to do next: a cell, a first time or again for a reason, or the n-th check, which may be of a cell too."""

    setup: str
    cell: Cell | None
    check: int | None = None
    again: Again | None = None


@dataclass(frozen=True)
class Planned:
    """A plan and how far it is.

    Attributes:
        cells: in the order in which they are to be done.
        checks: of the baselines.
        seconds_each: what a step takes, by those so far (their median), None before the first.
        seconds_done: what runs took so far; `seconds_left` what the open cells and checks will take, None before anything was measured.
        changes: of levels, over all steps between cells that are open.
        next: what to do next on this host, None where nothing is open.
    """

    cells: tuple[PlannedCell, ...]
    checks: tuple[Check, ...]
    seconds_each: float | None
    seconds_done: float
    seconds_left: float | None
    changes: int
    next: Step | None

    def count(self, state: CellState) -> int:
        """Return how many cells are in a state."""
        return sum(c.state == state for c in self.cells)


def plan_of(review: Review) -> Plan:
    """Return the plan of a review; raise UsageError where there is none."""
    if review.plan is None:
        raise UsageError("the review has no plan; add [plan] with factors to review.toml (see 'ulterion plan --help')")
    return review.plan


def suite_of(plan: Plan) -> str:
    """Return the name under which a plan's runs are kept."""
    return PLANNED if plan.workloads else plan.suite


def cells_of(review: Review) -> dict[Cell, str]:
    """Return the cells of a review's plan, in their order, with the setup that serves each."""
    plan = plan_of(review)
    named = {tuple(h.levels.items()): n for n, h in review.setups.items() if h.levels}
    return {cell: named[cell] for cell in plan.ordered()}


def cell_called(review: Review, name: str) -> tuple[Cell, str]:
    """Return a cell of a review's plan, with its setup, by the setup's name or the cell's levels; raise UsageError with the near one."""
    cells = cells_of(review)
    wanted = name.casefold().strip()
    for cell, setup in cells.items():
        if wanted in (setup.casefold(), words(cell).casefold(), ", ".join(level for _, level in cell).casefold()):
            return cell, setup
    raise UsageError(unknown("cell", name, cells.values()))


def runs_of_plan(review: Review, runs: Sequence[AnyRun]) -> list[MeasureRun]:
    """Return the measurements that count for a plan, oldest first: of its suite, on one of its setups or a direct one."""
    plan = plan_of(review)
    setups = {*cells_of(review).values(), *directs_of(review)}
    mine = [r for r in runs if isinstance(r, MeasureRun) and r.setup in setups and r.suite == suite_of(plan)]
    return sorted((r for r in mine if not r.excluded and r.state.name == "complete"), key=lambda r: r.started)


def directs_of(review: Review) -> list[str]:
    """Return the baselines of the media that a plan's cells end with."""
    media = dict.fromkeys(review.setups[h].medium for h in cells_of(review).values())
    return [d for d in (review.baseline_for(m) for m in media) if d is not None]


def planned(
    review: Review,
    runs: Sequence[AnyRun],
    margin: float,
    host: str | None = None,
    visits: int = 1,
    *,
    leaving: Collection[str] = (),
) -> Planned:
    """Return how far the plan of a review is.

    `host` is the machine that asks (None: cells of all hosts are its own), `visits` how often a cell is measured at most where its comparison
    stays open, `leaving` are setups that are not to come next: another host is at them, or they failed.
    """
    plan, mine = plan_of(review), runs_of_plan(review, runs)
    by_setup: dict[str, list[MeasureRun]] = {}
    for run in mine:
        by_setup.setdefault(run.setup or "", []).append(run)
    soaked = {r.setup for r in runs if isinstance(r, SoakRun) and r.state.name == "complete" and not r.excluded}
    cells = tuple(
        _cell(review, plan, cell, setup=setup, runs=by_setup, soaked=soaked, margin=margin, host=host)
        for cell, setup in cells_of(review).items()
    )
    checks = tuple(
        Check(d, n, by_setup[d][n - 1].id if len(by_setup.get(d, [])) >= n else None)
        for d in directs_of(review)
        for n in range(1, plan.checks + 1)
    )
    took = [_seconds(r) for r in mine]
    checked = {c.setup for c in checks}
    left = sum(c.state == "open" and c.setup not in checked for c in cells) + sum(c.run is None for c in checks)
    due = [c.cell for c in cells if c.state == "open"]
    changes = sum(len(changes_between(a, b)) for a, b in itertools.pairwise(due))
    step = _next(plan, cells, checks, visits, leaving)
    each = median(took) if took else None
    return Planned(
        cells=cells,
        checks=checks,
        seconds_each=each,
        seconds_done=sum(took),
        seconds_left=None if each is None else each * left,
        changes=changes,
        next=step,
    )


def _seconds(run: MeasureRun) -> float:
    return 0.0 if run.ended is None else (run.ended - run.started).total_seconds()


def _cell(
    review: Review,
    plan: Plan,
    cell: Cell,
    setup: str,
    runs: Mapping[str, Sequence[MeasureRun]],
    *,
    soaked: set[str | None],
    margin: float,
    host: str | None,
) -> PlannedCell:
    mine, where = runs.get(setup, []), dict(cell).get(plan.host) if plan.host else None
    ids = tuple(r.id for r in mine)
    if not mine or (plan.soak is not None and setup not in soaked):
        other = where is not None and host is not None and where != host
        return PlannedCell(cell, setup, "elsewhere" if other else "open", runs=ids, host=where)
    baseline = review.baseline_for(review.setups[setup].medium) or setup
    verdicts = _verdicts(mine, runs.get(baseline, []), margin) if baseline != setup else None
    why = _doubts(mine, where)
    return PlannedCell(
        cell=cell, setup=setup, state="doubtful" if why else "done", why=why, runs=ids, verdicts=verdicts, host=where
    )


def rates_by_text(runs: Sequence[MeasureRun]) -> dict[str, list[float]]:
    """Return the rates of the passes of runs by workload, each state of a drive by itself."""
    found: dict[str, list[float]] = {}
    for run in runs:
        for record in run.workloads:
            for figure in record.figures:
                found.setdefault(figure.text, []).extend(p.rate for p in figure.counted)
    return found


def _verdicts(runs: Sequence[MeasureRun], baseline: Sequence[MeasureRun], margin: float) -> dict[str, Verdict]:
    mine, theirs = rates_by_text(runs), rates_by_text(baseline)
    return {text: decided(rates, theirs[text], margin) for text, rates in mine.items() if text in theirs}


def _doubts(runs: Sequence[MeasureRun], host: str | None) -> tuple[str, ...]:
    """Return what is doubtful about the newest run of a cell."""
    run = runs[-1]
    told = [f"{r.text}: {r.suspect}" for r in run.workloads if r.suspect]
    told += [f"{r.text}: it was throttled by heat" for r in run.workloads if any(p.hot for p in r.counted)]
    told += [f"{r.text}: too few passes in one state" for r in run.workloads if r.counted and not r.figures]
    told += run.unexpected
    if host is not None and run.bench.host != host:
        told.append(f"it was measured on {run.bench.host}, and is for {host}")
    return tuple(told)


def _next(
    plan: Plan, cells: Sequence[PlannedCell], checks: Sequence[Check], visits: int, leaving: Collection[str]
) -> Step | None:
    """Return the check that is due, else the first open cell, else a cell whose comparison is open, else the last check."""
    over = sum(c.state in ("done", "doubtful") for c in cells)
    open_cells = [c for c in cells if c.state == "open" and c.setup not in leaving]
    again = sorted(
        (
            c
            for c in cells
            if c.state in ("done", "doubtful") and c.open_verdicts and len(c.runs) < visits and c.setup not in leaving
        ),
        key=lambda c: (len(c.runs), -len(c.open_verdicts)),
    )
    for check in checks:
        due = len(cells) * (check.number - 1) // (plan.checks - 1)
        last = check.number == plan.checks
        if check.run is None and check.setup not in leaving and over >= due and not (last and (open_cells or again)):
            return Step(check.setup, next((c.cell for c in cells if c.setup == check.setup), None), check.number)
    if open_cells:
        return Step(open_cells[0].setup, open_cells[0].cell)
    return Step(again[0].setup, again[0].cell, again="undecided") if again else None
