"""`ulterion clock`: a transfer timed by hand, on a device that runs no program."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.terminal import options
from ulterion.terminal.drawing import SavedFigures, draw_one
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.features.clock.judging import ClockRow
    from ulterion.features.clock.run import Typed
    from ulterion.model.runs.clock import ClockRun
    from ulterion.model.runs.document import AnyRun
    from ulterion.model.store import ReviewFolder

SAME_SIZE = 0.03  # by how much the sizes of one job may differ, as they are rounded differently
EPILOG = (
    "Ways to write a timing: '4.2 GB in 1m12s', '64 GB not finished after 10m', 'stopped at 30 of 64 GB after 5m', "
    "'64 GB still at 0% after 2m', 'shows 95 MB/s'.  Numbers are taken as rounded to their last digit."
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.epilog = EPILOG
    parser.add_argument(
        "timing",
        nargs="*",
        default=[],
        metavar="TIMING",
        help="a transfer with the name of what was timed, such as 'old reader: 4.2 GB in 1m12s'; without one, a stopwatch starts",
    )
    parser.add_argument("--setup", metavar="SETUP", help="the setup of timings without a name")
    options.add_label(parser)
    parser.add_argument(
        "--task",
        default=None,
        metavar="WORDS",
        help="name of the task; timings of the same task are compared (default: transfer)",
    )
    parser.add_argument("--read", action="store_true", help="the data was read from the medium (default: written)")
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
        help="reaction time at each end (default: 0.2 s; use 0 s for times shown by the device)",
    )
    parser.add_argument(
        "--size", metavar="SIZE", help="with the stopwatch: the size of the transfer, to show the time left"
    )
    options.add_figure(parser, sized=False)
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
    from ulterion.features.clock.answer import answers
    from ulterion.features.clock.charts import transfers_chart
    from ulterion.features.clock.data import clocked_answer
    from ulterion.features.clock.run import keep
    from ulterion.features.clock.tables import clocked_lines
    from ulterion.show.looks import Cast

    _check(arguments)
    folder = options.review_for(arguments, env.folder, env.tell)
    kept = keep(folder, _typed(arguments, env, folder))
    rows = _beside(folder, [k.run for k in kept], personal=options.is_personal(arguments, env.folder))
    sentences = answers(folder.review, rows, arguments.units)
    drawn = SavedFigures()
    if any(r.estimate is not None for r in rows):
        chart = partial(transfers_chart, rows, arguments.units, Cast.of(folder.review))
        drawn = draw_one(arguments, env, "transfers", chart, folder.review.report.titles)
    if arguments.json:
        env.show_json("clocked", clocked_answer(kept, sentences, rows), drawn.as_data())
    else:
        env.show(clocked_lines(folder.review, sentences, rows, kept, arguments.units))
        drawn.show(env)
        env.show([_next(folder, rows)])
    drawn.end(env)
    return Status.DONE


def _beside(folder: ReviewFolder, kept: Sequence[ClockRun], *, personal: bool) -> list[ClockRow]:
    """Return the new timings beside other transfers of the same tasks: the review's, or outside a review those of the last day."""
    from ulterion.features.clock.judging import clocked_rows
    from ulterion.results.late_runs import LAST, late

    folder.refresh()
    setups = list(dict.fromkeys(r.setup for r in kept if r.setup is not None))
    tasks = {(r.clock.task, r.clock.direction) for r in kept}
    timed = folder.without_series([s for s in folder.summaries() if s.kind in ("clock", "copy")])
    if personal:
        timed = list(kept) if len(setups) > 1 else [r for r in late(timed, LAST) if _alike(r, kept)]
    rows = clocked_rows(folder.review, timed, folder.review.review.margin)
    return [r for r in rows if (r.task, r.direction) in tasks]


def _alike(run: AnyRun, timed: Sequence[ClockRun]) -> bool:
    """Return whether a run moved as much as one of several: outside a review nothing else says that it was the same job."""
    from ulterion.model.runs.clock import ClockRun

    sizes = [t.size for one in timed for t in one.timings if t.size]
    return isinstance(run, ClockRun) and any(
        abs(t.size - size) <= SAME_SIZE * size for t in run.timings for size in sizes
    )


def _next(folder: ReviewFolder, rows: Sequence[ClockRow]) -> str:
    """Return the next step of the review."""
    from ulterion.core.stats.samples import SEEN

    if len({r.setup for r in rows}) < 2:
        return "next: time another, such as: ulterion clock 'new reader: 4.2 GB in 31s'"
    few = [r for r in rows if r.verdict == "undecided" and not r.copied and r.estimate and r.estimate.passes < SEEN]
    if few:
        return f"next: time each again, such as: ulterion clock '{folder.review.setup_label(few[0].setup)}: ...'"
    return "next: ulterion compare"


def _check(arguments: argparse.Namespace) -> None:
    from ulterion.core.errors import UsageError
    from ulterion.features.clock.run import split_label

    if arguments.table and arguments.timing:
        raise UsageError("--table and timings on the command line cannot be combined; give one of them")
    if arguments.label and arguments.setup:
        raise UsageError("--as makes a setup and --setup names one that is there; give one of them")
    bare = not arguments.timing or any(split_label(text)[0] is None for text in arguments.timing)
    if bare and arguments.setup is None and arguments.label is None and not arguments.table:
        example = arguments.timing[0] if arguments.timing else "4.2 GB in 1m12s"
        raise UsageError(
            f"what was timed? Name it: ulterion clock 'old reader: {example}', or add --as LABEL or --setup NAME"
        )
    if arguments.size and (arguments.timing or arguments.table):
        raise UsageError("--size is for the stopwatch; a timing that is typed includes its size")


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
    setup = _setup(arguments, folder)
    if arguments.timing:
        return read_typed(arguments.timing, partial(_named, folder, setup), task, direction, reaction_seconds)
    assert setup is not None
    return [Typed(setup, task, direction, "live", timed_live(env, arguments.size, reaction_seconds))]


def _setup(arguments: argparse.Namespace, folder: ReviewFolder) -> str | None:
    """Return the setup of timings without a name."""
    from ulterion.run.naming import setup_by_hand

    return setup_by_hand(folder, arguments.label) if arguments.label is not None else arguments.setup


def _named(folder: ReviewFolder, otherwise: str | None, label: str | None) -> str:
    """Return the setup that a timing's label means, made where it is new."""
    from ulterion.run.naming import setup_by_hand

    if label is None:
        assert otherwise is not None  # asked for before
        return otherwise
    return setup_by_hand(folder, label)
