"""`ulterion archive`: all reviews together, searchable, old and new products in one chart."""

from __future__ import annotations

import argparse
from dataclasses import asdict, replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.features.archive.location import WHERE, opened_archive
from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status
from ulterion.terminal.subcommands import Subcommand, Subcommands

if TYPE_CHECKING:
    from sqlalchemy.engine import Engine

    from ulterion.features.archive.query import Question
    from ulterion.model.store import ReviewFolder


def _common(parser: argparse._ActionsContainer) -> None:
    parser.add_argument(
        "--archive", metavar="WHERE", help=f"a file, or postgresql://... (default: {WHERE}, or one in your data folder)"
    )
    options.add_units(parser)
    options.add_json(parser)


FOLDERS = ("FOLDER", "review folders (default: the one you are in)")
SOUGHT = ("WORDS", "what to look for: 'USB 10 Gb/s enclosures, write over 900 MB/s, since 2025'")
QUESTIONS = Subcommands(
    {
        "add": Subcommand(
            "put the runs of review folders into the archive (safe to repeat)",
            ("ulterion archive add ~/reviews/*", "ulterion archive add --watch"),
            ("watch",),
            FOLDERS,
        ),
        "find": Subcommand(
            "find the results that match a description",
            (
                "ulterion archive find 'USB 10 Gb/s enclosures, write over 900 MB/s'",
                "ulterion archive find 'card readers, since 2025' --every",
            ),
            ("every", "most"),
            SOUGHT,
        ),
        "chart": Subcommand(
            "draw the results that match a description",
            (
                "ulterion archive chart 'USB 10 Gb/s enclosures' --figure ten.png",
                "ulterion archive chart 'microSD cards, read' --figure cards.svg --dark",
            ),
            ("every", "most", "figure"),
            SOUGHT,
        ),
        "rebuild": Subcommand(
            "make the archive again from review folders",
            ("ulterion archive rebuild ~/reviews/*", "ulterion archive rebuild . --archive all.sqlite"),
            (),
            FOLDERS,
        ),
    },
    {
        "watch": lambda p: p.add_argument(
            "--watch", action="store_true", help="go on, and put in every run as it ends, until Ctrl-C"
        ),
        "every": lambda p: p.add_argument(
            "--every", action="store_true", help="every run, not only the best of each product"
        ),
        "most": lambda p: p.add_argument(
            "--most", type=options.count("rows", 5000), default=200, metavar="N", help="rows (default: %(default)s)"
        ),
        "figure": options.add_figure,
    },
    _common,
    several=True,
    dest="words",
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    QUESTIONS.add_all(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Do what is asked for."""
    from ulterion.core.errors import UsageError
    from ulterion.features.archive.query import parse_question

    if arguments.what is None:
        raise UsageError(f"say what to do: {', '.join(QUESTIONS.every)}; such as: ulterion archive add")
    if arguments.what == "chart" and arguments.figure is None:
        raise UsageError("a chart needs a file to be drawn to: --figure FILE.png")
    if arguments.watch and arguments.json:
        raise UsageError("--watch goes on until it is stopped, so it makes no JSON")
    folders = _folders(arguments, env) if arguments.what in ("add", "rebuild") else []
    question = None if folders else parse_question(" ".join(arguments.words))
    engine = opened_archive(arguments.archive, env, reads=question is not None)
    try:
        if question is not None:
            return _find(arguments, env, engine, replace(question, best_only=not arguments.every))
        if arguments.watch:
            _watch(arguments, env, engine, folders)
        else:
            _add(arguments, env, engine, folders)
        return Status.DONE
    finally:
        engine.dispose()


def _folders(arguments: argparse.Namespace, env: Environment) -> list[ReviewFolder]:
    from ulterion.run.review_folders import open_review

    return [open_review(None if n is None else env.folder / n, env.folder, env.tell) for n in arguments.words or [None]]


def _add(arguments: argparse.Namespace, env: Environment, engine: Engine, folders: list[ReviewFolder]) -> None:
    from ulterion.features.archive.adding import Added, add_review, rebuild
    from ulterion.features.archive.tables import added_words

    if arguments.what == "rebuild":
        each = rebuild(engine, folders)
    else:
        each = [add_review(engine, folder) for folder in folders]
    if arguments.json:
        env.show_json("archived", asdict(sum(each, Added())))
    else:
        env.show([added_words(added, folder.path.name) for added, folder in zip(each, folders, strict=True)])


def _watch(arguments: argparse.Namespace, env: Environment, engine: Engine, folders: list[ReviewFolder]) -> None:
    """Put in what comes into the folders, as it comes."""
    from ulterion.model.store import ReviewFolder
    from ulterion.terminal.watch import watch

    def again(changed: list[Path]) -> None:
        _add(arguments, env, engine, [ReviewFolder.open(path, env.tell) for path in changed])

    watch(env, [folder.path for folder in folders], again, "what came in is in the archive")


def _find(arguments: argparse.Namespace, env: Environment, engine: Engine, question: Question) -> Status:
    from ulterion.features.archive.charts import archive_chart
    from ulterion.features.archive.query import ask, unlike
    from ulterion.features.archive.tables import answers_table
    from ulterion.terminal.drawing import SavedFigures, check_paths, draw, show_answer

    found = ask(engine, question, arguments.most)
    doubts, drawn = unlike(found), SavedFigures()
    if arguments.figure and found:
        (path,) = check_paths(env.folder / arguments.figure)
        title = " ".join(arguments.words) or "All of the archive"
        chart = partial(archive_chart, found, title, arguments.units, doubts)
        drawn = draw(arguments, [(path, "archive", chart)])
    data = {"answers": [asdict(a) for a in found], "unlike": doubts}
    return show_answer(arguments, env, "found", data, answers_table(found, doubts, arguments.units), drawn=drawn)
