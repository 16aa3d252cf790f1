"""Charts that are written as files beside the page, and stand in no section of it."""

from __future__ import annotations

from collections.abc import Iterator

from ulterion.core.units import show_size
from ulterion.features.capacity.charts import capacity_chart
from ulterion.features.clock.charts import transfers_chart
from ulterion.features.compare.machine_charts import ports_chart
from ulterion.features.estimate.charts import values_chart
from ulterion.features.estimate.value import values
from ulterion.features.notes.charts import works_map
from ulterion.features.notes.compatibility import what_works
from ulterion.features.page.article import Drawing
from ulterion.features.page.inputs import ReportInputs
from ulterion.features.plan.charts import grid_chart, ranks_chart
from ulterion.features.plan.judging import ranks
from ulterion.features.soak.charts import coolers_chart
from ulterion.model.runs.capacity import CapacityRun
from ulterion.model.runs.header import counted
from ulterion.results.ports import ports
from ulterion.show.looks import Cast


def more_figures(inputs: ReportInputs) -> Iterator[Drawing]:
    """Yield what the sections of the page do not draw: ports, money, coolers, capacities, transfers, what works, and the matrix."""
    review, unit, cast = inputs.review, inputs.unit, Cast.of(inputs.review)
    rows = ports(review, inputs.runs)
    if len([r for r in rows if r.best]) > 1:
        yield Drawing("ports", ports_chart(review, rows, unit))
    size = float(review.report.work)
    priced = values_chart(review, values(review, inputs.runs, size, {"read": 1.0}), show_size(size), unit)
    if priced is not None:
        yield Drawing("value", priced)
    warm = coolers_chart(review, inputs.soaks, cast) if len(inputs.soaks) > 1 else None
    if warm is not None:
        yield Drawing("coolers", warm)
    for run in counted(inputs.runs, CapacityRun):
        yield Drawing(f"capacity-{run.id}", capacity_chart(run))
    timed = [r for r in inputs.clocked if r.estimate is not None]
    if timed:
        yield Drawing("transfers", transfers_chart(timed, unit, cast))
    noted = what_works(inputs.folder)
    if noted:
        yield Drawing("works", works_map(review, noted))
    yield from _matrix(inputs)


def _matrix(inputs: ReportInputs) -> Iterator[Drawing]:
    """Yield the order of a plan's products, and the map of each workload."""
    review, plan = inputs.review, inputs.review.plan
    if plan is None or len(plan.factors) < 2:
        return
    placed = [(g, r) for g in inputs.observations if (r := ranks(review, g, None, review.review.margin)) and r.places]
    if placed:
        yield Drawing("ranks", ranks_chart(review, placed, inputs.unit, ""))
    down, *_, across = plan.factors
    for one in inputs.observations:
        yield Drawing(f"grid-{one.workload.title}", grid_chart(review, [one], down, across, inputs.unit, foot=""))
