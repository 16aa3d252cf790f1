"""Lines as inline SVG: drawn as wide as the screen is, with text that keeps its size; several long runs as small panels on one scale."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from markupsafe import Markup

from ulterion.core.arrays import Floats, np
from ulterion.core.records import dataclass
from ulterion.show.charts import NEUTRAL, Level, Line, LineChart, LinePanel, Moment
from ulterion.show.thinning import thinned
from ulterion.show.web.elements import element, percent, points, shade_class, together

HEIGHT = 165.0  # pixels of a panel whose share is one
LINE = 16.0  # pixels of a line of text
UNITS = 1000  # of a drawing's width and height
MOST = 240  # points of a line
VISIBLE = 0.02  # of the scale, from which a range is drawn
LETTER = 0.02  # of a small panel's width, that a letter takes at most
SHORT = 6  # letters of a unit that has room left of a panel
STEPS = (1.0, 2.0, 2.5, 5.0, 10.0)


@dataclass(frozen=True)
class Scale:
    """An axis from its least to its greatest value, linear or logarithmic."""

    low: float
    high: float
    log: bool = False

    def share(self, value: float) -> float:
        """Return a value's place, 0 at the least and 1 at the greatest."""
        if self.log:
            return math.log(max(value, self.low) / self.low) / (math.log(self.high / self.low) or 1.0)
        return (value - self.low) / ((self.high - self.low) or 1.0)

    def ticks(self, most: int) -> list[tuple[float, str]]:
        """Return round values within, at most so many, with their names."""
        if self.log:
            found = [k * 10.0**n for n in range(-3, 13) for k in (1, 2, 5) if self.low <= k * 10.0**n <= self.high]
            found = found[:: max(1, -(-len(found) // most))]
        else:
            rough = (self.high - self.low) / most or 1.0
            power = 10.0 ** math.floor(math.log10(rough))
            step = next(s * power for s in STEPS if s * power >= rough * 0.999)
            first = math.ceil(self.low / step - 1e-6)
            found = [n * step for n in range(first, first + most + 2) if n * step <= self.high + 1e-6 * step]
        return [(v, f"{v:,.6g}".replace("-", "−")) for v in found]


def lines(chart: LineChart) -> Markup:
    """Return the panels of a chart of lines: one below the other, or for several long runs a column for each."""
    named = [one for one in chart.panels[0].lines if one.joined and one.label]
    apart = len(chart.panels) > 1 and len(named) > 1 and len({one.shade for one in named}) == len(named)
    columns: list[tuple[Line | None, LineChart]] = (
        [(one, _of_one(chart, one)) for one in named] if apart else [(None, chart)]
    )
    across = _across(chart)
    ups = [_up(panel, across) for panel in chart.panels]
    above = max((row + 1 for _, one in columns for row in _rows(one.moments, across)), default=0)
    made = [_column(head, one, across, ups, above) for head, one in columns]
    grid = element("div", *made, class_="runs" if len(made) > 1 else "run")
    return together(grid, _dashes(chart, named)) if apart else grid


def _dashes(chart: LineChart, named: Sequence[Line]) -> Markup:
    """Return what dashed lines are, where each run has more than one of a kind: 'Pod, case' is the case of any."""
    heads = {one.shade: one.label for one in named}
    every = [one for p in chart.panels for one in p.lines if one.joined and one.label]
    told = {one.dash: one.label.removeprefix(heads.get(one.shade, "")).strip(", ") for one in every if one.dash}
    key = [element("li", _stroke(NEUTRAL, dash), " ", words) for dash, words in sorted(told.items())]
    return element("ul", *key, class_="key") if key else Markup("")


def _of_one(chart: LineChart, head: Line) -> LineChart:
    """Return what of a chart belongs to one line: the lines and events of its colour."""
    start = f"{head.label}: "
    panels = tuple(replace(p, lines=tuple(one for one in p.lines if one.shade == head.shade)) for p in chart.panels)
    moments = tuple(
        replace(m, label=m.label.removeprefix(start), shade=None)
        for m in chart.moments
        if m.shade in (None, head.shade)
    )
    return replace(chart, panels=panels, moments=moments)


def _across(chart: LineChart) -> Scale:
    axis = chart.across
    every = [v for p in chart.panels for one in p.lines for v in one.at if math.isfinite(v)]
    low = axis.least if axis.least is not None else min(every, default=0.1 if axis.log else 0.0)  # of none: any will do
    high = axis.most if axis.most is not None else max(every, default=1.0)
    return Scale(low, high if high > low else low + 1.0, axis.log)


def _up(panel: LinePanel, across: Scale) -> Scale:
    """Return the upright scale of a panel: from zero unless it says otherwise, with levels that are near its lines."""
    axis = panel.up
    values = [v for one in panel.lines for v in one.values if math.isfinite(v)]
    top = max(values, default=1.0)
    near = [v for level in panel.levels if (v := level.high or level.value) <= 1.35 * top]
    high = axis.most if axis.most is not None else 1.04 * max([top, *near])
    least = min(values, default=top if axis.log else 0.0)
    low = axis.least if axis.least is not None else least * 0.9 if axis.log else min(least, 0.0)
    return Scale(low, high if high > low else low + 1.0, axis.log)


def _column(head: Line | None, chart: LineChart, across: Scale, ups: Sequence[Scale], above: int) -> Markup:
    """Return the panels of a chart one below the other, events named in so many rows above the first."""
    named = [one for p in chart.panels for one in p.lines if one.joined and one.label]
    if head is not None:
        title: object = element(
            "p", _dot(head.shade), " ", head.label, element("small", head.text) if head.text else "", class_="who"
        )
    else:
        labels = dict.fromkeys((one.label, one.shade, one.dash) for one in named)
        key = [element("li", _stroke(shade, dash), " ", label) for label, shade, dash in labels]
        title = element("ul", *key, class_="key") if len(key) > 1 else ""
    drawn = []
    for number, (panel, up) in enumerate(zip(chart.panels, ups, strict=True)):
        last = number == len(chart.panels) - 1
        names = chart.moments if number == 0 else ()
        drawn.append(_Panel(panel, chart, across, up).drawn(names, above if number == 0 else 0, last=last))
    return element("div", title, *drawn)


def _dot(shade: int) -> Markup:
    return element(
        "svg",
        element("circle", class_=shade_class(shade), cx="6", cy="6", r="6"),
        width="12",
        height="12",
        aria_hidden="true",
    )


def _stroke(shade: int, dash: int) -> Markup:
    line = element("line", class_=f"{shade_class(shade, 'l')} dash{dash}", x1="0", x2="22", y1="5", y2="5")
    return element("svg", line, width="22", height="10", aria_hidden="true")


@dataclass(frozen=True)
class _Panel:
    """A panel with the scales it is drawn on."""

    panel: LinePanel
    chart: LineChart
    across: Scale
    up: Scale

    def drawn(self, names: Sequence[Moment], above: int, *, last: bool) -> Markup:
        """Return the panel, with names of events in so many rows above its lines, and below the last one the other axis."""
        top = LINE * (above + 1)
        height = HEIGHT * self.panel.share
        total = top + height + (2 * LINE + 4 if last else 6)
        inner = element(
            "svg",
            *self._rests(),
            *(self._level_line(level) for level in self._levels()),
            *(part for one in self.panel.lines if one.joined for part in self._line(one)),
            x="0",
            y=f"{top:g}",
            width="100%",
            height=f"{height:g}",
            viewBox=f"0 0 {UNITS} {UNITS}",
            preserveAspectRatio="none",
        )
        parts = [
            *self._grid(top, height),
            inner,
            *self._moments(names, top, height),
            *self._grid_names(top, height),
            *self._level_names(top, height),
            *(p for one in self.panel.lines if not one.joined for p in self._marks(one, top, height)),
            *(self._foot(top + height) if last else ()),
        ]
        return element("svg", *parts, class_="plot", width="100%", height=f"{total:g}", aria_hidden="true")

    def _y(self, value: float, top: float, height: float) -> str:
        return f"{top + (1 - self.up.share(value)) * height:.1f}"

    def _ticks(self) -> list[tuple[float, str]]:
        """Return round values with their names, those left out that have no room above the one below."""
        kept: list[tuple[float, str]] = []
        for value, words in sorted(self.panel.up.ticks) or self.up.ticks(3):
            apart = (self.up.share(value) - self.up.share(kept[-1][0])) * HEIGHT * self.panel.share if kept else LINE
            if apart >= LINE:
                kept.append((value, words))
        return kept

    def _grid(self, top: float, height: float) -> list[Markup]:
        """Return horizontal lines at round values."""
        places = [self._y(value, top, height) for value, _ in self._ticks()]
        return [element("line", class_="grid", x1="0", x2="100%", y1=y, y2=y) for y in places]

    def _grid_names(self, top: float, height: float) -> list[Markup]:
        """Return the names of round values beside their lines, left of the panel; the unit stands below the highest."""
        parts, unit = [], self.panel.up.name
        for value, words in self._ticks():
            y = float(self._y(value, top, height)) + 4
            parts.append(element("text", words, class_="quiet", x="-6", y=f"{y:.1f}", text_anchor="end"))
        if parts and not any(unit in words for _, words in self._ticks()):
            short = len(unit) <= SHORT
            where = {"x": "-6", "y": f"{y + LINE - 2:.1f}"} if short else {"x": "2", "y": f"{y - 8:.1f}"}
            parts.append(element("text", unit, class_="quiet", text_anchor="end" if short else None, **where))
        return parts

    def _pairs(self, at: Floats, values: Floats) -> list[tuple[float, float]]:
        return [
            (UNITS * self.across.share(a), UNITS * (1 - self.up.share(v)))
            for a, v in zip(at, values, strict=True)
            if math.isfinite(a) and math.isfinite(v)
        ]

    def _line(self, one: Line) -> list[Markup]:
        at, values, low, high = _thin(one)
        parts = []
        around = (high - low)[np.isfinite(high - low)]
        if around.size and float(np.median(around)) > VISIBLE * (self.up.high - self.up.low):
            edge = points([*self._pairs(at, high), *reversed(self._pairs(at, low))])
            parts.append(element("polygon", class_=f"band {shade_class(one.shade)}", points=edge))
        name = f"{shade_class(one.shade, 'l')}{f' dash{one.dash}' if one.dash else ''}"
        parts.append(element("polyline", class_=name, points=points(self._pairs(at, values))))
        return parts

    def _marks(self, one: Line, top: float, height: float) -> list[Markup]:
        """Return single points with their words beside them."""
        parts = []
        for at, value, words in zip(one.at, one.values, [*one.words, *[""] * len(one.at)], strict=False):
            share, y = self.across.share(at), self._y(value, top, height)
            parts.append(element("circle", class_=shade_class(one.shade), cx=percent(share), cy=y, r="4"))
            parts.append(element("text", words, **_beside(share, float(y) - 6)))
        return parts

    def _levels(self) -> list[Level]:
        return [one for one in self.panel.levels if (one.high or one.value) <= self.up.high]

    def _level_line(self, level: Level) -> Markup:
        y, top = (UNITS * (1 - self.up.share(v)) for v in (level.value, level.high or level.value))
        if level.high is not None:
            return element("rect", class_="band pn", x="0", width=UNITS, y=f"{top:.0f}", height=f"{y - top:.0f}")
        return element("line", class_="level", x1="0", x2=UNITS, y1=f"{y:.0f}", y2=f"{y:.0f}")

    def _level_names(self, top: float, height: float) -> list[Markup]:
        """Return the names of levels above the right end of their lines; what would run into another stands below its own."""
        parts, taken = [], list[float]()
        for level in self._levels():
            y = float(self._y(level.high or level.value, top, height)) - 4
            y = y if all(abs(y - other) >= LINE for other in taken) else y + LINE + 2
            taken.append(y)
            parts.append(element("text", level.label, class_="quiet", x="100%", y=f"{y:.1f}", text_anchor="end"))
        return parts

    def _rests(self) -> list[Markup]:
        found = []
        for start, end, _ in self.chart.rests:
            left, right = (UNITS * min(max(self.across.share(v), 0.0), 1.0) for v in (start, end))
            found.append(
                element("rect", class_="rest", x=f"{left:.0f}", width=f"{right - left:.0f}", y="0", height=UNITS)
            )
        return found

    def _moments(self, names: Sequence[Moment], top: float, height: float) -> list[Markup]:
        parts = []
        for one in self.chart.moments:
            x = percent(self.across.share(one.at))
            parts.append(element("line", class_="moment", x1=x, x2=x, y1=f"{top:g}", y2=f"{top + height:g}"))
        for one, row in zip(names, _rows(names, self.across), strict=True):
            parts.append(
                element("text", one.label, class_="said", **_beside(self.across.share(one.at), LINE * (row + 1) - 3))
            )
        return parts

    def _foot(self, y: float) -> list[Markup]:
        """Return the values along the other axis, and its name."""
        axis = self.chart.across
        ticks = list(axis.ticks) or self.across.ticks(5)
        parts = [element("line", class_="axis", x1="0", x2="100%", y1=f"{y:g}", y2=f"{y:g}")]
        for value, words in ticks:
            share = self.across.share(value)
            anchor = "start" if share < 0.04 else "end" if share > 0.96 else "middle"
            parts.append(
                element("text", words, class_="quiet", x=percent(share), y=f"{y + LINE:g}", text_anchor=anchor)
            )
        return [*parts, element("text", axis.name, class_="quiet", x="100%", y=f"{y + 2 * LINE:g}", text_anchor="end")]


def _beside(share: float, y: float) -> dict[str, str]:
    """Return where words stand beside a place: to its right, or to its left where they would run out of the panel."""
    right = share > 0.5
    return {
        "x": percent(share + (-0.01 if right else 0.01)),
        "y": f"{y:.1f}",
        "text_anchor": "end" if right else "start",
    }


def _rows(names: Sequence[Moment], across: Scale) -> list[int]:
    """Return for each event the row of its name: those that would run into each other stand below one another."""
    taken, found = list[list[tuple[float, float]]](), list[int]()
    for one in names:
        share, wide = across.share(one.at), len(one.label) * LETTER
        left, right = (share - wide, share) if share > 0.5 else (share, share + wide)
        row = next((n for n, row in enumerate(taken) if all(b <= left or a >= right for a, b in row)), len(taken))
        if row == len(taken):
            taken.append([])
        taken[row].append((left, right))
        found.append(row)
    return found


def _thin(one: Line) -> tuple[Floats, Floats, Floats, Floats]:
    """Return places, means and range of a line in at most `MOST` points; single ones that are marked stay as they are."""
    at, values = np.array(one.at, dtype=float), np.array(one.values, dtype=float)
    low, high = (np.array(v, dtype=float) for v in (one.low, one.high))
    if at.size <= MOST or one.marked:
        return at, values, low, high
    made = thinned(at, values, MOST)
    if low.size:
        low, high = thinned(at, low, MOST).low, thinned(at, high, MOST).high
    return made.at, made.mean, low, high
