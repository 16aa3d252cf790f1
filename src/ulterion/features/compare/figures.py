"""Setups beside each other as bars."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from ulterion.core.units import RATE_UNITS, show_rate
from ulterion.results.comparison import ComparedRow, Group
from ulterion.show.bottleneck_words import bottleneck_names
from ulterion.show.columns import show_ratio
from ulterion.show.figure_base import Palette, SetupStyles, begin, colour, foot, measured_on, palette_of, style

MAX_LINE = 22  # characters of a name beside its bar
MANY = 6  # setups from which on bars are thinner and names stand in one line
TALLEST = 60.0  # inches


def draw_comparison(group: Group, label: str, unit: str, cast: SetupStyles, *, dark: bool = False) -> Figure:
    """Return bars of every workload and setup with their 95 % intervals, the share of the baseline beside each.

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
        _panel(axes, [r for r in group.rows if r.workload.text == text], setups, unit=unit, cast=cast, palette=palette)
    passes = sorted({r.estimate.passes for r in group.rows})
    few = f"{passes[0]}" if len(passes) == 1 else f"{passes[0]} to {passes[-1]}"
    held = _held(group, setups, cast) if len(setups) <= MANY else ""
    foot(
        figure,
        [f"{measured_on(group.hosts, group.moments)}; {few} passes{_once(group, setups)}; lines: 95 % intervals{held}"],
        palette,
    )
    return figure


def _once(group: Group, setups: Sequence[str]) -> str:
    """Say that everything was plugged in once only, where it was: print has no room for more."""
    return ", plugged in once" if set(setups) <= set(group.single_connection) else ""


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
    axes: Axes, rows: Sequence[ComparedRow], setups: Sequence[str], unit: str, cast: SetupStyles, *, palette: Palette
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
    axes.set_title(
        f"{rows[0].workload.title}  ({rows[0].workload.text})", fontsize=11, loc="left", color=palette.ink, y=1.0
    )
    names = [_in_lines(cast.name(r.setup), 2 if len(setups) <= MANY else 1) for r in rows]
    axes.set_yticks(range(len(rows)), names, fontsize=10)
    axes.invert_yaxis()
    axes.set_xlim(0, most * 1.28)
    axes.tick_params(axis="x", labelsize=9, colors=palette.quiet)
    axes.tick_params(axis="y", length=0, colors=palette.ink)
