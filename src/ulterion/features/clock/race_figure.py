"""Transfers on one clock, as a figure and as a film."""

from __future__ import annotations

import math
import tempfile
from collections.abc import Sequence
from pathlib import Path

from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure

from ulterion.core.transfers.race import Runner, order
from ulterion.core.units import show_duration, show_percent
from ulterion.show.figure_base import WIDTH, Palette, begin, colour, foot, palette_of, style
from ulterion.show.figure_files import save_film

PICTURES = 15  # a second of the film
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
        f"{one.name}, {show_duration(one.end)}" if one.done else f"{one.name}, not over after {show_duration(one.end)}"
    )


def _axes(figure: Figure, runners: Sequence[Runner], palette: Palette) -> Axes:
    axes = figure.add_subplot(1, 1, 1)
    style(axes, palette)
    axes.set_xlim(0, max(r.end for r in runners) * 1.02)
    axes.set_ylim(0, 104)
    axes.set_xlabel("seconds", color=palette.ink)
    axes.set_ylabel("per cent over", color=palette.ink)
    return axes


def film_race(runners: Sequence[Runner], amount: str, path: Path, speed: float, *, dark: bool = False) -> None:
    """Write the race as a GIF, `speed` times as fast as it was; raise UsageError."""
    from matplotlib.animation import FuncAnimation, PillowWriter  # figures alone, as on a page, do without

    palette = palette_of(dark=dark)
    figure = Figure(figsize=(WIDTH, 1.8 + 0.7 * len(runners)), dpi=100, facecolor=palette.background)
    FigureCanvasAgg(figure)
    title = f"{amount}, {speed:g} times as fast" if speed != 1 else amount
    figure.text(0.01, 0.97, title, color=palette.ink, fontsize=14, va="top")
    axes = figure.add_subplot(1, 1, 1)
    style(axes, palette)
    longest = max(len(r.name) for r in runners)
    figure.subplots_adjust(left=min(0.4, 0.03 + 0.0085 * longest), right=0.98, top=0.8, bottom=0.2)
    axes.set_xlim(0, 118)
    axes.set_xticks(range(0, 101, 20))
    axes.set_yticks(range(len(runners)), [r.name for r in runners])
    axes.invert_yaxis()
    bars = axes.barh(
        range(len(runners)), [0.0] * len(runners), height=0.6, color=[colour(palette, i) for i in range(len(runners))]
    )
    texts = [axes.text(1, i, "", va="center", color=palette.ink, fontsize=12) for i in range(len(runners))]
    clock = axes.set_xlabel("", color=palette.ink)
    until = max(r.end for r in runners)
    pictures = math.ceil(until / speed * PICTURES) + PICTURES  # a second more, to see the end

    def show(number: int) -> None:
        moment = min(until, number / PICTURES * speed)
        for bar, text, one in zip(bars, texts, runners, strict=True):
            share = 100 * one.at(min(moment, one.end))
            bar.set_width(share)
            text.set_x(share + 1)
            over = one.done and moment >= one.end
            text.set_text(f"over, {show_duration(one.end)}" if over else f"{share:.0f}%")
        clock.set_text(f"{moment:.1f} s")

    with tempfile.TemporaryDirectory(prefix="ulterion-film-") as scratch:
        drawn = Path(scratch) / "film.gif"
        FuncAnimation(figure, show, frames=pictures, blit=False).save(str(drawn), writer=PillowWriter(fps=PICTURES))
        save_film(path, drawn.read_bytes())


def usual_speed(runners: Sequence[Runner]) -> float:
    """Return how many times as fast a film is that lasts some fifteen seconds, one at least."""
    return max(1.0, round(max(r.end for r in runners) / USUAL))


USUAL = 15.0  # seconds
