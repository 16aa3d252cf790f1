"""A page and its figures as files: written whole or not at all, and never over what is not ours."""

from __future__ import annotations

import os
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.features.page.html import Made
from ulterion.features.page.pictures import drawings, png_of
from ulterion.model.files import write_atomically
from ulterion.model.ownfiles import OwnFiles
from ulterion.show.blocks import Article

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


def check_figures(folder: Path, article: Article) -> None:
    """Raise UsageError where a file that is not ours has the name of a figure, or of the captions."""
    names = [d.name for d in drawings(article)]
    OwnFiles(folder).check([CAPTIONS, *(f"{n}{ending}" for n in names for ending in (".svg", ".png"))])


def write_figures(folder: Path, made: Made, article: Article) -> list[Path]:
    """Write every figure as SVG and PNG, and all captions as a list; return what was written.  Raises UsageError."""
    own = OwnFiles(folder)
    written, captions = [], list[str]()
    for drawing in drawings(article):
        for name, data in (
            (f"{drawing.name}.svg", made.pictures[drawing.name]),
            (f"{drawing.name}.png", png_of(drawing)),
        ):
            written.append(own.write(name, data))
        captions.append(f"{drawing.name}\t{drawing.caption}\t{drawing.alternative}")
    return [*written, own.write(CAPTIONS, ("\n".join(captions) + "\n").encode())]
