"""Old and new products beside each other, from the archive."""

from __future__ import annotations

from collections.abc import Sequence
from textwrap import fill

from matplotlib.figure import Figure

from ulterion.core.units import RATE_UNITS, show_rate
from ulterion.features.archive.query import Answer
from ulterion.show.figure_base import begin, colour, foot, palette_of, style

MAX_BARS = 40
ROW = 0.4  # inches of a bar


def draw_archive(
    answers: Sequence[Answer], title: str, unit: str, doubts: Sequence[str], *, dark: bool = False
) -> Figure:
    """Return a bar for each answer, with its interval, the day it was measured, and what makes the comparison doubtful."""
    palette, shown = palette_of(dark=dark), list(answers)[:MAX_BARS]
    figure = begin(title, max(3.0, ROW * len(shown) + 1.5), palette)
    axes = figure.add_subplot()
    style(axes, palette, bare=True)
    scale, reviews = RATE_UNITS[unit], list(dict.fromkeys(a.review for a in shown))
    for at, one in enumerate(shown):
        rate = one.rate / scale
        axes.barh(at, rate, 0.62, color=colour(palette, reviews.index(one.review)))
        if one.low is not None and one.high is not None:
            axes.plot([one.low / scale, one.high / scale], [at, at], color=palette.ink, linewidth=1.2)
        words = f" {show_rate(one.rate, unit, with_unit=False)}   {one.started[:10]}, {one.host}"
        axes.text(max(rate, (one.high or one.rate) / scale), at, words, va="center", fontsize=9.5, color=palette.ink)
    axes.set_yticks(range(len(shown)), [fill(f"{a.label}: {a.workload}", 52) for a in shown], fontsize=9.5)
    axes.tick_params(axis="y", length=0)
    axes.set_ylim(len(shown) - 0.4, -0.6)
    axes.margins(x=0.25)
    axes.set_xlim(left=0)
    axes.set_xlabel(unit, color=palette.ink)
    foot(
        figure,
        [*doubts, f"{len(answers) - len(shown)} more are not drawn" if len(answers) > len(shown) else ""],
        palette,
    )
    return figure
