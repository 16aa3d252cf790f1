"""Soaks as figures: rate above, temperatures below, one time axis, events marked and named."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.ticker import MaxNLocator

from ulterion.core.soak.trace import AGAIN, DRIVE, IDLE, LOAD, POWER, ROOM, Floats
from ulterion.core.units import RATE_UNITS, show_size
from ulterion.features.soak.judging import Mark, Soak
from ulterion.show.figure_base import Palette, SetupStyles, begin, colour, foot, measured_on, palette_of, style

POINTS = 900  # of a line; more cannot be seen at 1280 pixels, so each takes in several rows with their range
HEADROOM = 1.22  # of the highest rate, for the names of events
MINUTE, HOUR = 60.0, 3600.0
REST = 0.1  # of a soak, that its rest before the load may take of the axis: it says little
LONG = 3 * HOUR  # seconds from which on the axis counts hours
NAMES = {
    "write cache": "cache used up",
    "throttling": "throttling",
    "zones": "inner zones",
    "unexplained": "fell, why?",
}
DASHES = ("-", "--", "-.", ":")  # of the sensors of one soak, when there are several soaks


def draw_soaks(
    soaks: Sequence[Soak],
    unit: str,
    marks: Sequence[Mark] = (),
    cast: SetupStyles | None = None,
    *,
    held: str = "",
    dark: bool = False,
) -> Figure:
    """Return one or several soaks on one time axis that begins with the load; `marks` are claims and ceilings.

    `cast` says what each setup is called, and gives it its colour; `held` by what a single one was held back, in words.
    """
    palette = palette_of(dark=dark)
    shown = _shown(soaks, cast or SetupStyles(), palette)
    warm = any(_temperatures(s) for s in soaks)
    figure = begin(_title(shown), 7.2 if warm else 5.0, palette)
    grid = figure.add_gridspec(2, 1, height_ratios=(3, 2)) if warm else figure.add_gridspec(1, 1)
    above = figure.add_subplot(grid[0])
    below = figure.add_subplot(grid[1], sharex=above) if warm else None
    scale, word = (HOUR, "hours") if _longest(soaks) >= LONG else (MINUTE, "minutes")
    for axes in filter(None, (above, below)):
        _style(axes, palette)
        if len(soaks) == 1:
            _shade(axes, soaks[0], palette, scale, named=axes is above)
    _rates(above, shown, unit, palette, scale)
    _marks(above, marks, unit, palette)
    _events(above, below, shown, palette, scale)
    if below is not None:
        _temperatures_drawn(below, shown, palette, scale)
        above.tick_params(labelbottom=False)
    (below or above).set_xlabel(f"{word} since the load began", color=palette.ink)
    last = max(s.trace.at[-1] + s.trace.seconds[-1] - s.load_start for s in soaks)
    above.set_xlim(-max(_rest_shown(s) for s in soaks) / scale, last / scale)
    every = " and ".join(dict.fromkeys(f"{s.run.soak.plan.interval:g} s" for s in soaks))
    measured = measured_on([s.run.bench.host for s in soaks], [s.run.started for s in soaks])
    foot(figure, [held, measured, f"one value per {every}; pale: the range"], palette)
    return figure


@dataclass(frozen=True)
class _Shown:
    """A soak as it is drawn: what it is called, and its colour."""

    soak: Soak
    name: str
    colour: str


def _shown(soaks: Sequence[Soak], cast: SetupStyles, palette: Palette) -> list[_Shown]:
    """Return soaks with the name and the colour of their setup; two of one setup keep their ids, and differ in colour."""
    setups = [s.run.setup for s in soaks]
    shown = []
    for number, soak in enumerate(soaks):
        setup = soak.run.setup
        alone = setup is not None and setups.count(setup) == 1
        name = cast.name(setup) if setup is not None and alone else soak.label
        shown.append(_Shown(soak, name, colour(palette, cast.place(setup if alone else None, number))))
    return shown


def _title(shown: Sequence[_Shown]) -> str:
    first = shown[0].soak
    record = first.run.soak
    subject = first.run.target.model or shown[0].name
    if len(shown) == 1:
        where = f", {shown[0].name}" if first.run.target.model else ""
        return f"{subject}{where}: {record.text}, {show_size(first.findings.bytes)}"
    media = {one.soak.run.target.model or one.name for one in shown}
    return f"{subject if len(media) == 1 else 'Soaks'}: {record.text}, {len(shown)} soaks"


def _longest(soaks: Sequence[Soak]) -> float:
    return max(float(s.trace.at[-1] - s.trace.at[0]) for s in soaks)


def _style(axes: Axes, palette: Palette) -> None:
    style(axes, palette)
    axes.grid(True, axis="y", color=palette.grid, linewidth=0.8)
    axes.set_axisbelow(True)
    axes.xaxis.set_major_locator(MaxNLocator(12, steps=[1, 2, 5, 10]))


def _rest_shown(soak: Soak) -> float:
    """Return the seconds of rest before the load that are shown: its end."""
    return float(min(soak.load_start - soak.trace.at[0], REST * _longest([soak])))


def _shade(axes: Axes, soak: Soak, palette: Palette, scale: float, *, named: bool) -> None:
    """Shade what is not load, and name it at the foot of the upper panel."""
    for phase in soak.trace.phases:
        if phase.name == LOAD:
            continue
        start, end = (max(t - soak.load_start, -_rest_shown(soak)) / scale for t in (phase.start, phase.end))
        if phase.name != AGAIN:
            axes.axvspan(start, end, color=palette.rest, linewidth=0, zorder=0)
        if named and phase.end - phase.start > 0.02 * _longest([soak]):
            axes.text(
                (start + end) / 2,
                0.02,
                phase.name,
                transform=axes.get_xaxis_transform(),
                ha="center",
                va="bottom",
                fontsize=9.5,
                color=palette.quiet,
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


def _rates(axes: Axes, shown: Sequence[_Shown], unit: str, palette: Palette, scale: float) -> None:
    tallest = 0.0
    for one in shown:
        soak = one.soak
        for phase in soak.trace.phases:
            rows = soak.trace.during(phase)
            if phase.name == IDLE or rows.bytes == 0:
                continue
            rates = rows.rate / RATE_UNITS[unit]
            line = _thinned((rows.at + rows.seconds / 2 - soak.load_start) / scale, rates)
            axes.fill_between(line.at, line.low, line.high, color=one.colour, alpha=0.22, linewidth=0)
            label = one.name if phase.name == LOAD else None
            axes.plot(line.at, line.mean, color=one.colour, linewidth=1.6, label=label)
            tallest = max(tallest, float(np.percentile(rates, 99.5)))
    axes.set_ylim(0, tallest * HEADROOM)
    axes.set_title(unit, loc="left", fontsize=11, color=palette.ink)
    if len(shown) > 1:
        _legend(axes, palette)


def _legend(axes: Axes, palette: Palette, lines: Sequence[Line2D] | None = None) -> None:
    """Name the lines above the panel, where none of them runs; `lines` stand for all that look like them."""
    axes.legend(
        handles=lines,
        frameon=False,
        fontsize=10.5,
        loc="lower right",
        bbox_to_anchor=(1.0, 0.985),
        ncols=6,
        borderaxespad=0.2,
        labelcolor=palette.ink,
    )


def _marks(axes: Axes, marks: Sequence[Mark], unit: str, palette: Palette) -> None:
    """Draw claims and ceilings that lie within the picture, or would with a third more of it."""
    top = axes.get_ylim()[1]
    inside = [m for m in marks if m.rate / RATE_UNITS[unit] <= top * 1.35]
    top = max([top, *(m.rate / RATE_UNITS[unit] * 1.1 for m in inside)])
    axes.set_ylim(0, top)
    for mark in inside:
        height = mark.rate / RATE_UNITS[unit]
        axes.axhline(height, color=palette.quiet, linewidth=1.1, linestyle=(0, (6, 3)))
        axes.text(
            1.0,
            height + top * 0.008,
            f"{mark.words} ",
            transform=axes.get_yaxis_transform(),
            ha="right",
            va="bottom",
            fontsize=9.5,
            color=palette.quiet,
        )


def _events(above: Axes, below: Axes | None, shown: Sequence[_Shown], palette: Palette, scale: float) -> None:
    """Mark every event by a line through both panels; its name stands at the top, one below the other where they meet."""
    lowest, width = above.get_ylim()[1], _longest([one.soak for one in shown]) / scale
    placed: list[float] = []
    for one in shown:
        soak, drawn = one.soak, one.colour if len(shown) > 1 else palette.ink
        for fall in soak.findings.falls:
            at = (fall.at - soak.load_start) / scale
            for axes in filter(None, (above, below)):
                axes.axvline(at, color=drawn, linewidth=1.0, linestyle=":")
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
                color=drawn,
                bbox={"facecolor": palette.background, "edgecolor": "none", "alpha": 0.8, "pad": 0.8},
            )


def _temperatures(soak: Soak) -> list[str]:
    return [n for n in soak.trace.sensors if n != POWER and soak.trace.sensor(n) is not None]


def _temperatures_drawn(axes: Axes, shown: Sequence[_Shown], palette: Palette, scale: float) -> None:
    several = len(shown) > 1
    for one in shown:
        soak = one.soak
        for place, name in enumerate(sorted(_temperatures(soak), key=lambda n: (n != DRIVE, n == ROOM, n))):
            drawn = one.colour if several else colour(palette, place)
            dashes = DASHES[(place if several else 0) % len(DASHES)]
            line = _thinned((soak.trace.at - soak.load_start) / scale, soak.trace.sensors[name])
            label = f"{name} (implausible)" if name in {d.sensor for d in soak.findings.doubts} else name
            axes.plot(line.at, line.mean, color=drawn, linewidth=1.8, linestyle=dashes, label=label)
        for reading in soak.run.standing_readings:
            if reading.unit == "C" and reading.at_seconds is not None:
                at = (reading.at_seconds - soak.load_start) / scale
                drawn = one.colour if several else palette.ink
                axes.plot([at], [reading.value], marker="D", markersize=6, color=drawn, linestyle="none")
                axes.annotate(
                    str(reading),
                    (at, reading.value),
                    (6, 5),
                    textcoords="offset points",
                    fontsize=9.5,
                    color=palette.ink,
                )
    _limits(axes, shown, palette)
    axes.set_title("C", loc="left", fontsize=11, color=palette.ink)
    # of several soaks the colours are named above; here the dashes tell the sensors apart
    kinds = {str(line.get_label()): line.get_linestyle() for line in axes.lines if str(line.get_label())[0] != "_"}
    sensors = [Line2D([], [], color=palette.ink, linestyle=dashes, label=name) for name, dashes in kinds.items()]
    _legend(axes, palette, sensors if several else None)


def _limits(axes: Axes, shown: Sequence[_Shown], palette: Palette) -> None:
    """Draw the limits that the drives state, where they lie within the picture, or would with half more of it."""
    limits = {one.soak.trace.limit for one in shown if one.soak.trace.limit is not None}
    low, high = axes.get_ylim()
    for limit in limits:
        if limit <= high + 0.5 * (high - low):
            axes.set_ylim(low, max(high, limit + 0.12 * (high - low)))
            axes.axhline(limit, color=palette.quiet, linewidth=1.1, linestyle=(0, (6, 3)))
            axes.text(
                0.0,
                limit,
                f" the drive's limit, {limit:.0f} °C",
                transform=axes.get_yaxis_transform(),
                ha="left",
                va="bottom",
                fontsize=9.5,
                color=palette.quiet,
            )
