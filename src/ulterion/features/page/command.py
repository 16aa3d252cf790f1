"""`ulterion report`: the review as one page that can be published, and checked."""

from __future__ import annotations

import argparse
import os
from contextlib import nullcontext
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.core.records import dataclass
from ulterion.features.compare.other_review_options import add_also
from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.features.page.article import Article
    from ulterion.features.page.build import Composed
    from ulterion.model.store import ReviewFolder

DEFAULT = "report.html"
GENTLE = 15  # how far a page that follows a run stands back


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
        "--fragment",
        action="store_true",
        help="write a part to embed in a page of your own; it carries no runs, so it cannot be verified",
    )
    add_also(parser)
    parser.add_argument(
        "--watch",
        action="store_true",
        help="rebuild the page when a run or remark is added, and every half minute during a run, until Ctrl-C",
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


@dataclass(frozen=True)
class _Written:
    """A page that was written: where, how many bytes, what it was made of, its figures as files, and its picture, None without one."""

    path: Path
    size: int
    made: Composed
    figures: list[str]
    picture: Path | None


def _make(arguments: argparse.Namespace, env: Environment) -> None:
    """Write the page and show what came of it."""
    from ulterion.features.page.page_file import check_page_path

    folder = options.review_for(arguments, env.folder, env.tell)
    place = env.folder if options.is_personal(arguments, env.folder) else folder.path
    path = env.folder / arguments.page if arguments.page else place / DEFAULT
    check_page_path(path)
    done = _write(arguments, env, folder, path)
    _tell_unknown(env, done.made)
    names = [s.name for s in done.made.article.every]
    if arguments.json:
        told = {
            "page": str(path),
            "bytes": done.size,
            "sections": names,
            "figures": done.figures,
            "picture": None if done.picture is None else str(done.picture),
            "unplaced": list(done.made.unplaced),
        }
        env.show_json("report", told)
        return
    shown = path.relative_to(env.folder) if path.is_relative_to(env.folder) else path
    env.show([f"{shown}: {len(names)} sections, {done.size / 1e6:.2f} MB"])
    env.show([f"figures in {arguments.figures}: {len(done.figures)} files"] if done.figures else [])
    env.show([] if arguments.fragment else [f"next: ulterion verify {shown}"])


def _write(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder, path: Path) -> _Written:
    """Write the page, its figures where they are asked for, and the picture for sharing it."""
    import tempfile

    from ulterion.features.compare.other_review_options import guests_of
    from ulterion.features.page.card import CardProcess
    from ulterion.features.page.gathering import gathered
    from ulterion.features.page.page_file import write_page

    guests = guests_of(arguments.also, env)
    with (
        tempfile.TemporaryDirectory(prefix="ulterion-report-") as scratch,
        nullcontext() if arguments.fragment else CardProcess(path) as card,
    ):
        from ulterion.features.notes.entries import outcomes
        from ulterion.features.page.build import composed_of, page_of

        every = gathered(folder, guests, Path(scratch), under_way=arguments.watch)
        made = composed_of(every, outcomes(every), arguments.units, None if card is None else card.draw)
        page = page_of(every, made, arguments.units, fragment=arguments.fragment)
        figures = _figures(arguments, env, every, made.article)
        why = card.ended() if card is not None else ""
        write_page(path, page)
    if why:
        env.tell(f"the page has no picture for sharing: {why}")
    return _Written(path, len(page.encode()), made, figures, None if card is None or why else card.path)


def _tell_unknown(env: Environment, made: Composed) -> None:
    """Tell which of the reviewer's names for sections there are none of."""
    there = ", ".join(["intro", *(s.name for s in made.article.every)])
    for name in made.unplaced:
        env.tell(f"remarks/{name}.md belongs to no section of this review; there are: {there}")
    for name in made.unknown:
        env.tell(f"report.order or report.without: no section is called '{name}'; there are: {there}")


def _figures(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder, article: Article) -> list[str]:
    """Write the figures where they are asked for; return their paths."""
    if arguments.figures is None:
        return []
    from ulterion.features.notes.entries import outcomes
    from ulterion.features.page.assets import check_figures, write_figures
    from ulterion.features.page.build import with_figures_beside

    every = with_figures_beside(folder, article, outcomes(folder), arguments.units)
    check_figures(env.folder / arguments.figures, every, arguments.size)
    return [str(p) for p in write_figures(env.folder / arguments.figures, every, arguments.size)]


def _watch(arguments: argparse.Namespace, env: Environment) -> None:
    """Make the page anew whenever the review folder's own files changed."""
    from ulterion.terminal.watch import watch

    folder = options.review_for(arguments, env.folder, lambda sentence: None).path
    if hasattr(os, "nice"):  # not on Windows
        os.nice(GENTLE)  # what is being measured meanwhile comes first
    watch(env, [folder], lambda changed: _make(arguments, env), "the last page is kept", journals=True)
