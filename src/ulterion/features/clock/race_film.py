"""Transfers on one clock, as a film."""

from __future__ import annotations

import io
import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, cast

from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure
from PIL import Image

from ulterion.core.arrays import np
from ulterion.core.transfers.race import Runner
from ulterion.core.units import show_duration
from ulterion.show.charts import LineChart
from ulterion.show.drawing import in_lines
from ulterion.show.figure_files import save_film
from ulterion.show.looks import Look

Tell = Callable[[float], None]

PICTURES = 12.5  # a second of the film: GIF counts in hundredths of a second, and 8 of them are a whole number
MAX_SECONDS = 60.0  # seconds of a film
WIDTH = 1280  # pixels


def film_race(
    runners: Sequence[Runner], chart: LineChart, path: Path, speed: float, *, look: Look, tell: Tell | None = None
) -> None:
    """Write the race as a GIF, `speed` times as fast as it was, with the words and colours of its chart.

    `tell` is told the share that is drawn.  Raises UsageError.
    """
    film = _Film(runners, chart, speed, look)
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

    def __init__(self, runners: Sequence[Runner], chart: LineChart, speed: float, look: Look) -> None:
        self._runners, palette = runners, look.palette
        times = f"; {speed:g} times as fast as it was" if speed != 1 else ""
        caption = replace(chart.caption, subtitle=f"{chart.caption.subtitle}{times}")
        figure = Figure(figsize=(WIDTH / 100, 2.2 + 0.8 * len(runners)), dpi=100, facecolor=palette.background)
        self._canvas = cast("Any", FigureCanvasAgg(figure))  # its methods have no types
        high = figure.get_size_inches()[1] * 100
        figure.text(0.02, 1 - 24 / high, caption.title, color=palette.ink, fontsize=17, fontweight="bold", va="top")
        figure.text(0.02, 1 - 62 / high, caption.subtitle, color=palette.quiet, fontsize=11, va="top")
        axes = figure.add_subplot(1, 1, 1)
        axes.set_facecolor(palette.background)
        for side in ("top", "right", "left", "bottom"):
            axes.spines[side].set_visible(False)
        names = [in_lines(r.name, 24) for r in runners]
        longest = max(len(line) for name in names for line in name.split("\n"))
        figure.subplots_adjust(left=min(0.4, 0.04 + 0.0078 * longest), right=0.97, top=1 - 130 / high, bottom=24 / high)
        axes.set_xlim(0, 132)
        axes.set_xticks([])
        axes.set_yticks(range(len(runners)), names, fontsize=12)
        axes.tick_params(colors=palette.ink, length=0)
        axes.set_ylim(len(runners) - 0.4, -0.6)
        self._canvas.draw()
        self._still = self._canvas.copy_from_bbox(figure.bbox)
        self._axes, places = axes, range(len(runners))
        colours = [look.shade(line.shade) for line in chart.panels[0].lines]
        self._bars = axes.barh(places, [0.0] * len(runners), height=0.62, color=colours)
        self._texts = [axes.text(1, i, "", va="center", color=palette.ink, fontsize=13) for i in places]
        self._clock = figure.text(
            0.98, 1 - 22 / high, "", color=palette.ink, fontsize=34, fontweight="bold", va="top", ha="right"
        )

    def picture(self, moment: float) -> Image.Image:
        """Return the picture of the race at a moment."""
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
