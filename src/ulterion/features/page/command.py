"""`ulterion report`: the review as one page that can be published, and checked."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.show.blocks import Article

DEFAULT = "report.html"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument(
        "page", nargs="?", type=Path, metavar="FILE.html", help=f"the page (default: {DEFAULT} in the review folder)"
    )
    parser.add_argument(
        "--figures",
        type=Path,
        metavar="DIR",
        help="also write every figure as SVG and PNG, light and dark, with its caption and its text in words",
    )
    options.add_sizes(parser)
    parser.add_argument(
        "--watch", action="store_true", help="make it again whenever a run or remark is added, until Ctrl-C"
    )
    options.add_review(parser)
    options.add_units(parser)
    options.add_json(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Make the page."""
    from ulterion.core.errors import UsageError

    if arguments.size and arguments.figures is None:
        raise UsageError("--size is for figures; add --figures DIR")
    if arguments.watch and arguments.json:
        raise UsageError("--watch goes on until it is stopped, and --json answers once; leave one out")
    if arguments.watch:
        _watch(arguments, env)
    else:
        _make(arguments, env)
    return Status.DONE


def _make(arguments: argparse.Namespace, env: Environment) -> None:
    from ulterion.features.notes.entries import outcomes
    from ulterion.features.page.assets import check_figures, check_page_path, write_page
    from ulterion.features.page.build import made_page, with_figures_beside

    folder = options.review_for(arguments, env.folder, env.tell)
    place = env.folder if options.is_personal(arguments, env.folder) else folder.path
    path = env.folder / arguments.page if arguments.page else place / DEFAULT
    check_page_path(path)
    made, article, unplaced = made_page(folder, outcomes(folder), arguments.units)
    if arguments.figures is not None:
        article = with_figures_beside(folder, article, outcomes(folder), arguments.units)
        check_figures(env.folder / arguments.figures, article, arguments.size)
    write_page(path, made.html)
    for name in unplaced:
        env.tell(
            f"remarks/{name}.md belongs to no section of this review; there are: intro, {', '.join(s.name for s in article.sections)}"
        )
    figures = _figures(arguments, env, article)
    size = len(made.html.encode())
    if arguments.json:
        told = {
            "page": str(path),
            "bytes": size,
            "sections": [s.name for s in article.sections],
            "figures": figures,
            "unplaced": unplaced,
        }
        env.show_json("report", told)
        return
    shown = path.relative_to(env.folder) if path.is_relative_to(env.folder) else path
    env.show([f"{shown}: {len(article.sections)} sections, {len(made.pictures)} figures, {size / 1e6:.2f} MB"])
    env.show([f"figures in {arguments.figures}: {len(figures)} files"] if figures else [])
    env.show([f"next: ulterion verify {shown}"])


def _figures(arguments: argparse.Namespace, env: Environment, article: Article) -> list[str]:
    if arguments.figures is None:
        return []
    from ulterion.features.page.assets import write_figures

    return [str(p) for p in write_figures(env.folder / arguments.figures, article, arguments.size)]


def _watch(arguments: argparse.Namespace, env: Environment) -> None:
    """Make the page anew whenever the review folder's own files changed."""
    from ulterion.terminal.watch import watch

    folder = options.review_for(arguments, env.folder, lambda sentence: None).path
    watch(env, [folder], lambda changed: _make(arguments, env), "the last page is kept")
