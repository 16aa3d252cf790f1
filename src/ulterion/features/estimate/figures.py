"""How long a piece of work takes on each setup, as a figure."""

from __future__ import annotations

from collections.abc import Sequence
from textwrap import fill

from matplotlib.figure import Figure

from ulterion.core.units import show_duration
from ulterion.features.estimate.transfer_time import TransferTimeRow
from ulterion.model.review import Review
from ulterion.show.figure_base import SetupStyles, begin, colour, foot, palette_of, style

ROW, HEAD = 0.5, 1.6  # inches
MAX_NAME_WIDTH = 28  # characters of a line


def draw_works(review: Review, rows: Sequence[TransferTimeRow], title: str, *, dark: bool = False) -> Figure:
    """Return bars of time with their intervals, each stretch at one pace by itself, the quickest above."""
    palette, known = palette_of(dark=dark), [(r, r.work) for r in rows if r.work is not None]
    cast = SetupStyles.among(review, [r.setup for r, _ in known])
    figure = begin(title, HEAD + ROW * len(known), palette)
    axes = figure.add_subplot(1, 1, 1)
    style(axes, palette, bare=True)
    scale, unit = _scale(known[-1][1].seconds)
    for at, (row, work) in enumerate(known):
        start = 0.0
        for number, part in enumerate(work.parts):
            shade = max(0.35, 1 - 0.3 * number)
            axes.barh(
                at,
                part.seconds / scale,
                0.6,
                start / scale,
                color=colour(palette, cast.place(row.setup, at)),
                alpha=shade,
            )
            start += part.seconds
        axes.plot([work.low / scale, work.high / scale], [at, at], color=palette.ink, linewidth=1.4)
        axes.annotate(
            show_duration(work.seconds),
            (work.high / scale, at),
            (8, 0),
            textcoords="offset points",
            va="center",
            color=palette.ink,
            fontsize=10,
        )
    axes.set_yticks(range(len(known)), [fill(cast.name(r.setup), MAX_NAME_WIDTH) for r, _ in known], fontsize=9)
    axes.tick_params(axis="y", length=0)
    axes.set_ylim(len(known) - 0.4, -0.6)
    axes.set_xlim(0, max(w.high for _, w in known) / scale * 1.12)
    axes.set_xlabel(unit, color=palette.ink)
    foot(figure, ["lines: 90% intervals", "paler: after its write cache is used up, or throttled"], palette)
    return figure


def _scale(longest: float) -> tuple[float, str]:
    """Return the seconds of the unit that fits the longest of them, and its name."""
    if longest > 7200:
        return 3600.0, "hours"
    return (60.0, "minutes") if longest > 180 else (1.0, "seconds")
