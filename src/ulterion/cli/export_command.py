"""`ulterion export`: tables of a review for other programs, and for pasting."""

from __future__ import annotations

import argparse
from pathlib import Path

from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

NAMES = (
    "results",
    "passes",
    "series",
    "soaks",
    "soak-series",
    "claims",
    "comparisons",
    "transfers",
    "compatibility",
    "readings",
)
FORMS = ("csv", "json", "parquet", "markdown", "html")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument(
        "table", nargs="*", default=[], metavar="TABLE", help=f"which: {', '.join(NAMES)} (default: all)"
    )
    parser.add_argument("--as", dest="form", choices=FORMS, default="csv", help="the form (default: %(default)s)")
    parser.add_argument(
        "--to", type=Path, metavar="DIR", help="the folder to write into (default: one table to standard output)"
    )
    parser.add_argument(
        "--figures",
        action="store_true",
        help="write every figure instead, as SVG and PNG, light and dark, with captions",
    )
    options.add_sizes(parser)
    options.add_review(parser)
    options.add_units(parser)
    options.add_json(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Write the tables."""
    from ulterion.api import TABLES, Review
    from ulterion.cli.export_tables import FORMS as FORM
    from ulterion.core.errors import UsageError, unknown

    if arguments.figures:
        return _figures(arguments, env)
    if arguments.size:
        raise UsageError("--size is for figures; add --figures")
    for name in arguments.table:
        if name not in TABLES:
            raise UsageError(unknown("table", name, TABLES))
    if arguments.to is None and (len(arguments.table) != 1 or arguments.json or arguments.form == "parquet"):
        raise UsageError("say where to: --to DIR; one table in words goes to standard output: ulterion export results")
    review = Review(options.review_to_read(arguments, env.folder, env.tell))
    ending, write = FORM[arguments.form]
    if arguments.to is None:
        data = write(review.table(arguments.table[0]), arguments.table[0])
        env.out.write(data.decode("utf-8", "replace"))
        return Status.DONE
    return _write_all(arguments, env, review, ending)


def _figures(arguments: argparse.Namespace, env: Environment) -> Status:
    """Write every figure of the review, in the sizes that are asked for."""
    from ulterion.core.errors import UsageError
    from ulterion.features.notes.entries import outcomes
    from ulterion.features.page.assets import check_figures, write_figures
    from ulterion.features.page.build import article_with_every_figure

    if arguments.to is None or arguments.table:
        raise UsageError("figures go to a folder, and without tables: ulterion export --figures --to DIR")
    folder = options.review_to_read(arguments, env.folder, env.tell)
    article = article_with_every_figure(folder, outcomes(folder), arguments.units)
    to = env.folder / arguments.to
    check_figures(to, article, arguments.size)
    written = write_figures(to, article, arguments.size)
    if arguments.json:
        env.show_json("exported", {"files": {str(path): None for path in written}})
    else:
        env.show([f"figures in {arguments.to}: {len(written)} files"])
    return Status.DONE


def _write_all(arguments: argparse.Namespace, env: Environment, review: object, ending: str) -> Status:
    """Write every table that there is something for, each whole or not at all."""
    from ulterion.api import TABLES, Review
    from ulterion.cli.export_tables import FORMS as FORM
    from ulterion.core.errors import UsageError
    from ulterion.model.ownfiles import OwnFiles

    assert isinstance(review, Review)
    own, written = OwnFiles(env.folder / arguments.to), {}
    own.check(f"{name}{ending}" for name in arguments.table or TABLES)
    for name in arguments.table or TABLES:
        try:
            frame = review.table(name)
        except UsageError as error:  # nothing was measured, or claimed
            if arguments.table:
                raise
            env.tell(f"{name}: {error}")
            continue
        path = own.write(f"{name}{ending}", FORM[arguments.form][1](frame, name))
        written[str(path)] = len(frame)
    if arguments.json:
        env.show_json("exported", {"files": written})
    else:
        env.show([f"{Path(p).name}: {rows} rows" for p, rows in written.items()])
    return Status.DONE
