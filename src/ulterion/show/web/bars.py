"""Bars, values with intervals, shaded tables and strips as HTML: tables whose cells hold small drawings."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

from markupsafe import Markup

from ulterion.show.charts import Bar, BarChart, MapCell, MapChart, Panel, Spread, SpreadChart, Stretch, StripChart
from ulterion.show.web.elements import element, percent, shade_class, together

LEVELS = 8  # shades of a map's cells
LEAST_RANGE = 0.012  # of the scale, that an interval must take to be seen


def bars(chart: BarChart) -> Markup:
    """Return the panels of a chart of bars; panels of one unit have one scale."""
    most: dict[str, float] = {}
    for panel in chart.panels:
        ends = [max(b.value, b.high or 0.0, b.mark or 0.0) for b in panel.bars]
        most[panel.unit] = max([most.get(panel.unit, 0.0), *ends])
    made = [_panel(p, most[p.unit] or 1.0, chart.caption.title) for p in chart.panels]
    return element("div", *made, class_="panels")


def _panel(panel: Panel, most: float, title: str) -> Markup:
    return _table(panel.title, title, "bar", ((one.label, bar(one, most), one.text) for one in panel.bars))


def _table(title: str, otherwise: str, what: str, rows: Iterable[tuple[str, Markup, str]]) -> Markup:
    """Return a table of names, small drawings and values; one without a title has another for those who hear it."""
    body = [
        element(
            "tr",
            element("th", name, scope="row"),
            element("td", drawing, class_="scale"),
            element("td", value),
        )
        for name, drawing, value in rows
    ]
    heads = element("thead", element("tr", *(element("th", h, scope="col") for h in ("name", what, "value"))))
    caption = element("caption", title or otherwise, class_=None if title else "unseen")
    return element("table", caption, heads, element("tbody", *body), class_="bars")


def bar(one: Bar, most: float) -> Markup:
    """Return a bar from zero, whose whole width is `most`, with its mark and its interval."""
    most = most or 1.0  # where nothing moved at all
    drawn, start = [element("rect", class_="track", width="100%", height="18")], 0.0
    for number, end in enumerate(one.parts or (one.value,)):
        drawn.append(
            element(
                "rect",
                class_=shade_class(one.shade),
                x=percent(start / most),
                width=percent((end - start) / most),
                height="18",
                opacity=f"{max(0.4, 1 - 0.3 * number):.1f}" if number else None,
            )
        )
        start = end
    if one.low is not None and one.high is not None and (one.high - one.low) / most > LEAST_RANGE:
        drawn.append(
            element("line", class_="range", x1=percent(one.low / most), x2=percent(one.high / most), y1="9", y2="9")
        )
    if one.mark is not None:
        drawn.append(element("rect", class_="mark", x=percent(one.mark / most - 0.006), y="-3", width="3", height="24"))
    return element("svg", *drawn, class_="bar", width="100%", height="18", aria_hidden="true")


def spreads(chart: SpreadChart) -> Markup:
    """Return values with their intervals, all panels on one scale."""
    rows = [r for p in chart.panels for r in p.rows]
    zero = [chart.zero] if chart.zero is not None else []
    low, high = min([*(r.low for r in rows), *zero]), max([*(r.high for r in rows), *zero])

    def along(value: float) -> str:
        if chart.axis.log:
            share = math.log(max(value, low) / low) / (math.log(high / low) or 1.0)
        else:
            share = (value - low) / ((high - low) or 1.0)
        return percent(0.03 + 0.94 * share)

    made = []
    for panel in chart.panels:
        body = ((r.label, _spread(r, chart.zero, along), r.text) for r in panel.rows)
        made.append(_table(panel.title, chart.caption.title, "interval", body))
    return together(
        element("div", *made, class_="panels spreads"), element("p", _scale(chart, low, high), class_="foot")
    )


def _scale(chart: SpreadChart, low: float, high: float) -> str:
    """Return in words from where to where the scale goes, and what the upright line is."""
    ends = [words for at, words in chart.axis.ticks if low <= at <= high]
    told = f"{chart.axis.name}, from {ends[0]} to {ends[-1]}" if len(ends) > 1 else chart.axis.name
    zero = next((words for at, words in chart.axis.ticks if at == chart.zero), None)
    return f"{told}; the upright line is {zero}" if zero is not None else told


def _spread(one: Spread, zero: float | None, along: Callable[[float], str]) -> Markup:
    drawn = [element("rect", class_="track", width="100%", height="18")]
    if zero is not None:
        drawn.append(element("line", class_="zero", x1=along(zero), x2=along(zero), y1="0", y2="18"))
    stroke = f"spread {shade_class(one.shade, 'l')}"
    drawn.append(element("line", class_=stroke, x1=along(one.low), x2=along(one.high), y1="9", y2="9"))
    drawn.append(element("circle", class_=shade_class(one.shade), cx=along(one.value), cy="9", r="5"))
    return element("svg", *drawn, class_="bar", width="100%", height="18", aria_hidden="true")


def shaded(chart: MapChart) -> Markup:
    """Return a table whose cells are shaded by their values, or by what they say."""
    values = [c.value for row in chart.cells for c in row if c.value is not None]
    ends = (min(values), max(values)) if values else (0.0, 1.0)
    heads = [element("td"), *(element("th", ", ".join(head), scope="col") for head in chart.columns)]
    rows = [
        element(
            "tr",
            element("th", name, scope="row"),
            *(element("td", cell.text, class_=_shade(cell, ends)) for cell in cells),
        )
        for name, cells in zip(chart.rows, chart.cells, strict=True)
    ]
    caption = element("caption", chart.caption.title, class_="unseen")
    table = element("table", caption, element("thead", element("tr", *heads)), element("tbody", *rows), class_="map")
    return element("div", table, class_="wide", tabindex="0", role="group", aria_label=chart.caption.title)


def _shade(cell: MapCell, ends: tuple[float, float]) -> str:
    if cell.value is None:
        return f"t-{cell.tone}"
    low, high = ends
    return f"v{round(LEVELS * (cell.value - low) / (high - low)) if high > low else LEVELS // 2}"


def strip(chart: StripChart) -> Markup:
    """Return a medium from its beginning to its end, and its stretches as a list."""
    end = max(s.end for s in chart.stretches)
    drawn = [
        element(
            "rect",
            class_=f"s-{s.tone}",
            x=percent(s.start / end),
            width=percent((s.end - s.start) / end),
            y="18",
            height="30",
        )
        for s in chart.stretches
    ]
    ticks = [
        element("text", words, x=percent(at / end), y="12", text_anchor=_anchor(at / end)) for at, words in chart.ticks
    ]
    told = [element("li", _square(s), " ", s.text) for s in chart.stretches if s.text]
    drawing = element("svg", *drawn, *ticks, class_="strip", width="100%", height="50", aria_hidden="true")
    return together(drawing, element("ul", *told, class_="stretches"))


def _square(one: Stretch) -> Markup:
    square = element("rect", class_=f"s-{one.tone}", width="12", height="12")
    return element("svg", square, width="12", height="12", aria_hidden="true")


def _anchor(share: float) -> str:
    return "start" if share < 0.1 else "end" if share > 0.9 else "middle"
