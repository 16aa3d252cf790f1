"""Sweeps over sizes and depths, and over places of the medium, as figures."""

from __future__ import annotations

from collections.abc import Sequence

from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.ticker import FuncFormatter, LogLocator

from ulterion.core.links.standards import Link
from ulterion.core.units import RATE_UNITS, show_block
from ulterion.features.measure.sweep_tables import Point, points_of
from ulterion.model.runs.measure import MeasureRun
from ulterion.show.figure_base import Palette, begin, colour, foot, measured_on, palette_of, style

MARKS = ("o", "s", "^", "D", "v", "P")  # lines are told apart by shape as well as by colour


def _style(axes: Axes, palette: Palette) -> None:
    style(axes, palette)
    axes.grid(True, which="major", color=palette.grid, linewidth=0.8)
    axes.set_axisbelow(True)


def draw_sweep(points: Sequence[Point], title: str, unit: str, link: Link | None, palette: Palette) -> Figure:
    """Return rate and IOPS against request size on log axes, a line for each depth, the link's ceiling drawn in."""
    figure = begin(title, 6.4, palette)
    left, right = figure.add_subplot(1, 2, 1), figure.add_subplot(1, 2, 2)
    for place, depth in enumerate(sorted({p.workload.depth for p in points})):
        mine = sorted((p for p in points if p.workload.depth == depth), key=lambda p: p.workload.block_bytes)
        sizes = [p.workload.block_bytes for p in mine]
        drawn, mark = colour(palette, place), MARKS[place % len(MARKS)]
        rates = [p.found.rate for p in mine]
        left.plot(sizes, [r / RATE_UNITS[unit] for r in rates], color=drawn, marker=mark, label=f"depth {depth}")
        right.plot(sizes, [r / s for r, s in zip(rates, sizes, strict=True)], color=drawn, marker=mark)
    if link is not None:
        low, high = link.practical_low / RATE_UNITS[unit], link.practical_high / RATE_UNITS[unit]
        left.axhspan(low, high, color=palette.quiet, alpha=0.18, linewidth=0)
        left.text(
            1.0,
            high,
            f"{link.name} in practice ",
            transform=left.get_yaxis_transform(),
            ha="right",
            va="bottom",
            fontsize=9.5,
            color=palette.quiet,
        )
    sizes = sorted({p.workload.block_bytes for p in points})
    for axes, label in ((left, unit), (right, "IOPS")):
        _style(axes, palette)
        axes.set_xscale("log", base=2)
        axes.set_yscale("log")
        axes.yaxis.set_major_locator(LogLocator(subs=(1.0, 2.0, 5.0)))
        axes.yaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:,.10g}"))
        step = max(1, -(-len(sizes) // 8))
        axes.set_xticks(sizes[::step], [show_block(s) for s in sizes[::step]])
        axes.minorticks_off()
        axes.set_title(label, loc="left", fontsize=11, color=palette.ink)
        axes.set_xlabel("request size", color=palette.ink)
    left.legend(frameon=False, fontsize=10, labelcolor=palette.ink)
    return figure


def draw_places(points: Sequence[Point], title: str, unit: str, palette: Palette) -> Figure:
    """Return rate against the place on the medium, a line for each workload, with 95% intervals."""
    figure = begin(title, 5.4, palette)
    axes, scale = figure.add_subplot(1, 1, 1), RATE_UNITS[unit]
    names = list(dict.fromkeys(p.workload.anywhere.text for p in points))
    for number, name in enumerate(names):
        mine = [p for p in points if p.workload.anywhere.text == name]
        middle = [(p.workload.origin_bytes + (p.workload.span_bytes or 0) / 2) / 1e9 for p in mine]
        rates = [p.found.rate / scale for p in mine]
        error = [
            [r - (p.found.low or p.found.rate) / scale for p, r in zip(mine, rates, strict=True)],
            [(p.found.high or p.found.rate) / scale - r for p, r in zip(mine, rates, strict=True)],
        ]
        axes.errorbar(
            middle,
            rates,
            yerr=error,
            capsize=3,
            label=name,
            color=colour(palette, number),
            marker=MARKS[number % len(MARKS)],
        )
    _style(axes, palette)
    axes.set_ylim(bottom=0)
    axes.set_xlim(left=0)
    axes.set_title(unit, loc="left", fontsize=11, color=palette.ink)
    axes.set_xlabel("place on the medium, GB from its start", color=palette.ink)
    axes.legend(frameon=False, fontsize=10, labelcolor=palette.ink, loc="lower left")
    return figure


def draw_run(run: MeasureRun, unit: str, link: Link | None, *, dark: bool = False) -> Figure:
    """Return the figure of a sweep, whichever it is."""
    points, palette = points_of(run), palette_of(dark=dark)
    subject = run.target.model or run.target.device or run.target.path
    if run.at_places:
        title = f"{subject}: {unit} at {len({p.workload.place for p in points})} places"
        figure, sure = draw_places(points, title, unit, palette), "lines: 95% intervals"
    else:
        kinds = sorted({f"{p.workload.pattern} {p.workload.direction}" for p in points})
        title, sure = f"{subject}: {', '.join(kinds)} by request size", _widest(points)
        figure = draw_sweep(points, title, unit, link, palette)
    foot(figure, [measured_on([run.bench.host], [run.started]), f"{run.settings.passes} passes", sure], palette)
    return figure


def _widest(points: Sequence[Point]) -> str:
    """Return how sure the points are: the widest half of a 95% interval."""
    margins = [p.found.margin for p in points if p.found.margin is not None]
    return f"95% intervals within ±{max(margins) * 100:.2g}%" if margins else "too few passes for intervals"
