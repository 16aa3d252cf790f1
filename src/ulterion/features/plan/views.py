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
    from matplotlib.figure import Figure

    from ulterion.features.plan.judging import Observations
    from ulterion.features.plan.other_reviews import OtherReviewRow
    from ulterion.model.runs.document import AnyRun
    from ulterion.model.store import ReviewFolder


GRID_LINES = 24
GRID_FRAME = 5
"""How many lines the grids of workloads may take together, and how many each takes beside its cells."""


def _runs(folder: ReviewFolder) -> list[AnyRun]:
    from ulterion.features.plan.steps import plan_runs

    return plan_runs(folder)


def _grounds(arguments: argparse.Namespace, folder: ReviewFolder) -> list[Observations]:
    from ulterion.core.errors import UsageError
    from ulterion.features.plan.judging import all_observations

    found = all_observations(folder.review, _runs(folder), arguments.workload)
    if not found:
        raise UsageError("fewer than two cells are measured; first run: ulterion plan run")
    return found


def _foot(folder: ReviewFolder) -> list[str]:
    from ulterion.model.planned import runs_of_plan
    from ulterion.show.figure_base import measured_on

    runs = runs_of_plan(folder.review, _runs(folder))
    return [measured_on([r.bench.host for r in runs], [r.started for r in runs])]


def _figures(
    arguments: argparse.Namespace, env: Environment, wanted: Sequence[tuple[str, Callable[[], Figure]]]
) -> SavedFigures:
    if not arguments.figure or not wanted:
        return SavedFigures()
    paths = check_paths(env.folder / arguments.figure, [name for name, _ in wanted])
    return draw([(path, make) for path, (_, make) in zip(paths, wanted, strict=True)])


def show_grid(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    """Show the figures, cell by cell."""
    from ulterion.core.errors import UsageError, unknown
    from ulterion.core.workloads.suites import short_title
    from ulterion.features.plan.data import grid_answer
    from ulterion.features.plan.figures import draw_grid
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

    def maker(one: Observations) -> Callable[[], Figure]:
        return lambda: draw_grid(
            review, one, rows, columns=columns, unit=arguments.units, foot_words=_foot(folder), dark=arguments.dark
        )

    drawn = _figures(arguments, env, [(g.workload.title, maker(g)) for g in found])
    each = len(next(iter(found)).figures) // len(review.plan.factors[columns] if review.plan else factors) + GRID_FRAME
    shown = found if arguments.long else found[: max(1, GRID_LINES // each)]
    lines = [line for g in shown for line in grid(review, g, rows, columns, arguments.units)]
    others = _others(arguments, env, folder, [g.text for g in found])
    more = [short_title(g.workload) for g in found[len(shown) :]]
    left = [f"{len(more)} more: --workload {listed(more, 'or')}; --long shows all"] if more else []
    told = [*lines, *others_table(others, arguments.units), *left, "next: ulterion plan effects"]
    return show_answer(arguments, env, "grid", grid_answer(found, others), told, drawn=drawn)


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
    from ulterion.features.compare.ports import ports_lines
    from ulterion.features.notes.compatibility import what_works
    from ulterion.results.pooling import runs_for_results
    from ulterion.results.ports import ports

    outcomes = {row.setup: row.outcomes for row in what_works(folder)}
    rows = ports(folder.review, runs_for_results(folder), outcomes)
    if not rows:
        raise UsageError("no setup was measured yet; begin with: ulterion measure --setup NAME")
    return show_answer(arguments, env, "ports", ports_answer(rows), ports_lines(folder.review, rows, arguments.units))


def show_effects(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    """Show what each factor does."""
    from ulterion.core.errors import UsageError
    from ulterion.features.plan.data import effects_answer
    from ulterion.features.plan.figures import draw_effects, draw_sweep
    from ulterion.features.plan.judging import effects
    from ulterion.features.plan.overview import effects_overview
    from ulterion.features.plan.run import look
    from ulterion.features.plan.steps import PlanRequest
    from ulterion.features.plan.sweeps import is_sweep
    from ulterion.features.plan.tables import effects_table
    from ulterion.features.plan.words import next_words

    review = folder.review
    found = [(g, e) for g in _grounds(arguments, folder) if (e := effects(g)) is not None]
    if not found:
        raise UsageError("no factor has two measured levels yet; go on with: ulterion plan run")
    make = draw_sweep if is_sweep(found) else draw_effects
    drawn = _figures(arguments, env, [("effects", lambda: make(review, found, _foot(folder), dark=arguments.dark))])
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
    from ulterion.features.plan.data import ranks_answer
    from ulterion.features.plan.figures import draw_ranks
    from ulterion.features.plan.judging import ranks
    from ulterion.features.plan.overview import ranks_overview
    from ulterion.features.plan.run import look
    from ulterion.features.plan.steps import PlanRequest
    from ulterion.features.plan.tables import ranks_table
    from ulterion.features.plan.words import next_words

    review, margin = folder.review, folder.review.review.margin
    found = [(g, r) for g in _grounds(arguments, folder) if (r := ranks(review, g, arguments.of, margin)) is not None]
    if not found:
        raise UsageError("fewer than two levels are measured; go on with: ulterion plan run")
    placed = [(g, r) for g, r in found if r.places]
    wanted = [("ranks", lambda: draw_ranks(review, placed, _foot(folder), dark=arguments.dark))] if placed else []
    drawn = _figures(arguments, env, wanted)
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
    from ulterion.features.plan.compatibility import compatibility
    from ulterion.features.plan.data import compatibility_answer
    from ulterion.features.plan.tables import compatibility_table

    plan = folder.review.plan
    if plan is None or not plan.compatibility:
        raise UsageError(
            'the plan has no compatibility questions; add compatibility = ["starts the computer"] to [plan]'
        )
    rows = compatibility(folder.review, _runs(folder))
    return show_answer(
        arguments, env, "compatibility", compatibility_answer(rows), compatibility_table(folder.review, rows)
    )
