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
from ulterion.terminal.subcommands import Subcommand, Subcommands

if TYPE_CHECKING:
    from ulterion.model.store import ReviewFolder


def _common(parser: argparse._ActionsContainer) -> None:
    parser.add_argument("--host", metavar="NAME", help="what the plan calls this machine (default: the review's host)")
    parser.add_argument(
        "--visits",
        type=options.count("visits", 20),
        default=2,
        metavar="N",
        help="most runs of a cell while its comparison with the baseline is undecided (default: %(default)s)",
    )
    options.add_review(parser)
    options.add_units(parser)
    options.add_json(parser)


QUESTIONS = Subcommands(
    {
        "show": Subcommand(
            "how far the plan is, and which cell comes next (also what 'plan' alone shows)",
            ("ulterion plan", "ulterion plan show --long"),
            ("long",),
        ),
        "run": Subcommand(
            "measure the next cells, one after the other",
            ("ulterion plan run --for 2h", "ulterion plan run --again pod-usb10"),
            ("for", "steps", "again", "wait"),
        ),
        "grid": Subcommand(
            "the results, cell by cell",
            ("ulterion plan grid --figure grid.png", "ulterion plan grid --of drive --across port"),
            ("workload", "of", "across", "beside", "long", "figure"),
        ),
        "effects": Subcommand(
            "what each factor does, and which factors interact",
            ("ulterion plan effects --figure effects.png", "ulterion plan effects --workload sequential-read"),
            ("workload", "long", "figure"),
        ),
        "ranks": Subcommand(
            "which product is fastest, by how much, and where the order turns",
            ("ulterion plan ranks", "ulterion plan ranks --of drive --figure drives.png"),
            ("of", "workload", "long", "figure"),
        ),
        "compatibility": Subcommand(
            "what works in which cell",
            ("ulterion plan compatibility", "ulterion plan compatibility --json"),
            ("figure",),
        ),
        "ports": Subcommand(
            "the ports of each machine: which bus and controller is behind them, and what they carried",
            ("ulterion plan ports", "ulterion plan ports --units Gb/s"),
            ("figure",),
        ),
    },
    {
        "for": lambda p: p.add_argument(
            "--for",
            dest="seconds",
            type=options.quantity("parse_duration"),
            metavar="TIME",
            help="stop after this long, and say what is left",
        ),
        "steps": lambda p: p.add_argument(
            "--steps", type=options.count("steps", 10_000), metavar="N", help="stop after this many cells"
        ),
        "again": lambda p: p.add_argument(
            "--again",
            action="append",
            default=[],
            metavar="CELL",
            help="measure only this cell once more, named by its setup or its levels ('pod, usb10'); may be repeated",
        ),
        "wait": lambda p: p.add_argument(
            "--wait",
            type=options.quantity("parse_duration"),
            default=86400.0,
            metavar="TIME",
            help="how long to wait for you to plug the next setup in (default: a day)",
        ),
        "workload": lambda p: p.add_argument(
            "--workload", action="append", default=[], metavar="NAME", help="only this workload; may be repeated"
        ),
        "of": lambda p: p.add_argument(
            "--of", metavar="FACTOR", help="the factor whose levels are the rows (default: the plan's first)"
        ),
        "across": lambda p: p.add_argument(
            "--across", metavar="FACTOR", help="the factor whose levels are the columns (default: the plan's last)"
        ),
        "beside": lambda p: p.add_argument(
            "--beside",
            type=Path,
            action="append",
            default=[],
            metavar="REVIEW",
            help="also what another review measured of the same products; may be repeated",
        ),
        "long": lambda p: options.add_depth(p, long="every cell, every workload by itself, with intervals"),
        "figure": options.add_figure,
    },
    _common,
    default="show",
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    QUESTIONS.add_all(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Show, run, or say what it shows."""
    from ulterion.features.plan import views
    from ulterion.model.planned import plan_of
    from ulterion.run.review_folders import open_review

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
    from ulterion.features.plan.state import PlanRequest, look, plan_runs
    from ulterion.features.plan.tables import next_line, sheet

    now = look(PlanRequest(folder, arguments.host, visits=arguments.visits))
    differed = unlike(folder.review, plan_runs(folder))
    if arguments.json:
        env.show_json("plan", plan_answer(now, differed))
    else:
        env.show(
            [
                *sheet(folder.review, now, differed, long=arguments.long),
                "",
                next_line(now),
            ]
        )
    return Status.DONE


def _run(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    from ulterion.core.errors import TargetFailed
    from ulterion.features.plan.data import plan_answer
    from ulterion.features.plan.differences import unlike
    from ulterion.features.plan.live_view import PlanScreen
    from ulterion.features.plan.run import run_plan
    from ulterion.features.plan.state import PlanRequest, plan_runs
    from ulterion.features.plan.tables import after
    from ulterion.terminal.signals import stoppable

    request = PlanRequest(
        review=folder,
        host=arguments.host,
        seconds=arguments.seconds,
        visits=arguments.visits,
        wait=arguments.wait,
        steps=arguments.steps,
        again=tuple(arguments.again),
    )
    shown = PlanScreen(env, folder.review, arguments.units, quiet=arguments.json)
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
