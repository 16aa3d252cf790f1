"""Figures as files: whether one can be written under a name, told before anything is measured; and writing it.

Every text of a figure is only ever text: no formula is read into it, nothing unprintable is left in it, and where our font
lacks its script another that is installed is used.
"""

from __future__ import annotations

import io
import os
import re
import stat
import warnings
from collections.abc import Callable, Sequence
from html import escape
from pathlib import Path
from typing import Protocol

import matplotlib as mpl
from matplotlib import font_manager
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.backends.backend_svg import FigureCanvasSVG
from matplotlib.figure import Figure
from matplotlib.text import Text
from PIL import Image
from PIL.PngImagePlugin import PngInfo

from ulterion.core.errors import UsageError
from ulterion.core.text import visible
from ulterion.model.files import write_atomically
from ulterion.show.drawing import Picture

ENDINGS = (".png", ".svg")
MAX_NAME_BYTES = 255  # bytes of a file name (Linux, most file systems)
HEAD = 16384  # bytes of a figure in which its maker stands
MAKER = "drawn by Ulterion"
FILM_ENDINGS = (".gif",)
MAX_ALTERNATIVE = 3000  # characters of a chart in words within its file
BOXES = "Last Resort"  # a font that has a box for every sign there is
PACKED = 4  # of 9: what 6 would save is 2% of a file, for two thirds more time
FAMILY = "DejaVu Sans"  # comes with Matplotlib, so that a figure looks alike everywhere

mpl.rcParams["text.parse_math"] = False  # a name such as "US$5 to $9" is no formula


def check_figure_path(path: Path, endings: Sequence[str] = ENDINGS) -> None:
    """Raise UsageError when a figure cannot be written under this name; an older figure of ours is replaced."""
    if path.suffix.lower() not in endings:
        raise UsageError(f"{path} does not end in {' or '.join(endings)}; give its name that ending")
    if len(os.fsencode(path.name)) > MAX_NAME_BYTES - 20:  # it is written beside its place first
        raise UsageError(f"{path} has a name of {len(os.fsencode(path.name))} bytes, too long; choose a shorter one")
    try:
        if not path.parent.is_dir():
            raise UsageError(f"{path.parent} is not a folder; make it first, or choose another")
        there = path.lstat() if os.path.lexists(path) else None
    except (OSError, ValueError) as error:
        raise UsageError(f"{path} cannot be written: {getattr(error, 'strerror', None) or error}") from error
    if there is not None and not stat.S_ISREG(there.st_mode):
        raise UsageError(f"{path} exists and is not a plain file; choose another name")
    if there is not None and there.st_size and not _is_ours(path):
        raise UsageError(
            f"{path} exists and was not drawn by this program, so it is left as it is; choose another name"
        )
    if not os.access(path.parent, os.W_OK | os.X_OK):
        raise UsageError(f"{path.parent} cannot be written by you; choose another folder")


def _is_ours(path: Path) -> bool:
    try:
        with path.open("rb") as source:
            return MAKER.encode() in source.read(HEAD)
    except OSError:
        return False


def beside(path: Path, name: str) -> Path:
    """Return the path of one of several figures: the name goes into the file's, with what no file name may hold left out."""
    safe = re.sub(r"[^\w.+-]", "-", visible(name))[:60] or "figure"
    return path.with_name(f"{path.stem}-{safe}{path.suffix}")


def save_picture(picture: Picture, path: Path) -> list[str]:
    """Write a picture as PNG or SVG, by its ending; return what a reader should know of it, in sentences.

    Raises UsageError when it cannot be written; then what was there before still is.
    """
    check_figure_path(path)
    missing = _clean(picture.figure)
    write_atomically(path, drawn_bytes(picture, path.suffix.lower().removeprefix(".")))
    if not missing:
        return []
    shown = "".join(sorted(missing)[:10])
    return [
        f"{path.name}: no font here has the signs {shown}, which appear as boxes in it; install a font for that script"
    ]


def save_film(path: Path, data: bytes) -> None:
    """Write a film in GIF with our mark in it; raise UsageError, also where a file is there that is not ours."""
    check_figure_path(path, FILM_ENDINGS)
    # a comment goes behind the colours of the whole film (GIF89a, 18, 19 and 24)
    head = 13 + (3 * 2 ** ((data[10] & 7) + 1) if data[10] & 0x80 else 0)
    mark = MAKER.encode()
    write_atomically(path, data[:head] + b"\x21\xfe" + bytes([len(mark)]) + mark + b"\0" + data[head:])


