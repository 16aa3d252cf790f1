"""Soaks as figures: rate above, temperatures below, one time axis, events marked and named."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure
from matplotlib.ticker import MaxNLocator

from ulterion.core.soak.trace import AGAIN, DRIVE, IDLE, LOAD, POWER, ROOM, Floats
from ulterion.core.units import RATE_UNITS, show_size
from ulterion.judge.soaks import Mark, Soak

POINTS = 900  # of a line; more cannot be seen at 1280 pixels, so each takes in several rows with their range
HEADROOM = 1.22  # of the highest rate, for the names of events
MINUTE, HOUR = 60.0, 3600.0
LONG = 3 * HOUR  # seconds from which on the axis counts hours
NAMES = {
    "write cache": "cache used up",
    "throttling": "throttling",
    "zones": "inner zones",
    "unexplained": "fell, why?",
}
DASHES = ("-", "--", "-.", ":")  # of the sensors of one soak, when there are several soaks


@dataclass(frozen=True)
class Ground:
    """Colours of a figure: of its ground, text, quiet lines, grid, phases, and of the lines in order.

    The colours of lines differ in lightness as well as in hue, so that they are told apart without colour vision.
    """

    ground: str
    ink: str
    quiet: str
    grid: str
    rest: str
    lines: tuple[str, ...]


LIGHT = Ground("#ffffff", "#1b1b1b", "#77777a", "#e6e6e2", "#f1f1ed",
               ("#1f4e79", "#c8553d", "#3f8f6b", "#a67c00", "#6d4a8a", "#3d3d3d"))  # fmt: skip
DARK = Ground("#16181b", "#ececea", "#9a9a9e", "#2c2f33", "#1e2125",
              ("#7fb2e5", "#f08a6b", "#7fd1a8", "#e3c05a", "#c3a0e0", "#d0d0d0"))  # fmt: skip


def draw_soaks(soaks: Sequence[Soak], unit: str, marks: Sequence[Mark] = (), *, dark: bool = False) -> Figure:
    """Return one or several soaks on one time axis that begins with the load; `marks` are claims and ceilings."""
    ground = DARK if dark else LIGHT
    warm = any(_temperatures(s) for s in soaks)
    figure = Figure(figsize=(12.8, 7.2 if warm else 5.0), dpi=100, layout="constrained", facecolor=ground.ground)
    FigureCanvasAgg(figure)
    figure.suptitle(_title(soaks), color=ground.ink, fontsize=14, x=0.01, ha="left")
    grid = figure.add_gridspec(2, 1, height_ratios=(3, 2)) if warm else figure.add_gridspec(1, 1)
    above = figure.add_subplot(grid[0])
    below = figure.add_subplot(grid[1], sharex=above) if warm else None
    scale, word = (HOUR, "hours") if _longest(soaks) >= LONG else (MINUTE, "minutes")
    for axes in filter(None, (above, below)):
        _style(axes, ground)
        if len(soaks) == 1:
            _shade(axes, soaks[0], ground, scale, named=axes is above)
    _rates(above, soaks, unit, ground, scale)
    _marks(above, marks, unit, ground)
    _events(above, below, soaks, unit, ground, scale)
    if below is not None:
        _temperatures_drawn(below, soaks, ground, scale)
        above.tick_params(labelbottom=False)
    (below or above).set_xlabel(f"{word} since the load began", color=ground.ink)
    ends = [(s.trace.at[0] - s.load_start, s.trace.at[-1] + s.trace.seconds[-1] - s.load_start) for s in soaks]
    above.set_xlim(min(e[0] for e in ends) / scale, max(e[1] for e in ends) / scale)
    return figure


def _title(soaks: Sequence[Soak]) -> str:
    record = soaks[0].run.soak
    assert record is not None
    subject = soaks[0].run.target.model or soaks[0].label
    if len(soaks) == 1:
        return f"{subject} ({soaks[0].label}): {record.text}, {show_size(soaks[0].findings.bytes)}"
    return f"{subject}: {record.text}, {len(soaks)} soaks"


def _longest(soaks: Sequence[Soak]) -> float:
    return max(float(s.trace.at[-1] - s.trace.at[0]) for s in soaks)


def _style(axes: Axes, ground: Ground) -> None:
    axes.set_facecolor(ground.ground)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    for side in ("bottom", "left"):
        axes.spines[side].set_color(ground.quiet)
    axes.tick_params(colors=ground.ink, labelsize=10.5)
    axes.grid(True, axis="y", color=ground.grid, linewidth=0.8)
    axes.set_axisbelow(True)
    axes.xaxis.set_major_locator(MaxNLocator(12, steps=[1, 2, 5, 10]))


def _shade(axes: Axes, soak: Soak, ground: Ground, scale: float, *, named: bool) -> None:
    """Shade what is not load, and name it at the foot of the upper panel."""
    for phase in soak.trace.phases:
        if phase.name == LOAD:
            continue
        start, end = ((t - soak.load_start) / scale for t in (phase.start, phase.end))
        if phase.name != AGAIN:
            axes.axvspan(start, end, color=ground.rest, linewidth=0, zorder=0)
        if named and (phase.end - phase.start) / _longest([soak]) > 0.02:
            axes.text(
                (start + end) / 2,
                0.02,
                phase.name,
                transform=axes.get_xaxis_transform(),
                ha="center",
                va="bottom",
                fontsize=9.5,
                color=ground.quiet,
            )


@dataclass(frozen=True)
class _Line:
    """A series drawn in at most `POINTS` points: times, means, and the range of what each takes in."""

    at: Floats
    mean: Floats
    low: Floats
    high: Floats


def _thinned(at: Floats, values: Floats) -> _Line:
    step = max(1, -(-at.size // POINTS))
    starts = np.arange(0, at.size, step)
    known = np.isfinite(values)
    counts = np.add.reduceat(known.astype(np.float64), starts)
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = np.add.reduceat(np.where(known, values, 0.0), starts) / counts
    low, high = np.fmin.reduceat(values, starts), np.fmax.reduceat(values, starts)
    return _Line(at[starts], mean, low, high)


def _rates(axes: Axes, soaks: Sequence[Soak], unit: str, ground: Ground, scale: float) -> None:
    tallest = 0.0
    for number, soak in enumerate(soaks):
        colour = ground.lines[number % len(ground.lines)]
        for phase in soak.trace.phases:
            rows = soak.trace.during(phase)
            if phase.name == IDLE or rows.bytes == 0:
                continue
            rates = rows.rate / RATE_UNITS[unit]
            line = _thinned((rows.at + rows.seconds / 2 - soak.load_start) / scale, rates)
            axes.fill_between(line.at, line.low, line.high, color=colour, alpha=0.22, linewidth=0)
            label = soak.label if phase.name == LOAD else None
            axes.plot(line.at, line.mean, color=colour, linewidth=1.6, label=label)
            tallest = max(tallest, float(np.percentile(rates, 99.5)))
    axes.set_ylim(0, tallest * HEADROOM)
    axes.set_title(unit, loc="left", fontsize=11, color=ground.ink)
    if len(soaks) > 1:
        _legend(axes, ground)


def _legend(axes: Axes, ground: Ground) -> None:
    """Name the lines above the panel, where none of them runs."""
    axes.legend(
        frameon=False,
        fontsize=10.5,
        loc="lower right",
        bbox_to_anchor=(1.0, 0.985),
        ncols=6,
        borderaxespad=0.2,
        labelcolor=ground.ink,
    )


def _marks(axes: Axes, marks: Sequence[Mark], unit: str, ground: Ground) -> None:
    """Draw claims and ceilings that lie within the picture, or would with a third more of it."""
    top = axes.get_ylim()[1]
    inside = [m for m in marks if m.rate / RATE_UNITS[unit] <= top * 1.35]
    top = max([top, *(m.rate / RATE_UNITS[unit] * 1.1 for m in inside)])
    axes.set_ylim(0, top)
    for mark in inside:
        height = mark.rate / RATE_UNITS[unit]
        axes.axhline(height, color=ground.quiet, linewidth=1.1, linestyle=(0, (6, 3)))
        axes.text(
            1.0,
            height + top * 0.008,
            f"{mark.words} ",
            transform=axes.get_yaxis_transform(),
            ha="right",
            va="bottom",
            fontsize=9.5,
            color=ground.quiet,
        )


def _events(above: Axes, below: Axes | None, soaks: Sequence[Soak], unit: str, ground: Ground, scale: float) -> None:
    """Mark every event by a line through both panels; its name stands at the top, one below the other where they meet."""
    lowest, width = above.get_ylim()[1], _longest(soaks) / scale
    placed: list[float] = []
    for number, soak in enumerate(soaks):
        colour = ground.lines[number % len(ground.lines)] if len(soaks) > 1 else ground.ink
        for fall in soak.findings.falls:
            at = (fall.at - soak.load_start) / scale
            for axes in filter(None, (above, below)):
                axes.axvline(at, color=colour, linewidth=1.0, linestyle=":")
            row = sum(abs(at - p) < 0.22 * width for p in placed)
            placed.append(at)
            often = f" ({fall.times} times)" if fall.times > 1 else ""
            after = f" after {show_size(fall.written)}" if fall.cause == "write cache" else ""
            right = at > 0.72 * width
            text = f"{NAMES[fall.cause]}{after}{often}"
            above.text(
                at,
                lowest * (0.985 - 0.055 * row),
                f"{text} " if right else f" {text}",
                ha="right" if right else "left",
                va="top",
                fontsize=10,
                color=colour,
                bbox={"facecolor": ground.ground, "edgecolor": "none", "alpha": 0.8, "pad": 0.8},
            )


def _temperatures(soak: Soak) -> list[str]:
    return [n for n in soak.trace.sensors if n != POWER and soak.trace.sensor(n) is not None]


def _temperatures_drawn(axes: Axes, soaks: Sequence[Soak], ground: Ground, scale: float) -> None:
    several = len(soaks) > 1
    for number, soak in enumerate(soaks):
        for place, name in enumerate(sorted(_temperatures(soak), key=lambda n: (n != DRIVE, n == ROOM, n))):
            colour = ground.lines[(number if several else place) % len(ground.lines)]
            dashes = DASHES[(place if several else 0) % len(DASHES)]
            line = _thinned((soak.trace.at - soak.load_start) / scale, soak.trace.sensors[name])
            label = f"{soak.label}: {name}" if several else name
            label += " (not to be believed)" if name in {d.sensor for d in soak.findings.doubts} else ""
            axes.plot(line.at, line.mean, color=colour, linewidth=1.8, linestyle=dashes, label=label)
        for reading in soak.run.standing_readings:
            if reading.unit == "C" and reading.at_seconds is not None:
                at = (reading.at_seconds - soak.load_start) / scale
                colour = ground.lines[number % len(ground.lines)] if several else ground.ink
                axes.plot([at], [reading.value], marker="D", markersize=6, color=colour, linestyle="none")
                axes.annotate(
                    f"{reading.what} {reading.value:g} C",
                    (at, reading.value),
                    (6, 5),
                    textcoords="offset points",
                    fontsize=9.5,
                    color=ground.ink,
                )
    limits = {s.trace.limit for s in soaks if s.trace.limit is not None}
    low, high = axes.get_ylim()
    for limit in limits:
        if limit <= high + 0.5 * (high - low):
            axes.set_ylim(low, max(high, limit + 0.12 * (high - low)))
            axes.axhline(limit, color=ground.quiet, linewidth=1.1, linestyle=(0, (6, 3)))
            axes.text(
                0.0,
                limit,
                f" the drive's limit, {limit:.0f} C",
                transform=axes.get_yaxis_transform(),
                ha="left",
                va="bottom",
                fontsize=9.5,
                color=ground.quiet,
            )
    axes.set_title("C", loc="left", fontsize=11, color=ground.ink)
    _legend(axes, ground)
