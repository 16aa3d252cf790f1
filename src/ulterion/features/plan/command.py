"""`ulterion plan`: the matrix still to run, run, and what it shows."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.model.store import ReviewFolder

WHAT = {
    "show": "the cells, how far they are, and what comes next (default)",
    "run": "take the next steps until nothing is open, or the time is up",
    "grid": "the figures, cell by cell",
    "effects": "what each factor does, and which do something only together",
    "ranks": "who is best, by how much, and where the order turns",
    "compatibility": "what works in which cell",
    "ports": "the ports of the hosts beside each other, what is behind each, and what it carried",
}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    told = "; ".join(f"{name}: {words}" for name, words in WHAT.items())
    parser.add_argument("what", nargs="?", choices=tuple(WHAT), default="show", help=told)
    parser.add_argument(
        "--for",
        dest="seconds",
        type=options.quantity("parse_duration"),
        metavar="TIME",
        help="run: no longer than this; what stays open is said",
    )
    parser.add_argument(
        "--steps", type=options.count("steps", 10_000), metavar="N", help="run: take so many steps at most"
    )
    parser.add_argument(
        "--visits",
        type=options.count("visits", 20),
        default=2,
        metavar="N",
        help="how often a cell is measured at most, while its comparison with the baseline is open (default: %(default)s)",
    )
    parser.add_argument(
        "--wait",
        type=options.quantity("parse_duration"),
        default=86400.0,
        metavar="TIME",
        help="run: how long a hand is waited for (default: a day)",
    )
    parser.add_argument("--host", metavar="NAME", help="what the plan calls this machine (default: the review's host)")
    _add_shown(parser)
    options.add_review(parser)
    options.add_units(parser)
    options.add_json(parser)


def _add_shown(parser: argparse.ArgumentParser) -> None:
    """Add the options on what is shown of a matrix."""
    parser.add_argument(
        "--workload", action="append", default=[], metavar="NAME", help="only this workload; may be given again"
    )
    parser.add_argument(
        "--of",
        metavar="FACTOR",
        help="ranks: of this factor's levels; grid: its levels down the side (default: the plan's first)",
    )
    parser.add_argument(
        "--across", metavar="FACTOR", help="grid: this factor's levels across (default: the plan's last)"
    )
    parser.add_argument(
        "--beside",
        type=Path,
        action="append",
        default=[],
        metavar="REVIEW",
        help="grid: what another review measured of the same products; may be given again",
    )
    parser.add_argument("--figure", type=Path, metavar="FILE", help="grid, effects, ranks: draw it, as PNG or SVG")
    parser.add_argument("--dark", action="store_true", help="a figure for a dark page")


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Show, run, or say what it shows."""
    from ulterion.core.errors import UsageError
    from ulterion.features.plan import views
    from ulterion.model.planned import plan_of
    from ulterion.run.review_folders import open_review

    if arguments.dark and not arguments.figure:
        raise UsageError("--dark is for a figure; add --figure FILE")
    if arguments.figure and arguments.what not in ("grid", "effects", "ranks"):
        raise UsageError(f"'plan {arguments.what}' draws nothing; --figure goes with grid, effects or ranks")
    folder = open_review(arguments.review, env.folder, env.tell)
    if arguments.what != "ports":
        plan_of(folder.review)
    does: dict[str, Callable[[argparse.Namespace, Environment, ReviewFolder], Status]] = {
        "show": _show,
        "run": _run,
        "grid": views.show_grid,
        "effects": views.show_effects,
        "ranks": views.show_ranks,
        "compatibility": views.show_compatibility,
        "ports": views.show_ports,
    }
    return does[arguments.what](arguments, env, folder)


def _show(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    from ulterion.features.plan.data import plan_answer
    from ulterion.features.plan.differences import unlike
    from ulterion.features.plan.run import look
    from ulterion.features.plan.steps import PlanRequest, plan_runs
    from ulterion.features.plan.tables import sheet

    now = look(PlanRequest(folder, arguments.host, visits=arguments.visits))
    differed = unlike(folder.review, plan_runs(folder))
    if arguments.json:
        env.show_json("plan", plan_answer(now, differed))
    else:
        env.show(
            [
                *sheet(folder.review, now, differed),
                "next: ulterion plan run" if now.next else "next: ulterion plan effects",
            ]
        )
    return Status.DONE


def _run(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    from ulterion.core.errors import TargetFailed
    from ulterion.features.plan.data import plan_answer
    from ulterion.features.plan.differences import unlike
    from ulterion.features.plan.live_view import PlanScreen
    from ulterion.features.plan.run import run_plan
    from ulterion.features.plan.steps import PlanRequest, plan_runs
    from ulterion.features.plan.tables import after
    from ulterion.terminal.signals import stoppable

    request = PlanRequest(
        review=folder,
        host=arguments.host,
        seconds=arguments.seconds,
        visits=arguments.visits,
        wait=arguments.wait,
        steps=arguments.steps,
    )
    shown = PlanScreen(env, arguments.units, quiet=arguments.json)
    with stoppable(), closing(shown):
        done = run_plan(request, shown)
    differed = unlike(folder.review, plan_runs(folder))
    if arguments.json:
        env.show_json("plan", plan_answer(done.now, differed, done.steps, done.failed, done.stopped))
    else:
        env.show(after(done.now, done.steps, done.failed, done.stopped, differed))
    if done.failed:
        name, why = next(iter(done.failed.items()))
        raise TargetFailed(f"{len(done.failed)} of the plan's setups failed, '{name}' first: {why}")
    return Status.DONE
