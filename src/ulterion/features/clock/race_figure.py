"""Transfers on one clock, as a figure and as a film."""

from __future__ import annotations

import io
import math
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, cast

import numpy as np
from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure
from PIL import Image

from ulterion.core.transfers.race import Runner, order
from ulterion.core.units import show_duration, show_percent
from ulterion.show.figure_base import WIDTH, Palette, begin, colour, foot, palette_of, style
from ulterion.show.figure_files import save_film

Tell = Callable[[float], None]

PICTURES = 12.5  # a second of the film: GIF counts in hundredths of a second, and 8 of them are a whole number
MAX_SECONDS = 60.0  # seconds of a film
HEIGHT = 6.4  # inches


def draw_race(runners: Sequence[Runner], amount: str, words: str, *, dark: bool = False) -> Figure:
    """Return progress against time, with where each was when the first was over."""
    palette = palette_of(dark=dark)
    figure = begin(f"{amount} on one clock", HEIGHT, palette)
    axes = _axes(figure, runners, palette)
    for place, one in enumerate(runners):
        shares = [100 * b / one.total for b in one.bytes]
        axes.plot(one.seconds, shares, color=colour(palette, place), linewidth=2.2, label=_label(one))
        if one.done:
            axes.plot([one.end], [100], "o", color=colour(palette, place), markersize=7, clip_on=False)
    first = order(runners)[0]
    if first.done:
        axes.axvline(first.end, color=palette.quiet, linewidth=1, linestyle=":")
        for other in order(runners)[1:]:
            share = other.at(min(first.end, other.end))
            axes.annotate(
                show_percent(share),
                (first.end, 100 * share),
                (8, -18),
                textcoords="offset points",
                color=palette.ink,
                fontsize=11,
            )
    axes.legend(loc="lower right", frameon=False, labelcolor=palette.ink, fontsize=11)
    foot(figure, [words], palette)
    return figure


def _label(one: Runner) -> str:
    return (
        f"{one.name}, {show_duration(one.end)}"
        if one.done
        else f"{one.name}, not finished after {show_duration(one.end)}"
    )


def _axes(figure: Figure, runners: Sequence[Runner], palette: Palette) -> Axes:
    axes = figure.add_subplot(1, 1, 1)
    style(axes, palette)
    axes.set_xlim(0, max(r.end for r in runners) * 1.02)
    axes.set_ylim(0, 104)
    axes.set_xlabel("seconds", color=palette.ink)
    axes.set_ylabel("% done", color=palette.ink)
    return axes


def film_race(
    runners: Sequence[Runner], amount: str, path: Path, speed: float, *, dark: bool = False, tell: Tell | None = None
) -> None:
    """Write the race as a GIF, `speed` times as fast as it was; `tell` is told the share that is drawn.  Raises UsageError."""
    film = _Film(runners, f"{amount}, {speed:g} times as fast" if speed != 1 else amount, palette_of(dark=dark))
    until = max(r.end for r in runners)
    count = math.ceil(until / speed * PICTURES) + round(PICTURES)  # a second more, to see the end
    pictures = []
    for number in range(count):
        pictures.append(film.picture(min(until, number / PICTURES * speed)))
        if tell is not None:
            tell(number / count)
    data = io.BytesIO()
    colours = pictures[-1].quantize(MAX_COLOURS)  # the last picture has every bar at its longest
    first, *rest = (one.quantize(palette=colours, dither=Image.Dither.NONE) for one in pictures)
    first.save(data, "GIF", save_all=True, append_images=rest, duration=1000 / PICTURES, loop=0)
    save_film(path, data.getvalue())


class _Film:
    """The bars of a race, of which only what moves is drawn anew for each picture."""

    def __init__(self, runners: Sequence[Runner], title: str, palette: Palette) -> None:
        self._runners = runners
        figure = Figure(figsize=(WIDTH, 1.8 + 0.7 * len(runners)), dpi=100, facecolor=palette.background)
        self._canvas = cast("Any", FigureCanvasAgg(figure))  # its methods have no types
        figure.text(0.01, 0.97, title, color=palette.ink, fontsize=14, va="top")
        axes = figure.add_subplot(1, 1, 1)
        style(axes, palette)
        longest = max(len(r.name) for r in runners)
        figure.subplots_adjust(left=min(0.4, 0.03 + 0.0085 * longest), right=0.98, top=0.8, bottom=0.2)
        axes.set_xlim(0, 122)
        axes.set_xticks(range(0, 101, 20))
        axes.set_yticks(range(len(runners)), [r.name for r in runners])
        axes.set_ylim(len(runners) - 0.4, -0.6)
        axes.set_xlabel("% done", color=palette.ink)
        self._canvas.draw()
        self._still = self._canvas.copy_from_bbox(figure.bbox)
        self._axes, places = axes, range(len(runners))
        self._bars = axes.barh(places, [0.0] * len(runners), height=0.6, color=[colour(palette, i) for i in places])
        self._texts = [axes.text(1, i, "", va="center", color=palette.ink, fontsize=12) for i in places]
        self._clock = figure.text(0.98, 0.97, "", color=palette.ink, fontsize=14, va="top", ha="right")

    def picture(self, moment: float) -> Image.Image:
        """Return how far each was at a moment."""
        self._canvas.restore_region(self._still)
        for bar, text, one in zip(self._bars, self._texts, self._runners, strict=True):
            share = 100 * one.at(min(moment, one.end))
            bar.set_width(share)
            text.set_x(share + 1)
            over = one.done and moment >= one.end
            text.set_text(f"done in {show_duration(one.end)}" if over else f"{share:.0f}%")
            self._axes.draw_artist(bar)
            self._axes.draw_artist(text)
        self._clock.set_text(show_duration(moment) if moment else "0.0 s")
        self._axes.draw_artist(self._clock)
        return Image.fromarray(np.asarray(self._canvas.buffer_rgba())[..., :3].copy())


MAX_COLOURS = 64


def usual_speed(runners: Sequence[Runner]) -> float:
    """Return how many times as fast a film is that lasts some fifteen seconds, one at least."""
    return max(1.0, round(max(r.end for r in runners) / USUAL))


USUAL = 15.0  # seconds
