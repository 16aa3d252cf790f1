"""`ulterion note`: a reading, an outcome or a remark, put where it belongs; or another instrument's log."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.model.store import ReviewFolder

MAX_NOTES = 100_000
WORDS_HELP = "what to note: 'case 38 C at 12m', 'works with the charger', 'not recognised', or any remark; without words, list all notes"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument("words", nargs="*", default=[], metavar="WORDS", help=WORDS_HELP)
    parser.add_argument("--run", metavar="ID", help="the run it belongs to (default: the current or newest run)")
    parser.add_argument("--setup", metavar="SETUP", help="the setup it belongs to, if not a run")
    parser.add_argument(
        "--as",
        dest="label",
        metavar="LABEL",
        help="what it is about, in your own words, even if nothing was measured: 'the hub on the tablet'",
    )
    _add_changes(parser)
    _add_log(parser)
    options.add_review(parser)
    options.add_json(parser)


def _add_changes(parser: argparse.ArgumentParser) -> None:
    """Add the options that change what was noted, or let a run count no more."""
    change = parser.add_mutually_exclusive_group()
    change.add_argument(
        "--correct",
        type=options.count("a note", MAX_NOTES),
        metavar="NUMBER",
        help="replace a note, by its number in the list; the old words stay in the run document",
    )
    change.add_argument(
        "--take-back",
        type=options.count("a note", MAX_NOTES),
        metavar="NUMBER",
        help="withdraw a note; it stays in the run document, marked",
    )
    change.add_argument(
        "--exclude",
        metavar="RUN",
        help="exclude a run from all results, for the reason given in words; --take-back undoes it",
    )


def _add_log(parser: argparse.ArgumentParser) -> None:
    """Add the options for another instrument's log."""
    log = parser.add_argument_group("a log of another instrument (CSV), aligned with a soak by time")
    log.add_argument("--log", type=Path, metavar="FILE", help="the CSV file; its first line names the columns")
    log.add_argument("--name", metavar="NAME", help="what the log measured: case, room, power, ...")
    log.add_argument("--time-column", metavar="COLUMN", help="column of the times (default: the first)")
    log.add_argument("--value-column", metavar="COLUMN", help="column of the values (default: the second)")
    log.add_argument(
        "--zone", metavar="ZONE", help="time zone of times without one, such as 'Europe/Lisbon' or '+02:00'"
    )
    log.add_argument(
        "--shift",
        type=options.signed_duration,
        default=0.0,
        metavar="TIME",
        help="correction of the log's clock, such as '-3 s'",
    )


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Note it and say where it went."""
    from ulterion.features.notes.entries import noted
    from ulterion.features.notes.tables import noted_lines
    from ulterion.terminal.options import review_for

    folder = review_for(arguments, env.folder, env.tell)
    if arguments.label is not None:
        arguments.setup = _labelled(arguments, folder)
    where = _noted(arguments, env, folder)
    if where is None:
        notes = noted(folder)
        if arguments.json:
            env.show_json("notes", notes)
        else:
            env.show(noted_lines(notes))
    elif arguments.json:
        env.show_json("noted", where)
    else:
        env.show([f"noted: {where['what']}", f"with {where['where']}"])
    return Status.DONE


def _labelled(arguments: argparse.Namespace, folder: ReviewFolder) -> str:
    """Return the setup of a label, made where it is new; raise UsageError."""
    from ulterion.core.errors import UsageError
    from ulterion.run.naming import setup_by_hand

    if arguments.setup is not None or not arguments.words:
        raise UsageError(
            "--as takes the words to note, and no --setup: ulterion note --as 'the hub on the tablet' 'works'"
        )
    return setup_by_hand(folder, arguments.label)


def _noted(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> dict[str, object] | None:
    """Note, correct or take back what was asked for; return what and where, None when nothing was."""
    from ulterion.core.errors import UsageError
    from ulterion.features.notes.attach import exclude, note_words
    from ulterion.features.notes.entries import correct, take_back

    words = " ".join(arguments.words)
    if arguments.exclude is not None:
        if arguments.log or arguments.setup or arguments.run:
            raise UsageError("--exclude already names the run; leave out --log, --setup and --run")
        return exclude(folder, arguments.exclude, words)
    if arguments.correct is not None or arguments.take_back is not None:
        if arguments.log or arguments.setup or arguments.run:
            raise UsageError(
                "a note is corrected or taken back by its number alone; leave --log, --setup and --run out"
            )
        if (arguments.correct is None) == bool(words):
            raise UsageError("--correct NUMBER takes the new words, --take-back NUMBER none")
        return (
            take_back(folder, arguments.take_back)
            if arguments.correct is None
            else correct(folder, arguments.correct, words)
        )
    if arguments.log is not None:
        if words or arguments.setup or not arguments.name:
            raise UsageError("--log takes --name NAME and a run, and no words: ulterion note --log FILE --name case")
        columns = (arguments.time_column, arguments.value_column)
        log = env.folder / arguments.log
        from ulterion.features.notes.logs import attach_log

        return attach_log(
            folder, arguments.run, log, name=arguments.name, columns=columns, zone=arguments.zone, shift=arguments.shift
        )
    return note_words(folder, words, arguments.run, arguments.setup, env.confirm) if words else None
