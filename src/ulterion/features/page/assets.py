"""A page and its figures as files: written whole or not at all, and never over what is not ours."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.features.page.article import Article, Headline
from ulterion.features.page.html import CARD
from ulterion.features.page.pictures import drawings, every_drawing, png_of, svg_of
from ulterion.model.files import write_atomically
from ulterion.model.ownfiles import OwnFiles
from ulterion.show.charts import titled
from ulterion.show.figure_files import ENDINGS
from ulterion.show.looks import Look, look_of

MARK = b'<meta name="generator" content="Ulterion '
CAPTIONS = "captions.txt"
HEAD = 4096  # bytes of a page in which its maker stands


def check_page_path(path: Path) -> None:
    """Raise UsageError where a page cannot be written under this name; an older page of ours is replaced."""
    if path.suffix.lower() not in (".html", ".htm"):
        raise UsageError(f"{path} is no .html; give the page this ending")
    if not path.parent.is_dir():
        raise UsageError(f"{path.parent} is not a folder; make it first, or choose another")
    if os.path.lexists(path) and (not path.is_file() or path.is_symlink() or MARK not in _head(path)):
        raise UsageError(f"{path} exists and is no page of this program, so it is left as it is; choose another name")


def _head(path: Path) -> bytes:
    try:
        with path.open("rb") as source:
            return source.read(HEAD)
    except OSError:
        return b""


def write_page(path: Path, html: str) -> None:
    """Write a page whole; raise UsageError."""
    write_atomically(path, html.encode("utf-8"))


def write_card(page: Path, article: Article) -> Path | None:
    """Write the picture that is shown where a page is shared, beside it: its first figure under its headline; None where there is nothing to draw.

    Raises UsageError where a file that is not ours has its name.
    """
    top = next((b for b in article.answer if isinstance(b, Headline)), None)
    every = drawings(article)
    first = next((d for d in every if d.name == "claims"), next(iter(every), None))
    if first is None:
        return None
    title = top.words if top is not None and top.words else first.caption
    own = OwnFiles(page.parent)
    own.check([CARD])
    return own.write(CARD, png_of(replace(first, chart=titled(first.chart, title)), look_of(size="card")))


def check_figures(folder: Path, article: Article, sizes: Sequence[str]) -> None:
    """Raise UsageError where a file that is not ours has the name of a figure, or of the captions."""
    names = [
        f"{d.name}{after}{ending}" for d in every_drawing(article) for after, _ in _looks(sizes) for ending in ENDINGS
    ]
    OwnFiles(folder).check([CAPTIONS, *names])


def _looks(sizes: Sequence[str]) -> Iterator[tuple[str, Look]]:
    """Yield how figures look, in each size light and dark, with what their names end in."""
    for size in sizes or (None,):
        for dark in (False, True):
            yield f"{f'-{size}' if size else ''}{'-dark' if dark else ''}", look_of(dark=dark, size=size)


def write_figures(folder: Path, article: Article, sizes: Sequence[str]) -> list[Path]:
    """Write every figure as SVG and PNG, light and dark, and all captions as a list; return what was written.

    `sizes` by name; none: as wide as the page, and as tall as the figure needs.  Raises UsageError.
    """
    own = OwnFiles(folder)
    written, captions = [], list[str]()
    for drawing in every_drawing(article):
        for after, look in _looks(sizes):
            written.append(own.write(f"{drawing.name}{after}.svg", svg_of(drawing, look)))
            written.append(own.write(f"{drawing.name}{after}.png", png_of(drawing, look)))
        captions.append(f"{drawing.name}\t{drawing.caption}\t{drawing.alternative}")
    return [*written, own.write(CAPTIONS, ("\n".join(captions) + "\n").encode())]
