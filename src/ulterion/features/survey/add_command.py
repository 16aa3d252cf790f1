"""`ulterion add`: write a port, part, claim or setup into review.toml, its comments and order kept."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.model.review_editing import Tables
    from ulterion.model.store import ReviewFolder

FIELDS = {
    "part": ("name", "kind", "link", "inside", "claims", "price"),
    "port": ("link", "name"),
    "claim": (),
    "setup": ("chain", "target", "label"),
}
"""What each kind of table can be given, by options of the same name."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument("what", choices=tuple(FIELDS), help="what is added")
    parser.add_argument(
        "key", metavar="KEY", help="its short name in the review; of a claim the part or port that it is of"
    )
    parser.add_argument("claim", nargs="*", default=[], metavar="CLAIM", help="of a claim: 'read 1050 MB/s'")
    parser.add_argument("--name", metavar="TEXT", help="maker and product, as readers know it")
    parser.add_argument("--kind", metavar="TEXT", help="drive, card, enclosure, reader, hub, adapter, cable, ...")
    parser.add_argument("--link", metavar="LINK", help="its link towards the host, such as 'USB 10 Gb/s', or 'unknown'")
    parser.add_argument("--inside", metavar="LINK", help="of a part: its link towards the medium")
    parser.add_argument("--claims", metavar="TEXT", help="what the box says: 'read 1050 MB/s, write 1000 MB/s'")
    parser.add_argument("--price", metavar="PRICE", help="such as '34 EUR'")
    parser.add_argument("--chain", metavar="TEXT", help="of a setup: 'port > part > drive'")
    parser.add_argument("--target", metavar="DIR", help="of a setup: the folder where the drive is mounted")
    parser.add_argument("--label", metavar="TEXT", help="of a setup: what you call it")
    parser.add_argument(
        "--baseline", action="store_true", help="of a setup: the others of its medium are compared with it"
    )
    parser.add_argument(
        "--from",
        dest="drive",
        metavar="DRIVE",
        help="of a setup: chain and expectation from what is plugged in, such as sdb",
    )
    parser.add_argument("--print", dest="only_print", action="store_true", help="show the TOML and write nothing")
    options.add_review(parser)
    options.add_json(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Write it, and show what was written."""
    from ulterion.model.review import FILE_NAME
    from ulterion.model.review_editing import add_tables, tables_text
    from ulterion.run.review_folders import open_review

    _check(arguments)
    folder = open_review(arguments.review, env.folder, env.tell)
    path = folder.path / FILE_NAME
    if arguments.what == "claim":
        text = _claim(arguments, path, folder)
    else:
        tables = _tables(arguments, env, path, folder)
        text = tables_text(tables)
        if not arguments.only_print:
            add_tables(path, tables)
    if arguments.json:
        from ulterion.features.survey.data import Added

        env.show_json("added", Added(str(path), not arguments.only_print, text))
    else:
        env.show(
            [
                *text.rstrip().split("\n"),
                "",
                *([] if arguments.only_print else [f"written into {path}", _next(arguments)]),
            ]
        )
    return Status.DONE


def _next(arguments: argparse.Namespace) -> str:
    return (
        f"next: ulterion measure --setup {arguments.key}"
        if arguments.what == "setup"
        else "next: ulterion add setup ..."
    )


def _check(arguments: argparse.Namespace) -> None:
    """Refuse options that the kind of table does not have."""
    from ulterion.core.errors import UsageError

    given = [n for n in dict.fromkeys(n for names in FIELDS.values() for n in names) if getattr(arguments, n)]
    given += [n for n, there in (("baseline", arguments.baseline), ("from", arguments.drive)) if there]
    known = (*FIELDS[arguments.what], *(("baseline", "from") if arguments.what == "setup" else ()))
    wrong = next((n for n in given if n not in known), None)
    if wrong is not None:
        raise UsageError(f"a {arguments.what} has no --{wrong}")
    if bool(arguments.claim) != (arguments.what == "claim"):
        raise UsageError("write a claim like this: ulterion add claim pod 'read 1050 MB/s'")
    if arguments.drive and arguments.chain and ">" not in arguments.chain:
        raise UsageError("--from takes the chain from what is plugged in; leave --chain out")


def _tables(arguments: argparse.Namespace, env: Environment, path: Path, folder: ReviewFolder) -> Tables:
    """Return the tables to write; on a terminal, ask for what is missing."""
    from ulterion.core.errors import UsageError
    from ulterion.features.survey.adding import ASKED, asked_for, checked, values_of

    if arguments.drive:
        return checked(path, _from_drive(arguments, folder))
    given = {n: str(getattr(arguments, n)) for n in FIELDS[arguments.what] if getattr(arguments, n)}
    answers = asked_for(path, arguments.what, arguments.key, given, ask=env.ask_text, tell=env.tell)
    missing = [w.key for w in ASKED[arguments.what] if w.needed and w.key not in answers and w.key != "kind"]
    if missing:
        raise UsageError(
            f"{arguments.what} '{arguments.key}' needs --{missing[0]}, or a terminal on which it can be asked for"
        )
    values = values_of(arguments.what, answers, folder.review)
    if arguments.baseline:
        values["baseline"] = True
    return checked(path, {(f"{arguments.what}s", arguments.key): values})


def _from_drive(arguments: argparse.Namespace, folder: ReviewFolder) -> Tables:
    from ulterion.features.survey.adding import setup_from
    from ulterion.features.survey.run import find_drive, surveyed

    with surveyed() as survey:
        drive = find_drive(survey, arguments.drive)
    through = [arguments.key] if arguments.key in folder.review.parts else []
    tables = setup_from(folder.review, arguments.key, drive, arguments.label or "", through)
    if arguments.baseline:
        tables["setups", arguments.key]["baseline"] = True
    return tables


def _claim(arguments: argparse.Namespace, path: Path, folder: ReviewFolder) -> str:
    """Write claims into the table of their part or port; return their TOML."""
    from ulterion.core.errors import UsageError, unknown
    from ulterion.features.survey.adding import claims_of
    from ulterion.model.review_editing import add_claims, tables_text

    claims, review = claims_of(" ".join(arguments.claim)), folder.review
    if arguments.key not in review.parts and arguments.key not in review.ports:
        raise UsageError(unknown("part or port", arguments.key, [*review.parts, *review.ports]))
    kind = "parts" if arguments.key in review.parts else "ports"
    add_claims(path, kind, arguments.key, claims, write=not arguments.only_print)
    return tables_text({(kind, arguments.key): {"claims": claims}})
