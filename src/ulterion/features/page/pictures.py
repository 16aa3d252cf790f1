"""The figures of an article, drawn side by side by a few processes; each is light or dark as the page around it is."""

from __future__ import annotations

import multiprocessing
import os
import signal
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from dataclasses import replace

import matplotlib as mpl

from ulterion.core.errors import UlterionError
from ulterion.model.systems import STOPPING, system
from ulterion.show.blocks import Article, Block, Drawing
from ulterion.show.charts import titled
from ulterion.show.draw import draw
from ulterion.show.figure_files import FAMILY, drawn_bytes
from ulterion.show.looks import DARK, LIGHT, Look, Palette

SALT = "ulterion"  # of the ids within an SVG, so that they are the same each time
FALLBACK = f"'{FAMILY}', Verdana, sans-serif"  # the second is as wide, where the first is not there
MAX_PROCESSES = 4  # processes
_waiting: list[Drawing] = []  # what the processes, forked below, are to draw


def drawings(article: Article) -> list[Drawing]:
    """Return every figure of an article."""
    every: list[Block] = [*article.lead, *(b for s in article.sections for b in s.blocks)]
    return [_titled(b, article) for b in every if isinstance(b, Drawing)]


def every_drawing(article: Article) -> list[Drawing]:
    """Return every figure of an article, and those that are only written beside it."""
    return [*drawings(article), *(_titled(one, article) for one in article.beside)]


def _titled(one: Drawing, article: Article) -> Drawing:
    return replace(one, chart=titled(one.chart, article.titles.get(one.name)))


def pictures_of(article: Article) -> dict[str, bytes]:
    """Return every figure as an SVG by its name; raise UlterionError when a process that draws is ended from outside."""
    wanted = drawings(article)
    _waiting[:] = wanted
    workers = min(MAX_PROCESSES, os.cpu_count() or 1, len(wanted))
    if workers > 1 and system() == "linux" and hasattr(os, "fork"):  # macOS's libraries do not take a fork well
        try:
            return dict(zip([d.name for d in wanted], _side_by_side(len(wanted), workers), strict=True))
        except BrokenProcessPool:
            raise UlterionError("a process that drew the figures was ended from outside; make the page again") from None
        except (OSError, NotImplementedError, ImportError):  # processes, or what they share, are scarce: one is enough
            for child in multiprocessing.active_children():
                child.kill()
    return {d.name: _svg(i) for i, d in enumerate(wanted)}


def _side_by_side(count: int, workers: int) -> list[bytes]:
    with ProcessPoolExecutor(workers, multiprocessing.get_context("fork"), _heed_signals) as pool:
        # a stop that arrived during a fork would be raised inside the interpreter's own hooks there, and be lost
        mask = signal.pthread_sigmask(signal.SIG_BLOCK, STOPPING)
        try:
            drawn = pool.map(_svg, range(count))  # the processes are started here
        finally:
            signal.pthread_sigmask(signal.SIG_SETMASK, mask)
        return list(drawn)


def _heed_signals() -> None:
    """Leave Ctrl-C to the process that waits, and end at once when told to: a fork inherits what the caller does with signals."""
    for number in STOPPING:
        signal.signal(number, signal.SIG_IGN if number == signal.SIGINT else signal.SIG_DFL)
    signal.pthread_sigmask(signal.SIG_UNBLOCK, STOPPING)


def _svg(index: int) -> bytes:
    data = svg_of(_waiting[index], Look()).decode("utf-8")
    data = data.replace(f"'{FAMILY}'", FALLBACK)
    start = data.index("<defs>", data.index("<svg"))
    return f"{data[:start]}<style>{_dark_rules()}</style>{data[start:]}".encode()


def svg_of(drawing: Drawing, look: Look) -> bytes:
    """Return a figure as SVG, the same each time it is drawn."""
    with mpl.rc_context({"svg.hashsalt": SALT}):
        return drawn_bytes(draw(drawing.chart, look), "svg")


def _dark_rules() -> str:
    """Return what turns each colour of a light figure into that of a dark one."""
    pairs = list(zip(_colours(LIGHT), _colours(DARK), strict=True))
    rules = "".join(
        f'[style*="{what}: {light}"]{{{what}:{dark}!important}}' for light, dark in pairs for what in ("fill", "stroke")
    )
    return f"@media (prefers-color-scheme:dark){{{rules}}}"


def _colours(palette: Palette) -> Sequence[str]:
    plain = (palette.background, palette.ink, palette.quiet, palette.grid, palette.rest, palette.neutral)
    return (*plain, palette.good, palette.bad, palette.open, *palette.products)


def png_of(drawing: Drawing, look: Look) -> bytes:
    """Return a figure as PNG."""
    return drawn_bytes(draw(drawing.chart, look), "png")
