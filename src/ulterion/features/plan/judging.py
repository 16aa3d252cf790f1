"""A matrix as observations: what the runs of a plan, and of other reviews that are set beside it, say of each cell."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ulterion.core.errors import UsageError, unknown
from ulterion.core.matrix.effects import Effects, effects_of
from ulterion.core.matrix.grid import Cell
from ulterion.core.matrix.ranks import Ranks, ranks_of
from ulterion.core.matrix.weights import Observed
from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import Estimate
from ulterion.core.stats.samples import Rates
from ulterion.core.workloads.suites import short_title
from ulterion.core.workloads.workload import Workload
from ulterion.model.planned import cells_of, plan_of, rates_by_text, runs_of_plan
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.measure import MeasureRun
from ulterion.results.pooling import pooled_results


@dataclass(frozen=True)
class Observations:
    """One workload over all cells.

    Attributes:
        workload, text: which.
        observed: a run of a cell, or of a check, each.
        figures: of each cell that was measured, as a comparison has them; `rates` what they come of.
    """

    workload: Workload
    text: str
    observed: tuple[Observed, ...]
    figures: dict[Cell, Estimate]
    rates: dict[Cell, Rates]


def all_observations(review: Review, runs: Sequence[AnyRun], wanted: Sequence[str] = ()) -> list[Observations]:
    """Return every workload of a plan that was measured in two cells or more; raise UsageError for a name that none has."""
    mine = runs_of_plan(review, runs)
    of = {setup: cell for cell, setup in cells_of(review).items()}
    measured = pooled_results(runs)
    workloads: dict[str, Workload] = {f.text: f.workload for r in mine for w in r.workloads for f in w.figures}
    names = {text: {short_title(w), w.title, text} for text, w in workloads.items()}
    for name in wanted:
        if not any(name in some for some in names.values()):
            raise UsageError(unknown("workload", name, sorted(short_title(w) for w in workloads.values())))
    found = []
    for text, workload in workloads.items():
        if wanted and not names[text] & set(wanted):
            continue
        observed = _observed(mine, text, of)
        cells = {o.cell for o in observed if o.cell is not None}
        if len(cells) > 1:
            known = {c: m for h, c in of.items() if c in cells and (m := measured.get(h, {}).get(text))}
            figures = {c: m.estimate for c, m in known.items()}
            rates: dict[Cell, Rates] = {c: m.rates for c, m in known.items()}
            found.append(Observations(workload, text, tuple(observed), figures, rates))
    return found


def _observed(runs: Sequence[MeasureRun], text: str, of: dict[str, Cell]) -> list[Observed]:
    start = min((r.started for r in runs), default=None)
    observed = []
    for run in runs:
        rates = rates_by_text([run]).get(text)
        if rates and start is not None and run.setup is not None:
            hour = (run.started - start).total_seconds() / 3600
            logs = tuple(math.log(r) for r in rates)
            observed.append(Observed(of.get(run.setup), run.setup, logs, hour))
    return observed


def effects(observations: Observations) -> Effects | None:
    """Return what the factors do to a workload."""
    return effects_of(observations.observed)


def ranks(review: Review, observations: Observations, factor: str | None, margin: float) -> Ranks | None:
    """Return the ranks of a factor's levels, the plan's first unless one is named; raise UsageError for one that it has not."""
    plan = plan_of(review)
    if factor is not None and factor not in plan.factors:
        raise UsageError(unknown("factor", factor, plan.factors))
    return ranks_of(observations.observed, factor or next(iter(plan.factors)), margin)
