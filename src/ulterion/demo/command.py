"""`ulterion demo`: the worked example on the simulated bench."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.model.planned import Planned, Step
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
    "  ulterion compare pod --why                        what limits the enclosure, and the evidence",
    "  ulterion claims                                   the boxes against what was measured",
    "  ulterion compare --soaks pod draught slip         the long run, and the heat",
    "  ulterion versus vault vault-long                  one drive in two places",
    "or with a drive of your own:  ulterion measure FOLDER --as 'front port' --quick",
)


PLAN_NEXT = (
    "  ulterion plan grid --figure grid.png              every cell, as a table and as a picture",
    "  ulterion plan effects --figure effects.png        what each part does",
    "  ulterion plan ranks --of drive                    which drive is fastest",
)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Make the review, measure every setup, soak some, show the verdicts."""
    from ulterion.demo.scenario import start

    folder = start(env.folder, arguments.folder, "plan" if arguments.plan else "data")
    shown = folder.path.relative_to(env.folder) if folder.path.is_relative_to(env.folder) else folder.path
    title = f"{folder.review.review.title}, on the simulated bench, in {shown}"
    if arguments.plan:
        env.show([title, ""])
        return _plan(folder, env, arguments.units, str(shown))
    env.show([title])
    _play(folder, env)
    _judge(folder, env, arguments.units)
    if not arguments.no_report:
        _report(folder, env, arguments.units, shown)
    env.show(["", "It is an ordinary review. Try, inside it:", f"  cd {shown}", *NEXT])
    return Status.DONE


def _plan(folder: ReviewFolder, env: Environment, unit: str, shown: str) -> Status:
    """Run the plan and show what it says."""
    from ulterion.features.plan.judging import all_observations, effects
    from ulterion.features.plan.overview import effects_overview
    from ulterion.features.plan.run import run_plan
    from ulterion.features.plan.state import PlanRequest, plan_runs
    from ulterion.features.plan.steps import PlanObserver
    from ulterion.features.plan.words import progress
    from ulterion.show.sentences import sentence_of

    class Progress(PlanObserver):
        """Shows which cell is on."""

        def step(self, step: Step, now: Planned) -> None:
            env.show_progress(progress(now))

    done = run_plan(PlanRequest(folder), Progress())
    env.show_progress("")
    review = folder.review
    found = [(o, e) for o in all_observations(review, plan_runs(folder)) if (e := effects(o)) is not None]
    env.show([sentence_of(progress(done.now)), "", *effects_overview(review, found)])
    env.show(["", "It is an ordinary review. Try, inside it:", f"  cd {shown}", *PLAN_NEXT])
    return Status.DONE


def _play(folder: ReviewFolder, env: Environment) -> None:
    """Measure, soak and prove; on a terminal it is shown which setup is on, and in the end how many were."""
    from ulterion.demo.scenario import measure_all, prove_some, soak_some

    counts = []
    for doing, runs in (("measured", measure_all), ("soaked", soak_some), ("proven", prove_some)):
        done = 0
        for finished in runs(folder):
            done += 1
            env.show_progress(f"{doing} {finished.run.setup}")
        counts.append(done)
    env.show_progress("")
    env.show([f"{counts[0]} setups measured, {counts[1]} soaked, the capacity of {counts[2]} proven", ""])


def _report(folder: ReviewFolder, env: Environment, unit: str, shown: Path) -> None:
    """Make the page that the review ends in."""
    from ulterion.features.page.card import CardProcess
    from ulterion.features.page.command import DEFAULT
    from ulterion.features.page.page_file import write_page

    with CardProcess(folder.path / DEFAULT) as card:
        from ulterion.features.page.build import composed_of, page_of

        made = composed_of(folder, {}, unit, card.draw)
        page = page_of(folder, made, unit)
        why = card.ended()
        write_page(folder.path / DEFAULT, page)
    if why:
        env.tell(f"the page has no picture for sharing: {why}")
    env.show(["", f"The review as a page: {shown / DEFAULT}, {len(made.article.every)} sections"])


def _judge(folder: ReviewFolder, env: Environment, unit: str) -> None:
    """Show the results: a line for each setup, the findings of the long runs, and the verdicts on the claims."""
    from ulterion.demo.scenario import SOAKED
    from ulterion.features.claims.judging import judge_claims
    from ulterion.features.claims.overview import counted
    from ulterion.features.claims.speedup import rivals
    from ulterion.features.compare.overview import every_setup
    from ulterion.features.soak.judging import choose, difference
    from ulterion.features.soak.words import difference_words
    from ulterion.results.comparison import compare_review
    from ulterion.results.pooling import runs_for_results
    from ulterion.show.sentences import sentence_of

    review, runs = folder.review, runs_for_results(folder)
    env.show(every_setup(review, compare_review(review, runs), unit))
    soaks = choose(folder, SOAKED)
    told = [sentence_of(difference_words(difference(s, soaks[0]))) for s in soaks[1:2]]
    claims = sentence_of(counted(judge_claims(review, runs), rivals(review, runs)))
    env.show(["", *told, claims])
