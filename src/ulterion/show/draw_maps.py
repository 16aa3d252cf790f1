"""Maps, strips and spreads drawn: shaded tables, a medium from end to end, and values with their intervals on one scale."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from matplotlib.axes import Axes
from matplotlib.colors import LinearSegmentedColormap
from matplotlib.patches import Rectangle
from matplotlib.text import Text
from matplotlib.ticker import FuncFormatter, NullLocator

from ulterion.show.charts import MapCell, MapChart, SpreadChart, SpreadPanel, StripChart, Tone
from ulterion.show.drawing import (
    LABEL,
    MARGIN,
    SMALL,
    Picture,
    Sheet,
    begin,
    frame,
    head_height,
    heading,
    in_lines,
    lay_out,
)
from ulterion.show.looks import Look, Palette

ROW, LEAST_ROW = 44.0, 38.0  # pixels of a row of a map, or of a spread, and what two lines of a name need
COLUMN_WIDTH, NAME_WIDTH = 14, 26  # characters of a line of a column's head, and of a row's name
LABEL_WIDTH = 52.0  # pixels of the name of a tick, with the distance to the next
LEAST_COLUMN, NAMES = 96.0, 150.0  # pixels that a column's head needs, and the names of rows
STRIP = 130.0  # pixels of a strip with its words


def draw_map(chart: MapChart, look: Look) -> Picture:
    """Return a table with shaded cells; the shades are those of the values, from the least to the greatest."""
    chart = _turned(chart, look)
    heads = max(len(head) for head in chart.columns)
    sheet = begin(chart.caption, look, (len(chart.rows) * ROW + heads * 40) * look.size.type)
    axes, palette = sheet.figure.add_subplot(1, 1, 1), look.palette
    frame(axes, sheet, bare=True)
    axes.spines["bottom"].set_visible(False)
    values = [c.value for row in chart.cells for c in row if c.value is not None]
    ends = (min(values), max(values)) if values else (0.0, 1.0)
    for down, row in enumerate(chart.cells):
        for across, cell in enumerate(row):
            axes.add_patch(
                Rectangle(
                    (across - 0.48, down - 0.45), 0.96, 0.9, facecolor=_shade(cell, ends, palette), edgecolor="none"
                )
            )
            words = in_lines(cell.text, COLUMN_WIDTH + 4)
            axes.text(across, down, words, ha="center", va="center", fontsize=sheet.points(SMALL), color=palette.ink)
    axes.set_xlim(-0.5, len(chart.columns) - 0.5)
    axes.set_ylim(len(chart.rows) - 0.5, -0.5)
    axes.xaxis.tick_top()
    axes.set_xticks(range(len(chart.columns)), _heads(chart.columns))
    axes.set_yticks(range(len(chart.rows)), [in_lines(r, NAME_WIDTH) for r in chart.rows])
    axes.tick_params(length=0, labelsize=sheet.points(SMALL), colors=palette.ink)
    return Picture(sheet.figure, chart.caption, chart.alternative)


def _turned(chart: MapChart, look: Look) -> MapChart:
    """Return a table with rows and columns exchanged where a size is too narrow for the heads of its columns."""
    if len(chart.columns) * LEAST_COLUMN * look.size.type <= look.size.width - 2 * MARGIN - NAMES * look.size.type:
        return chart
    if len(chart.rows) >= len(chart.columns):
        return chart
    cells = tuple(zip(*chart.cells, strict=True))
    return replace(
        chart,
        rows=tuple(", ".join(head) for head in chart.columns),
        columns=tuple((r,) for r in chart.rows),
        cells=cells,
    )


def _heads(columns: Sequence[tuple[str, ...]]) -> list[str]:
    """Return the heads of columns; an upper level is named over the first column that has it."""
    told = []
    for number, head in enumerate(columns):
        before = columns[number - 1] if number else ()
        new = next((i for i, part in enumerate(head) if i >= len(before) or part != before[i]), len(head) - 1)
        lines = ["" if level < new else in_lines(part, COLUMN_WIDTH) for level, part in enumerate(head)]
        told.append("\n".join(lines))
    return told


def _shade(cell: MapCell, ends: tuple[float, float], palette: Palette) -> str | tuple[float, float, float, float]:
    if cell.value is None:
        return _tone(cell.tone, palette)
    ramp = LinearSegmentedColormap.from_list("ramp", palette.ramp)
    low, high = ends
    return ramp((cell.value - low) / (high - low) if high > low else 0.5)


def _tone(tone: Tone, palette: Palette) -> str:
    return {"good": palette.good, "bad": palette.bad, "open": palette.open, "none": palette.rest}[tone]


def draw_strip(chart: StripChart, look: Look) -> Picture:
    """Return a medium from end to end; what is too narrow for its words is told in a list below."""
    sheet = begin(chart.caption, look, (STRIP + 30 * sum(bool(s.text) for s in chart.stretches)) * look.size.type)
    axes, palette = sheet.figure.add_subplot(1, 1, 1), look.palette
    frame(axes, sheet, bare=True)
    end = max(s.end for s in chart.stretches)
    strong = {
        "good": palette.products[0],
        "bad": palette.products[2],
        "open": palette.products[1],
        "none": palette.rest,
    }
    for stretch in chart.stretches:
        axes.barh(
            0, stretch.end - stretch.start, left=stretch.start, height=0.8, color=strong[stretch.tone], linewidth=0
        )
    named = [s for s in chart.stretches if s.text]
    for number, stretch in enumerate(named):
        axes.plot(
            [0.006 * end], [1.0 + number * 0.55], marker="s", markersize=10, color=strong[stretch.tone], clip_on=False
        )
        axes.text(
            0.022 * end, 1.0 + number * 0.55, stretch.text, va="center", fontsize=sheet.points(LABEL), color=palette.ink
        )
    axes.set_ylim(1.0 + 0.55 * len(named), -0.6)
    axes.set_xlim(0, end)
    axes.xaxis.tick_top()
    axes.spines["bottom"].set_visible(False)
    axes.set_xticks([at for at, _ in chart.ticks], [words for _, words in chart.ticks])
    axes.set_yticks([])
    axes.tick_params(length=0, labelsize=sheet.points(SMALL), colors=palette.quiet)
    return Picture(sheet.figure, chart.caption, chart.alternative)


def draw_spreads(chart: SpreadChart, look: Look) -> Picture:
    """Return values with their intervals, a panel for each heading, all on one scale."""
    chart = _fitted(chart, look)
    counts = [len(p.rows) for p in chart.panels]
    height = sum(c * ROW + 44 for c in counts) * look.size.type + 40
    sheet = begin(chart.caption, look, height)
    grid = sheet.figure.add_gridspec(len(counts), 1, height_ratios=[c + 1.0 for c in counts])
    drawn: list[tuple[Axes, list[Text]]] = []
    for number, panel in enumerate(chart.panels):
        axes = sheet.figure.add_subplot(grid[number, 0], sharex=drawn[0][0] if drawn else None)
        drawn.append((axes, _spreads(axes, panel, chart, sheet)))
        axes.tick_params(labelbottom=number == len(counts) - 1)
    _scale(chart, drawn, sheet)
    return Picture(sheet.figure, chart.caption, chart.alternative)


def _fitted(chart: SpreadChart, look: Look) -> SpreadChart:
    """Return a chart with as many panels, and of one alone as many rows, as a size of a given height has room for; the foot says what is left out."""
    if look.size.height is None:
        return chart
    room, row = look.size.height - head_height(chart.caption, look) - 50, LEAST_ROW * look.size.type
    panels, taken = list[SpreadPanel](), 0.0
    for panel in chart.panels:
        taken += (len(panel.rows) + 1.3) * row
        if panels and taken > room:
            break
        panels.append(replace(panel, rows=panel.rows[: max(1, int(room / row - 1.3))]))
    left_out = len(chart.panels) - len(panels)
    if not left_out:
        return replace(chart, panels=tuple(panels))
    foot = f"{chart.caption.foot}; {left_out} more panel{'s are' if left_out > 1 else ' is'} left out for lack of room"
    return replace(chart, panels=tuple(panels), caption=replace(chart.caption, foot=foot))


def _spreads(axes: Axes, panel: SpreadPanel, chart: SpreadChart, sheet: Sheet) -> list[Text]:
    look, palette, texts = sheet.look, sheet.look.palette, list[Text]()
    frame(axes, sheet, bare=True)
    heading(axes, panel.title, sheet)
    if chart.zero is not None:
        axes.axvline(chart.zero, color=palette.quiet, linewidth=1.2)
    for place, row in enumerate(panel.rows):
        colour = look.shade(row.shade)
        axes.plot([row.low, row.high], [place, place], color=colour, linewidth=5, alpha=0.45, solid_capstyle="butt")
        axes.plot([row.value], [place], marker="o", markersize=9, color=colour)
        texts.append(
            axes.annotate(
                row.text,
                (row.high, place),
                (8, 0),
                textcoords="offset points",
                va="center",
                fontsize=sheet.points(SMALL),
                color=palette.ink,
                in_layout=False,
                annotation_clip=False,
            )
        )
    axes.set_yticks(range(len(panel.rows)), [in_lines(r.label, NAME_WIDTH) for r in panel.rows])
    axes.set_ylim(len(panel.rows) - 0.5, -0.5)
    axes.grid(True, axis="x", color=palette.grid, linewidth=0.8)
    axes.set_axisbelow(True)
    axes.tick_params(axis="y", length=0, labelsize=sheet.points(SMALL))
    return texts


def _thin_ticks(chart: SpreadChart, axes: Axes, ends: tuple[float, float], room: float) -> None:
    """Leave out ticks that are closer to another than there is room for their names, `room` of them from end to end; zero stays."""
    if not chart.axis.log or not chart.axis.ticks:
        return
    span = math.log(ends[1] / ends[0]) or 1.0
    kept: list[tuple[float, str]] = []
    for at, words in sorted(chart.axis.ticks, key=lambda t: (t[0] != chart.zero, -abs(math.log(t[0])))):
        if all(abs(math.log(at / other)) >= span / max(room, 1.0) for other, _ in kept):
            kept.append((at, words))
    axes.set_xticks([at for at, _ in kept], [words for _, words in kept])


def _scale(chart: SpreadChart, drawn: Sequence[tuple[Axes, Sequence[Text]]], sheet: Sheet) -> None:
    """Give all panels one scale on which every value has room at the right of its interval."""
    axes = drawn[0][0]
    rows = [r for p in chart.panels for r in p.rows]
    low = min([*(r.low for r in rows), *([chart.zero] if chart.zero is not None else [])])
    high = max([*(r.high for r in rows), *([chart.zero] if chart.zero is not None else [])])
    if chart.axis.log:
        axes.set_xscale("log")
    if chart.axis.ticks:
        axes.set_xticks([at for at, _ in chart.axis.ticks], [words for _, words in chart.axis.ticks])
    else:
        axes.xaxis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:,.6g}"))
    axes.xaxis.set_minor_locator(NullLocator())
    drawn[-1][0].set_xlabel(chart.axis.name, fontsize=sheet.points(SMALL), color=sheet.look.palette.quiet)
    axes.set_xlim(low, high)
    lay_out(sheet.figure)
    wide = axes.get_window_extent().width
    texts = [(r, t) for p, (_, ts) in zip(chart.panels, drawn, strict=True) for r, t in zip(p.rows, ts, strict=True)]
    widest = max(t.get_window_extent().width for _, t in texts) + 24 * sheet.figure.dpi / 100
    part = 1 - min(0.7, widest / wide)
    _thin_ticks(chart, axes, (low, high), wide * part / (LABEL_WIDTH * sheet.look.size.type * sheet.figure.dpi / 100))
    if chart.axis.log:
        axes.set_xlim(low / (high / low) ** 0.03, low * (high / low) ** (1 / part))
    else:
        axes.set_xlim(low - 0.03 * (high - low), low + (high - low) / part)
