"""Bars drawn: sorted as they are given, their values beside them, their marks upright, one scale for each unit."""

from __future__ import annotations

from dataclasses import replace

from matplotlib.axes import Axes
from matplotlib.patches import Rectangle
from matplotlib.text import Text

from ulterion.show.charts import Bar, BarChart, Panel
from ulterion.show.drawing import (
    HATCHES,
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
from ulterion.show.looks import Look

ROW, LEAST_ROW = 46.0, 30.0  # pixels of a bar with its distance, and what it needs
PANEL = 52.0  # pixels of a panel beside its bars: heading and distance
NARROW = 900  # pixels of width below which panels stand one below the other
LABEL_WIDTH = 26  # characters of a label's line
FAR_LEFT = 0.3  # of the scale, where the name of a mark has no room at its left
WIDEST = 0.5  # of a panel's width that the words of a value may take
GAP = 9.0  # pixels between a bar and its value


def draw_bars(chart: BarChart, look: Look) -> Picture:
    """Return a chart of bars; where a size has no room for all, the last are left out and the foot says how many."""
    columns = 1 if len(chart.panels) == 1 or look.size.width < NARROW else 2
    rows = -(-len(chart.panels) // columns)
    chart = _fitted(chart, look, columns)
    grouped = [chart.panels[i * columns : (i + 1) * columns] for i in range(rows)]
    counts = [max(len(p.bars) for p in group) for group in grouped]
    each = ROW * look.size.type * max(1.0, _lines(chart) * 0.62)
    sheet = begin(chart.caption, look, sum(c * each + PANEL * look.size.type for c in counts))
    ratios = [c * each + PANEL * look.size.type for c in counts]
    grid = sheet.figure.add_gridspec(rows, columns, height_ratios=ratios)
    drawn = []
    for number, panel in enumerate(chart.panels):
        axes = sheet.figure.add_subplot(grid[number // columns, number % columns])
        drawn.append((panel, axes, _panel(axes, panel, sheet, counts[number // columns])))
    _scale(drawn, sheet)
    if chart.mark:
        _name_mark(drawn[0][1], drawn[0][0], chart.mark, sheet)
    return Picture(sheet.figure, chart.caption, chart.alternative)


def _lines(chart: BarChart) -> int:
    """Return how many lines the longest label takes."""
    return max((in_lines(b.label, LABEL_WIDTH).count("\n") + 1 for p in chart.panels for b in p.bars), default=1)


def _fitted(chart: BarChart, look: Look, columns: int) -> BarChart:
    """Return a chart with as many bars in each panel as a size of a given height has room for."""
    if look.size.height is None:
        return chart
    rows = -(-len(chart.panels) // columns)
    room = (look.size.height - head_height(chart.caption, look)) / rows - PANEL * look.size.type
    most = max(1, int(room / (LEAST_ROW * look.size.type)))
    left_out = sum(max(0, len(p.bars) - most) for p in chart.panels)
    if not left_out:
        return chart
    panels = tuple(replace(p, bars=_kept(p.bars, most)) for p in chart.panels)
    short = any(b.mark for p in chart.panels for b in p.bars)
    which = "those furthest below their mark are shown" if short else f"the first {most} are shown"
    foot = f"{chart.caption.foot}; {which}, {left_out} more are left out for lack of room"
    return replace(chart, panels=panels, caption=replace(chart.caption, foot=foot))


def _kept(bars: tuple[Bar, ...], most: int) -> tuple[Bar, ...]:
    """Return so many bars in their order: the first, or of those with marks the ones that are furthest below theirs."""
    if not all(b.mark for b in bars):
        return bars[:most]
    worst = sorted(bars, key=lambda b: b.value / (b.mark or 1.0))[:most]
    return tuple(b for b in bars if b in worst)


def _panel(axes: Axes, panel: Panel, sheet: Sheet, count: int) -> list[Text]:
    """Draw the bars of a panel; return the texts of their values, still at the end of the bars."""
    palette = sheet.look.palette
    frame(axes, sheet, bare=True)
    heading(axes, panel.title, sheet)
    texts = list[Text]()
    for place, bar in enumerate(panel.bars):
        _stretches(axes, place, bar, sheet)
        if bar.mark is not None:
            axes.plot([bar.mark, bar.mark], [place - 0.42, place + 0.42], color=palette.ink, linewidth=2.2, zorder=4)
        axes_text = axes.annotate(
            bar.text,
            (_reach(bar), place),
            (GAP * 72 / 100, 0),
            textcoords="offset points",
            va="center",
            fontsize=sheet.points(SMALL),
            color=palette.ink,
            in_layout=False,
            annotation_clip=False,
        )
        texts.append(axes_text)
    axes.set_yticks(
        range(len(panel.bars)), [in_lines(b.label, LABEL_WIDTH) for b in panel.bars], fontsize=sheet.points(SMALL)
    )
    axes.set_ylim(count - 0.45, -0.72)
    axes.tick_params(axis="y", length=0)
    axes.xaxis.set_visible(False)  # every bar bears its value
    axes.spines["bottom"].set_visible(False)
    axes.axvline(0, color=palette.quiet, linewidth=1.0)
    return texts


def _stretches(axes: Axes, place: int, bar: Bar, sheet: Sheet) -> None:
    """Draw a bar, or the stretches it is made of, each paler than the one before."""
    look, start = sheet.look, 0.0
    for number, end in enumerate(bar.parts or (bar.value,)):
        axes.add_patch(
            Rectangle(
                (start, place - 0.31),
                end - start,
                0.62,
                facecolor=look.shade(bar.shade),
                alpha=max(0.35, 1 - 0.3 * number),
                hatch=HATCHES[look.round(bar.shade) % len(HATCHES)],
                edgecolor=look.palette.background,
                linewidth=0,
            )
        )
        start = end


def _reach(bar: Bar) -> float:
    """Return where a bar ends with its interval and its mark."""
    return max(bar.value, bar.high or 0.0, bar.mark or 0.0)


def _name_mark(axes: Axes, panel: Panel, words: str, sheet: Sheet) -> None:
    """Say above the first upright mark what it is."""
    first = next(((i, b.mark) for i, b in enumerate(panel.bars) if b.mark is not None), None)
    if first is not None:
        place, mark = first
        axes.annotate(
            words,
            (mark, place - 0.44),
            (0, 1),
            textcoords="offset points",
            ha="right" if mark > FAR_LEFT * axes.get_xlim()[1] else "left",
            va="bottom",
            fontsize=sheet.points(SMALL),
            color=sheet.look.palette.quiet,
            in_layout=False,
            annotation_clip=False,
        )


def _fold(text: Text, width: float) -> None:
    """Break the words of a value that are wider than so many pixels into lines."""
    words, taken = text.get_text(), text.get_window_extent().width
    if taken > width:
        text.set_text(in_lines(words, max(8, int(len(words) * width / taken))))


def _scale(drawn: list[tuple[Panel, Axes, list[Text]]], sheet: Sheet) -> None:
    """Give panels of one unit one scale on which every value has room beside its bar, then draw the intervals that can be seen."""
    for _, axes, _ in drawn:
        axes.set_xlim(0, 1)
    lay_out(sheet.figure)
    most: dict[str, float] = {}
    for panel, axes, texts in drawn:
        wide = axes.get_window_extent().width
        for bar, text in zip(panel.bars, texts, strict=True):
            _fold(text, wide * WIDEST)
            taken = (text.get_window_extent().width + 2.6 * GAP * sheet.figure.dpi / 100) / wide
            need = _reach(bar) / max(0.15, 1 - taken)
            most[panel.unit] = max(most.get(panel.unit, 0.0), need)
    for panel, axes, _ in drawn:
        axes.set_xlim(0, most[panel.unit] or 1.0)
        wide = axes.get_window_extent().width / (most[panel.unit] or 1.0)
        for place, bar in enumerate(panel.bars):
            if (
                bar.low is not None
                and bar.high is not None
                and (bar.high - bar.low) * wide > 8 * sheet.figure.dpi / 100
            ):
                error = [[max(0.0, bar.value - bar.low)], [max(0.0, bar.high - bar.value)]]
                axes.errorbar(
                    bar.value, place, xerr=error, ecolor=sheet.look.palette.ink, capsize=3, fmt="none", linewidth=1.2
                )
