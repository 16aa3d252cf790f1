"""The figures of an article as files: written whole or not at all, and never over what is not ours."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

from ulterion.features.page.article import Article
from ulterion.features.page.pictures import every_drawing, files_of
from ulterion.model.ownfiles import OwnFiles
from ulterion.show.figure_files import ENDINGS
from ulterion.show.looks import Look, look_of

CAPTIONS = "captions.txt"


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
            files = files_of(drawing, look)
            written += [own.write(f"{drawing.name}{after}.{form}", files[form]) for form in ("svg", "png")]
        captions.append(f"{drawing.name}\t{drawing.caption}\t{drawing.alternative}")
    return [*written, own.write(CAPTIONS, ("\n".join(captions) + "\n").encode())]
