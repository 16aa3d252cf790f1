"""Setups beside each other as bars."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from ulterion.core.stats.estimates import Estimate
from ulterion.core.stats.verdicts import Comparison
from ulterion.core.units import RATE_UNITS, show_duration, show_rate
from ulterion.features.clock.judging import ClockRow
from ulterion.features.clock.words import task_words
from ulterion.results.comparison import Group
from ulterion.show.bottleneck_words import bottleneck_names
from ulterion.show.columns import show_ratio
from ulterion.show.figure_base import Palette, SetupStyles, begin, colour, foot, measured_on, palette_of, style

MAX_LINE = 22  # characters of a name beside its bar
MANY = 6  # setups from which on bars are thinner and names stand in one line
TALLEST = 60.0  # inches


def draw_comparison(group: Group, label: str, unit: str, cast: SetupStyles, *, dark: bool = False) -> Figure:
    """Return bars of every workload and setup with their 95% intervals, the share of the baseline beside each.

    `cast` says what each setup is called, and gives it its colour, the same in every figure of a review.
    """
    palette = palette_of(dark=dark)
    workloads = list(dict.fromkeys(r.workload.text for r in group.rows))
    setups = list(dict.fromkeys(r.setup for r in group.rows))
    columns = 2 if len(workloads) > 3 else 1
    lines = -(-len(workloads) // columns)
    each = 0.34 if len(setups) <= MANY else 0.24
    height = min(TALLEST, max(3.4, lines * (0.55 + each * len(setups)) + 1.4))
    times = f"; × tells how many times {cast.name(group.baseline)}" if group.baseline else ""
    figure = begin(f"{label}: {unit} by setup{times}", height, palette)
    for place, text in enumerate(workloads, 1):
        axes = figure.add_subplot(lines, columns, place)
        mine = [r for r in group.rows if r.workload.text == text]
        bars = [_Bar(r.setup, r.estimate, r.comparison) for r in mine]
        _panel(axes, bars, setups, unit=unit, cast=cast, palette=palette)
        _title(axes, f"{mine[0].workload.title}  ({text})", palette)
    passes = sorted({r.estimate.passes for r in group.rows})
    few = f"{passes[0]}" if len(passes) == 1 else f"{passes[0]} to {passes[-1]}"
    held = _held(group, setups, cast) if len(setups) <= MANY else ""
    foot(
        figure,
        [
            f"{measured_on(tuple(dict.fromkeys(group.hosts.values())), group.moments)}; {few} passes{_once(group, setups)}; lines: 95% intervals{held}"
        ],
        palette,
    )
    return figure


def draw_transfers(rows: Sequence[ClockRow], title: str, unit: str, cast: SetupStyles, *, dark: bool = False) -> Figure:
    """Draw timings and copies as bars, a panel for each task, with 95% intervals; those with only a bound are left out."""
    palette = palette_of(dark=dark)
    timed = [(r, e) for r in rows if (e := r.estimate) is not None]
    tasks = list(dict.fromkeys(task_words(r) for r, _ in timed))
    setups = list(dict.fromkeys(r.setup for r, _ in timed))
    height = min(TALLEST, max(3.4, len(tasks) * (0.55 + 0.34 * len(setups)) + 1.4))
    figure = begin(f"{title}: {unit} by setup; × tells how many times the first", height, palette)
    for place, task in enumerate(tasks, 1):
        axes = figure.add_subplot(len(tasks), 1, place)
        mine = [(r, e) for r, e in timed if task_words(r) == task]
        bars = [_Bar(r.setup, e, r.comparison) for r, e in mine]
        _panel(axes, bars, setups, unit=unit, cast=cast, palette=palette)
        seconds = [f"{cast.name(r.setup)} {show_duration(r.seconds)}" for r, _ in mine if r.seconds]
        _title(axes, f"{task}  ({', '.join(seconds)})" if seconds else task, palette)
    counts = sorted({e.passes for _, e in timed})
    few = (
        f"{counts[0]} transfer{'s' if counts[0] > 1 else ''}"
        if len(counts) == 1
        else f"{counts[0]} to {counts[-1]} transfers"
    )
    foot(figure, [f"{few} of each; lines: 95% intervals"], palette)
    return figure


class _Bar(NamedTuple):
    """A bar: of which setup, how long, and compared with the baseline."""

    setup: str
    estimate: Estimate
    comparison: Comparison | None


def _title(axes: Axes, words: str, palette: Palette) -> None:
    axes.set_title(words, fontsize=11, loc="left", color=palette.ink, y=1.0)


def _once(group: Group, setups: Sequence[str]) -> str:
    """Say that everything was plugged in once only, where it was: print has no room for more."""
    return ", connected once" if set(setups) <= set(group.single_connection) else ""


def _held(group: Group, setups: Sequence[str], cast: SetupStyles) -> str:
    """Return a line for each setup on what held it back."""
    lines = [(cast.name(h), bottleneck_names(group.bottlenecks, h)) for h in setups if h != group.baseline]
    return "".join(f"\n{name}: {words}" for name, words in lines if words)


def _in_lines(name: str, most: int) -> str:
    """Return a name in two lines at most, in one where there is no room for two."""
    if most == 1:
        return textwrap.shorten(name, MAX_LINE + 8, placeholder="...")
    lines = textwrap.wrap(name, MAX_LINE) or [name]
    return "\n".join(
        lines[:1] + ([textwrap.shorten(" ".join(lines[1:]), MAX_LINE, placeholder="...")] if lines[1:] else [])
    )


def _panel(
    axes: Axes, rows: Sequence[_Bar], setups: Sequence[str], unit: str, cast: SetupStyles, *, palette: Palette
) -> None:
    scale = RATE_UNITS[unit]
    most = max((r.estimate.high or r.estimate.rate) for r in rows) / scale
    rates = np.array(
        [(r.estimate.rate, r.estimate.low or r.estimate.rate, r.estimate.high or r.estimate.rate) for r in rows]
    )
    middle, low, high = rates.T / scale
    filled = [colour(palette, cast.place(r.setup, setups.index(r.setup))) for r in rows]
    error = [middle - low, high - middle]
    axes.barh(range(len(rows)), middle, xerr=error, color=filled, height=0.68, ecolor=palette.ink, capsize=3)
    for place, row in enumerate(rows):
        share = f"   × {show_ratio(row.comparison.ratio.value)}" if row.comparison else ""
        text = f"{show_rate(row.estimate.rate, unit, with_unit=False)}{share}"
        axes.text(high[place] + most * 0.015, place, text, va="center", fontsize=10.5, color=palette.ink)
    style(axes, palette, bare=True)
    names = [_in_lines(cast.name(r.setup), 2 if len(setups) <= MANY else 1) for r in rows]
    axes.set_yticks(range(len(rows)), names, fontsize=10)
    axes.invert_yaxis()
    axes.set_xlim(0, most * 1.28)
    axes.tick_params(axis="x", labelsize=9, colors=palette.quiet)
    axes.tick_params(axis="y", length=0, colors=palette.ink)
