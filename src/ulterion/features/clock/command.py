"""`ulterion clock`: a transfer timed by hand, on a device that runs no program."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.features.clock.run import Typed
    from ulterion.model.store import ReviewFolder

EPILOG = (
    "Ways to write a timing: '4.2 GB in 1m12s', '64 GB not finished after 10m', 'stopped at 30 of 64 GB after 5m', "
    "'64 GB still at 0 % after 2m', 'shows 95 MB/s'.  Numbers are taken as rounded to their last digit."
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.epilog = EPILOG
    parser.add_argument(
        "timing",
        nargs="*",
        default=[],
        metavar="TIMING",
        help="a transfer, such as '4.2 GB in 1m12s'; without any, a stopwatch runs here",
    )
    parser.add_argument("--setup", metavar="SETUP", help="the setup it was timed on")
    parser.add_argument(
        "--task",
        default=None,
        metavar="WORDS",
        help="name of the task; timings of the same task are compared (default: transfer)",
    )
    parser.add_argument("--read", action="store_true", help="it was read from the medium (default: written to it)")
    parser.add_argument(
        "--table",
        type=Path,
        metavar="FILE",
        help="timings from a table (CSV) with the columns timing, setup, task, direction, reaction",
    )
    parser.add_argument(
        "--reaction",
        type=_hand,
        default=None,
        metavar="TIME",
        help="how far the hand is off at each end (default: 0.2 s; 0 s for times that the device itself shows)",
    )
    parser.add_argument("--size", metavar="SIZE", help="with the stopwatch: how much is transferred, for the time left")
    options.add_review(parser)
    options.add_units(parser)
    options.add_json(parser)


def _hand(text: str) -> float:
    from ulterion.core.errors import UsageError
    from ulterion.core.transfers.timings import read_reaction

    try:
        return read_reaction(text)
    except UsageError as error:
        raise argparse.ArgumentTypeError(str(error)) from error


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Take timings, keep them, show them."""
    from ulterion.features.clock.data import clocked_answer
    from ulterion.features.clock.run import keep
    from ulterion.features.clock.tables import kept_lines
    from ulterion.run.review_folders import open_review

    _check(arguments)
    folder = open_review(arguments.review, env.folder, env.tell)
    kept = keep(folder, _typed(arguments, env, folder))
    if arguments.json:
        env.show_json("clocked", clocked_answer(kept))
    else:
        env.show(kept_lines(kept, arguments.units))
        env.show(["next: ulterion compare"])
    return Status.DONE


def _check(arguments: argparse.Namespace) -> None:
    from ulterion.core.errors import UsageError

    if arguments.table and arguments.timing:
        raise UsageError("--table and timings on the command line exclude each other; give one of them")
    if arguments.setup is None and not arguments.table:
        raise UsageError("which setup was it timed on? add --setup NAME")
    if arguments.size and (arguments.timing or arguments.table):
        raise UsageError("--size is for the stopwatch; a timing that is typed says its own size")


def _typed(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> list[Typed]:
    from ulterion.core.links.ceilings import Direction
    from ulterion.core.transfers.timings import HAND
    from ulterion.features.clock.run import TRANSFER, Typed, read_table, read_typed
    from ulterion.features.clock.stopwatch_keys import timed_live

    task, reaction_seconds = (
        arguments.task or TRANSFER,
        HAND if arguments.reaction is None else arguments.reaction,
    )
    direction: Direction = "read" if arguments.read else "write"
    if arguments.table:
        return read_table(env.folder / arguments.table, arguments.setup, task, direction, reaction_seconds)
    if arguments.timing:
        return read_typed(arguments.timing, arguments.setup, task, direction, reaction_seconds)
    folder.review.setup(arguments.setup)
    return [Typed(arguments.setup, task, direction, "live", timed_live(env, arguments.size, reaction_seconds))]
