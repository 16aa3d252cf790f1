"""`ulterion archive`: all reviews together, searchable, old and new products in one chart."""

from __future__ import annotations

import argparse
from dataclasses import asdict, replace
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.features.archive.location import WHERE, opened_archive
from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from sqlalchemy.engine import Engine

    from ulterion.features.archive.query import Question
    from ulterion.model.store import ReviewFolder

WHAT = {
    "add": "put the runs of review folders into the archive; again is harmless",
    "find": "results that fit words: 'USB 10 Gb/s enclosures, write over 900 MB/s, since 2025'",
    "chart": "the same as a figure",
    "rebuild": "make the archive anew from the folders named",
}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument("what", choices=tuple(WHAT), help="; ".join(f"{n}: {w}" for n, w in WHAT.items()))
    parser.add_argument(
        "words",
        nargs="*",
        default=[],
        metavar="WORDS",
        help="add, rebuild: review folders (default: this one); find, chart: what is looked for",
    )
    parser.add_argument(
        "--archive", metavar="WHERE", help=f"a file, or postgresql://... (default: {WHERE}, or one in your data folder)"
    )
    parser.add_argument(
        "--watch", action="store_true", help="add: go on, and put in every run as it ends, until Ctrl-C"
    )
    parser.add_argument("--every", action="store_true", help="find: every run, and not the best of each products alone")
    parser.add_argument(
        "--most", type=options.count("rows", 5000), default=200, metavar="N", help="rows (default: %(default)s)"
    )
    parser.add_argument("--figure", type=Path, metavar="FILE", help="chart: the figure, as PNG or SVG")
    parser.add_argument("--dark", action="store_true", help="a figure for a dark page")
    options.add_units(parser)
    options.add_json(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Do what is asked for."""
    from ulterion.core.errors import UsageError
    from ulterion.features.archive.query import parse_question

    if arguments.what == "chart" and arguments.figure is None:
        raise UsageError("a chart is a figure; say where to: --figure FILE.png")
    if arguments.what != "chart" and (arguments.figure or arguments.dark):
        raise UsageError(f"'archive {arguments.what}' draws nothing; --figure goes with chart")
    if arguments.watch and (arguments.what != "add" or arguments.json):
        raise UsageError("--watch goes with 'archive add' alone, and without --json: it goes on until it is stopped")
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
    from ulterion.features.archive.figures import draw_archive
    from ulterion.features.archive.query import ask, unlike
    from ulterion.features.archive.tables import answers_table
    from ulterion.terminal.drawing import SavedFigures, check_paths, draw, show_answer

    found = ask(engine, question, arguments.most)
    doubts, drawn = unlike(found), SavedFigures()
    if arguments.figure and found:
        (path,) = check_paths(env.folder / arguments.figure)
        title = " ".join(arguments.words) or "All of the archive"
        drawn = draw([(path, lambda: draw_archive(found, title, arguments.units, doubts, dark=arguments.dark))])
    data = {"answers": [asdict(a) for a in found], "unlike": doubts}
    return show_answer(arguments, env, "found", data, answers_table(found, doubts, arguments.units), drawn=drawn)
