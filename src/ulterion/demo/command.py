"""`ulterion demo`: the worked example on the simulated bench."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.show.blocks import heading
from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.model.store import ReviewFolder


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument(
        "folder",
        nargs="?",
        type=Path,
        metavar="DIR",
        help="where to put the review (default: ulterion-demo, or the next free name)",
    )
    parser.add_argument("--plan", action="store_true", help="a matrix of 32 cells instead, run from beginning to end")
    parser.add_argument("--no-report", action="store_true", help="without the page that the review ends in")
    options.add_units(parser)


NEXT = (
    "  ulterion measure --setup pod --suite large --passes 8",
    "  ulterion compare pod slip --figure compare.png",
    "  ulterion soak --setup slip --for 30m --figure slip.png",
    "  ulterion compare --soaks pod draught --figure soaks.png",
    "  ulterion capacity --setup crumble",
    "  ulterion claims --everywhere",
    "  ulterion verify report.html",
    "or a drive of your own:  ulterion measure FOLDER",
)


PLAN_NEXT = (
    "  ulterion plan",
    "  ulterion plan grid --figure grid.png",
    "  ulterion plan effects --figure effects.png",
    "  ulterion plan ranks --of drive",
)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Make the review, measure every setup, soak some, show the verdicts."""
    from ulterion.demo.scenario import start

    folder = start(env.folder, arguments.folder, "plan" if arguments.plan else "data")
    shown = folder.path.relative_to(env.folder) if folder.path.is_relative_to(env.folder) else folder.path
    env.show([f"{folder.review.review.title}, on the simulated bench, in {shown}", ""])
    if arguments.plan:
        return _plan(folder, env, arguments.units, str(shown))
    _play(folder, env)
    _judge(folder, env, arguments.units)
    if not arguments.no_report:
        _report(folder, env, arguments.units, shown)
    env.show(["", "It is an ordinary review. Try, inside it:", f"  cd {shown}", *NEXT])
    return Status.DONE


def _plan(folder: ReviewFolder, env: Environment, unit: str, shown: str) -> Status:
    """Run the plan and show what it says."""
    from ulterion.features.plan.judging import all_observations, effects, ranks
    from ulterion.features.plan.live_view import PlanScreen
    from ulterion.features.plan.run import run_plan
    from ulterion.features.plan.steps import PlanRequest, plan_runs
    from ulterion.features.plan.tables import after, effects_table, ranks_table

    done = run_plan(PlanRequest(folder), PlanScreen(env, unit, quiet=False))
    env.show(after(done.now, done.steps, done.failed, done.stopped, ()))
    review = folder.review
    for observations in all_observations(review, plan_runs(folder)):
        found, places = effects(observations), ranks(review, observations, None, review.review.margin)
        env.show(effects_table(review, observations, found) if found else [])
        env.show(ranks_table(review, places) if places else [])
    env.show(["", "It is an ordinary review. Try, inside it:", f"  cd {shown}", *PLAN_NEXT])
    return Status.DONE


def _play(folder: ReviewFolder, env: Environment) -> None:
    """Measure and soak, and say so."""
    from ulterion.core.units import show_duration
    from ulterion.demo.scenario import measure_all, prove_some, soak_some

    for finished in measure_all(folder):
        passes = sum(len(w.passes) for w in finished.run.workloads)
        env.show([f"measured {finished.run.setup:<12}{' > '.join(finished.run.chain):<38}{passes} passes"])
    for soaked in soak_some(folder):
        seconds, _ = soaked.run.soak.done("load")
        chain = " > ".join(soaked.run.chain)
        env.show([f"soaked   {soaked.run.setup:<12}{chain:<38}{show_duration(seconds)} of load"])
    for proven in prove_some(folder):
        chain = " > ".join(proven.run.chain)
        env.show([f"looked at {proven.run.setup:<11}{chain:<38}{proven.run.capacity.finding}"])


def _report(folder: ReviewFolder, env: Environment, unit: str, shown: Path) -> None:
    """Make the page that the review ends in."""
    from ulterion.features.page.assets import write_page
    from ulterion.features.page.build import made_page
    from ulterion.features.page.command import DEFAULT

    made, article, _ = made_page(folder, {}, unit)
    write_page(folder.path / DEFAULT, made.html)
    env.show(
        ["", f"The review as a page: {shown / DEFAULT}, {len(article.sections)} sections, {len(made.pictures)} figures"]
    )


def _judge(folder: ReviewFolder, env: Environment, unit: str) -> None:
    """Show what comes of it."""

    from ulterion.demo.scenario import SOAKED
    from ulterion.features.claims.judging import judge_claims
    from ulterion.features.claims.tables import claims_table
    from ulterion.features.compare.tables import comparison
    from ulterion.features.soak.judging import choose, difference
    from ulterion.features.soak.tables import soaks_table
    from ulterion.results.comparison import compare_review
    from ulterion.results.pooling import runs_for_results

    review, runs = folder.review, runs_for_results(folder)
    groups = compare_review(review, runs)
    labels = {key: review.label(key) for key in [*review.ports, *review.parts]}
    env.show(["", *comparison(groups, labels, unit, review.review.margin)])
    soaks = choose(folder, SOAKED)
    differences = [difference(s, soaks[0]) for s in soaks[1:3]]
    env.show(["", heading("The long run"), "", *soaks_table(soaks, differences, unit)])
    env.show(["", *claims_table(judge_claims(review, runs), review.review.tolerance, unit)])
