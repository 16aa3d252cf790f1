"""Figures for publication, drawn without a display."""

from __future__ import annotations

import textwrap
from collections.abc import Mapping, Sequence

from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure

from ulterion.core.units import RATE_UNITS, show_rate
from ulterion.judge.comparisons import Group, Row
from ulterion.report.words.columns import show_ratio

INK, QUIET = "#1b1b1b", "#8a8a8a"
LONGEST_LINE = 22  # characters of a name beside its bar
COLOURS = ("#33658a", "#c8553d", "#588157", "#b08900", "#7a4f8a", "#4f8a8b", "#a23b72", "#9c6644", "#1d3557", "#e0a458", "#8ab17d",
           "#6b705c")  # fmt: skip
"""Twelve, of which the first six are told apart with colour-blind eyes."""


def draw_comparison(group: Group, label: str, unit: str, names: Mapping[str, str]) -> Figure:
    """Return bars of every workload and hookup with their 95 % intervals, the share of the baseline beside each.

    `names` gives what each hookup of the review is called; its place there gives its colour, the same in every figure.
    """
    workloads = list(dict.fromkeys(r.workload.text for r in group.rows))
    hookups = list(dict.fromkeys(r.hookup for r in group.rows))
    columns = 2 if len(workloads) > 3 else 1
    lines = -(-len(workloads) // columns)
    figure = Figure(figsize=(12.8, max(3.2, lines * (0.55 + 0.34 * len(hookups)) + 1.2)), dpi=100, layout="constrained")
    FigureCanvasAgg(figure)
    base = names.get(group.baseline or "", group.baseline)
    times = f"; × tells how many times {base}" if group.baseline else ""
    title = f"{label}: {unit} by hookup, with 95 % intervals{times}"
    figure.suptitle(title, color=INK, fontsize=14, x=0.01, ha="left")
    for place, text in enumerate(workloads, 1):
        axes = figure.add_subplot(lines, columns, place)
        rows = [r for r in group.rows if r.workload.text == text]
        _panel(axes, rows, hookups, unit, names)
    return figure


def _in_lines(name: str) -> str:
    """Return a name in two lines at most."""
    lines = textwrap.wrap(name, LONGEST_LINE) or [name]
    return "\n".join(
        lines[:1] + ([textwrap.shorten(" ".join(lines[1:]), LONGEST_LINE, placeholder="...")] if lines[1:] else [])
    )


def _panel(axes: Axes, rows: Sequence[Row], hookups: Sequence[str], unit: str, names: Mapping[str, str]) -> None:
    scale, order = RATE_UNITS[unit], list(names) or list(hookups)
    most = max((r.estimate.high or r.estimate.rate) for r in rows) / scale
    for place, row in enumerate(rows):
        rate = row.estimate
        low, high = rate.low or rate.rate, rate.high or rate.rate
        error = [[(rate.rate - low) / scale], [(high - rate.rate) / scale]]
        colour = COLOURS[order.index(row.hookup) % len(COLOURS)]
        axes.barh(place, rate.rate / scale, xerr=error, color=colour, height=0.68, ecolor=INK, capsize=3)
        share = f"   × {show_ratio(row.comparison.ratio.value)}" if row.comparison else ""
        text = f"{show_rate(rate.rate, unit, with_unit=False)}{share}"
        axes.text(high / scale + most * 0.015, place, text, va="center", fontsize=10.5, color=INK)
    axes.set_title(f"{rows[0].workload.name}  ({rows[0].workload.text})", fontsize=11, loc="left", color=INK)
    axes.set_yticks(range(len(rows)), [_in_lines(names.get(r.hookup, r.hookup)) for r in rows], fontsize=10)
    axes.invert_yaxis()
    axes.set_xlim(0, most * 1.28)
    axes.tick_params(axis="x", labelsize=9, colors=QUIET)
    axes.tick_params(axis="y", length=0, colors=INK)
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    axes.spines["bottom"].set_color(QUIET)
