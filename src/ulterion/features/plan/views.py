"""What a plan's matrix shows: grid, effects, ranks, functions and ports."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from ulterion.show.blocks import BLANK, heading
from ulterion.terminal.drawing import SavedFigures, check_paths, draw, show_answer
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.features.plan.judging import Observations
    from ulterion.features.plan.other_reviews import OtherReviewRow
    from ulterion.model.runs.document import AnyRun
    from ulterion.model.store import ReviewFolder
    from ulterion.show.charts import Chart


GRID_LINES = 24
GRID_FRAME = 5
"""How many lines the grids of workloads may take together, and how many each takes beside its cells."""


def _runs(folder: ReviewFolder) -> list[AnyRun]:
    from ulterion.features.plan.state import plan_runs

    return plan_runs(folder)


def _grounds(arguments: argparse.Namespace, folder: ReviewFolder) -> list[Observations]:
    from ulterion.core.errors import UsageError
    from ulterion.features.plan.judging import all_observations

    found = all_observations(folder.review, _runs(folder), arguments.workload)
    if not found:
        raise UsageError("fewer than two cells are measured; first run: ulterion plan run")
    return found


def _foot(folder: ReviewFolder) -> str:
    from ulterion.model.planned import runs_of_plan
    from ulterion.show.charts import measured_on

    runs = runs_of_plan(folder.review, _runs(folder))
    return measured_on([r.bench.host for r in runs], [r.started for r in runs])


def _figures(
    arguments: argparse.Namespace,
    env: Environment,
    folder: ReviewFolder,
    wanted: Sequence[tuple[str, Callable[[], Chart]]],
) -> SavedFigures:
    if not arguments.figure or not wanted:
        return SavedFigures()
    paths = check_paths(env.folder / arguments.figure, [name for name, _ in wanted])
    named = [(path, name, make) for path, (name, make) in zip(paths, wanted, strict=True)]
    return draw(arguments, named, folder.review.report.titles)


def show_grid(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    """Show the figures, cell by cell."""
    from ulterion.core.errors import UsageError, unknown
    from ulterion.core.workloads.suites import short_title
    from ulterion.features.plan.data import grid_answer
    from ulterion.features.plan.tables import grid, others_table
    from ulterion.show.sentences import listed

    review, found = folder.review, _grounds(arguments, folder)
    factors = list(review.plan.factors) if review.plan else []
    for name in (arguments.of, arguments.across):
        if name is not None and name not in factors:
            raise UsageError(unknown("factor", name, factors))
    if len(factors) == 1:
        return _show_levels(arguments, env, folder, found)
    rows = arguments.of or next(f for f in factors if f != arguments.across)
    columns = arguments.across or next(f for f in reversed(factors) if f != rows)
    if rows == columns:
        raise UsageError(f"a grid is of two factors, and '{rows}' is named for both; leave --across out")

    drawn = _figures(arguments, env, folder, _grid_charts(arguments, folder, found, (rows, columns)))
    each = len(next(iter(found)).figures) // len(review.plan.factors[columns] if review.plan else factors) + GRID_FRAME
    shown = found if arguments.long else found[: max(1, GRID_LINES // each)]
    lines = [line for g in shown for line in grid(review, g, rows, columns, arguments.units)]
    others = _others(arguments, env, folder, [g.text for g in found])
    more = [short_title(g.workload) for g in found[len(shown) :]]
    left = [f"{len(more)} more: --workload {listed(more, 'or')}; --long shows all"] if more else []
    told = [*lines, *others_table(others, arguments.units), *left, "next: ulterion plan effects"]
    return show_answer(arguments, env, "grid", grid_answer(found, others), told, drawn=drawn)


def _grid_charts(
    arguments: argparse.Namespace, folder: ReviewFolder, found: Sequence[Observations], factors: tuple[str, str]
) -> list[tuple[str, Callable[[], Chart]]]:
    """Return the charts of a grid: of two factors one with large reads and writes, else one for each workload."""
    from ulterion.features.plan.charts import grid_chart

    review = folder.review

    def maker(shown: Sequence[Observations]) -> Callable[[], Chart]:
        return lambda: grid_chart(review, shown, *factors, unit=arguments.units, foot=_foot(folder))

    large = [g for g in found if g.workload.pattern == "sequential" and g.workload.is_large][:2]
    if review.plan is not None and len(review.plan.factors) == 2 and len(large) == 2 and not arguments.workload:
        return [("grid", maker(large))]
    return [(g.workload.title, maker([g])) for g in found]


def _show_levels(
    arguments: argparse.Namespace, env: Environment, folder: ReviewFolder, found: Sequence[Observations]
) -> Status:
    """Show the figures of a plan's one factor, level by level."""
    from ulterion.core.errors import UsageError
    from ulterion.features.plan.data import grid_answer
    from ulterion.features.plan.tables import levels_table, others_table

    if arguments.figure:
        raise UsageError("a plan of one factor has no grid to draw; draw its order: ulterion plan ranks --figure FILE")
    others = _others(arguments, env, folder, [g.text for g in found])
    table = levels_table(folder.review, found, arguments.units)
    told = [*table, *others_table(others, arguments.units), "next: ulterion plan ranks"]
    return show_answer(arguments, env, "grid", grid_answer(found, others), told)