def drawn_bytes(picture: Picture, form: str) -> bytes:
    """Return a picture as the bytes of an 'svg' or 'png' file with its words in it."""
    return drawn_files(picture, [form])[form]


def drawn_files(picture: Picture, forms: Sequence[str]) -> dict[str, bytes]:
    """Return a picture as the bytes of files, by their form, 'png' or 'svg': it is laid out once for all, and drawn once for each."""
    figure = picture.figure
    _clean(figure)
    engine = figure.get_layout_engine()
    if engine is not None:
        engine.execute(figure)
    figure.set_layout_engine("none")
    with warnings.catch_warnings(), mpl.rc_context({"svg.fonttype": "none"}):
        warnings.simplefilter("ignore")  # of signs that no font has, which is told in our own words
        return {form: _svg(picture) if form == "svg" else _png(picture) for form in sorted(forms)}


class FigureCanvas(Protocol):
    """What Matplotlib draws a figure on."""

    def draw(self) -> None:
        """Draw the figure."""

    def buffer_rgba(self) -> memoryview:
        """Return what was drawn, four bytes for each dot."""

    def get_width_height(self) -> tuple[int, int]:
        """Return how many dots there are across and down."""


def _png(picture: Picture) -> bytes:
    """Return a picture as PNG.  It has no transparent part, and without that channel a third less is to be packed."""
    canvas: FigureCanvas = FigureCanvasAgg(picture.figure)
    words, data = PngInfo(), io.BytesIO()
    for name, said in _words(picture, "Software", "Source").items():
        words.add_text(name, said)
    canvas.draw()  # savefig would draw it once more
    drawn = Image.frombuffer("RGBA", canvas.get_width_height(), bytes(canvas.buffer_rgba())).convert("RGB")
    resolution = (picture.figure.dpi, picture.figure.dpi)
    drawn.save(data, "PNG", pnginfo=words, dpi=resolution, compress_level=PACKED)
    return data.getvalue()


def _svg(picture: Picture) -> bytes:
    data, words = io.BytesIO(), {"Date": None, **_words(picture, "Creator", "Identifier")}
    write: Callable[..., None] = FigureCanvasSVG(picture.figure).print_svg
    write(data, metadata=words)
    return _named(data.getvalue(), picture)


def _words(picture: Picture, maker: str, source: str) -> dict[str, str]:
    """Return the words of a picture as metadata of its file: our mark, title, the chart in words, and the runs."""
    words = {maker: MAKER, "Title": picture.caption.title, "Description": picture.alternative[:MAX_ALTERNATIVE]}
    if picture.caption.runs:
        words[source] = f"runs {', '.join(picture.caption.runs)}"
    return words


def _named(svg: bytes, picture: Picture) -> bytes:
    """Return an SVG with a title and a description of its own, for those who do not see it."""
    end = svg.index(b">", svg.index(b"<svg")) + 1
    title, told = escape(picture.caption.title), escape(picture.alternative[:MAX_ALTERNATIVE])
    return svg[:end] + f"\n <title>{title}</title>\n <desc>{told}</desc>".encode() + svg[end:]


def _clean(figure: Figure) -> set[str]:
    """Leave only what can be printed in a figure's texts, in fonts that have its signs; return those that none has."""
    texts = [t for t in figure.findobj(Text) if isinstance(t, Text)]
    for text in texts:
        text.set_text(visible(text.get_text()))
    lacking = {c for t in texts for c in t.get_text() if ord(c) > 0x7F} - _signs_of(font_manager.findfont(FAMILY))
    if not lacking:
        return set()
    families, missing = _families_with(lacking)
    for text in texts:
        if lacking & set(text.get_text()):
            text.set_fontfamily([FAMILY, *families])
    return missing


def _signs_of(path: str) -> set[str]:
    return {chr(code) for code in font_manager.get_font(path).get_charmap()}


def _families_with(lacking: set[str]) -> tuple[list[str], set[str]]:
    """Return font families that together have as many of the signs as fonts here do, and the signs that are left."""
    families: list[str] = []
    for entry in sorted(font_manager.fontManager.ttflist, key=lambda e: (e.weight != 400, e.style != "normal", e.name)):
        if not lacking:
            break
        if entry.name in families or entry.name.startswith(BOXES):
            continue
        try:
            signs = _signs_of(entry.fname)
        except (OSError, RuntimeError):
            continue
        if lacking & signs:
            families.append(entry.name)
            lacking = lacking - signs
    return families, lacking