def _others(
    arguments: argparse.Namespace, env: Environment, folder: ReviewFolder, texts: Sequence[str]
) -> list[OtherReviewRow]:
    """Return what the reviews that were named measured of the same products."""
    from ulterion.features.plan.other_reviews import beside
    from ulterion.results.pooling import runs_for_results
    from ulterion.run.review_folders import open_review

    found = []
    for path in arguments.beside:
        other = open_review(path, env.folder, env.tell)
        found += beside(folder.review, other.review, runs_for_results(other), texts)
    return found


def show_ports(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    """Show the ports beside each other."""
    from ulterion.core.errors import UsageError
    from ulterion.features.compare.data import ports_answer
    from ulterion.features.compare.machine_charts import ports_chart
    from ulterion.features.compare.ports import ports_lines
    from ulterion.features.notes.compatibility import what_works
    from ulterion.results.pooling import runs_for_results
    from ulterion.results.ports import ports

    outcomes = {row.setup: row.outcomes for row in what_works(folder)}
    rows = ports(folder.review, runs_for_results(folder), outcomes)
    if not rows:
        raise UsageError("no setup was measured yet; begin with: ulterion measure --setup NAME")
    wanted = [("ports", lambda: ports_chart(folder.review, rows, arguments.units))]
    drawn = _figures(arguments, env, folder, wanted)
    lines = ports_lines(folder.review, rows, arguments.units)
    return show_answer(arguments, env, "ports", ports_answer(rows), lines, drawn=drawn)


def show_effects(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    """Show what each factor does."""
    from ulterion.core.errors import UsageError
    from ulterion.features.plan.charts import effects_chart, sweep_chart
    from ulterion.features.plan.data import effects_answer
    from ulterion.features.plan.judging import effects
    from ulterion.features.plan.overview import effects_overview
    from ulterion.features.plan.state import PlanRequest, look
    from ulterion.features.plan.sweeps import is_sweep
    from ulterion.features.plan.tables import effects_table
    from ulterion.features.plan.words import next_words

    review = folder.review
    found = [(g, e) for g in _grounds(arguments, folder) if (e := effects(g)) is not None]
    if not found:
        raise UsageError("no factor has two measured levels yet; go on with: ulterion plan run")
    make = sweep_chart if is_sweep(found) else effects_chart
    drawn = _figures(arguments, env, folder, [("effects", lambda: make(review, found, _foot(folder)))])
    lines = effects_overview(review, found)
    if arguments.long:
        lines += [line for g, e in found for line in effects_table(review, g, e)]
    now = look(PlanRequest(folder, arguments.host, visits=arguments.visits))
    return show_answer(
        arguments,
        env,
        "effects",
        effects_answer(found),
        [*lines, "", next_words(review, now, [e for _, e in found], "ulterion plan ranks")],
        drawn=drawn,
    )


def show_ranks(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    """Show who is best."""
    from ulterion.core.errors import UsageError
    from ulterion.features.plan.charts import ranks_chart
    from ulterion.features.plan.data import ranks_answer
    from ulterion.features.plan.judging import ranks
    from ulterion.features.plan.overview import ranks_overview
    from ulterion.features.plan.state import PlanRequest, look
    from ulterion.features.plan.tables import ranks_table
    from ulterion.features.plan.words import next_words

    review, margin = folder.review, folder.review.review.margin
    found = [(g, r) for g in _grounds(arguments, folder) if (r := ranks(review, g, arguments.of, margin)) is not None]
    if not found:
        raise UsageError("fewer than two levels are measured; go on with: ulterion plan run")
    placed = [(g, r) for g, r in found if r.places]
    wanted = [("ranks", lambda: ranks_chart(review, placed, arguments.units, _foot(folder)))] if placed else []
    drawn = _figures(arguments, env, folder, wanted)
    lines = ranks_overview(review, found)
    if arguments.long:
        lines += [line for g, r in found for line in (BLANK, heading(g.text), *ranks_table(review, r))]
    now = look(PlanRequest(folder, arguments.host, visits=arguments.visits))
    unsure = any(sum(p.best == 1 for p in r.places) > 1 for _, r in found)
    after = "ulterion plan grid, for the fastest in each place" if unsure else "ulterion claims, then ulterion report"
    following = next_words(review, now, [], after)
    return show_answer(arguments, env, "ranks", ranks_answer(found), [*lines, "", following], drawn=drawn)


def show_compatibility(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    """Show what works where."""
    from ulterion.core.errors import UsageError
    from ulterion.features.plan.charts import compatibility_chart
    from ulterion.features.plan.compatibility import compatibility
    from ulterion.features.plan.data import compatibility_answer
    from ulterion.features.plan.tables import compatibility_table

    plan = folder.review.plan
    if plan is None or not plan.compatibility:
        raise UsageError(
            'the plan has no compatibility questions; add compatibility = ["starts the computer"] to [plan]'
        )
    rows = compatibility(folder.review, _runs(folder))
    wanted = [("compatibility", lambda: compatibility_chart(folder.review, rows, _foot(folder)))]
    drawn = _figures(arguments, env, folder, wanted)
    lines = compatibility_table(folder.review, rows)
    return show_answer(arguments, env, "compatibility", compatibility_answer(rows), lines, drawn=drawn)
