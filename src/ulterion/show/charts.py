"""Charts as plain data: their words and values before anything is drawn.  The alternative text of each is made of the same data."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

from ulterion.core.facts.target import BY_HAND
from ulterion.core.records import dataclass
from ulterion.core.workloads.suites import short_title
from ulterion.core.workloads.workload import Workload

MAX_TITLE = 70  # characters of a title
NEUTRAL = -1  # the shade of a baseline: grey
Tone = Literal["good", "bad", "open", "none"]
"""What a cell without a number says."""


@dataclass(frozen=True)
class Caption:
    """The words around a chart.

    Attributes:
        title: a finding.
        subtitle: what was measured, and the unit.
        foot: source, date, and how sure it is.
        runs: ids of the runs it rests on.
    """

    title: str
    subtitle: str
    foot: str = ""
    runs: tuple[str, ...] = ()


def finding(*candidates: str) -> str:
    """Return the first of several titles, from the fullest to the shortest, that is short enough; the last is cut if it must be."""
    told = [one[0].upper() + one[1:] if not _is_name(one) else one for one in candidates if one]
    fitting = next((one for one in told if len(one) <= MAX_TITLE), None)
    if fitting:
        return fitting
    from textwrap import shorten  # loaded for a title that is too long

    return shorten(told[-1], MAX_TITLE, placeholder=" …")


def _is_name(words: str) -> bool:
    return ":" in words.partition(" ")[0].rstrip(":")  # of a port, which is written as it is


@dataclass(frozen=True)
class Bar:
    """A bar.

    Attributes:
        label, text: what it is, and its value in words.
        value, low, high: its length, and the 95% interval, None where there is none.
        shade: the place of its product among the colours.
        mark: where its upright mark stands, None for none.
        parts: where each of its stretches ends, where it has several: each is drawn paler than the one before.
    """

    label: str
    value: float
    text: str
    shade: int = 0
    low: float | None = None
    high: float | None = None
    mark: float | None = None
    parts: tuple[float, ...] = ()


@dataclass(frozen=True)
class Panel:
    """Bars on one scale; those of the same unit in one chart have the same scale."""

    title: str
    bars: tuple[Bar, ...]
    unit: str = ""


@dataclass(frozen=True)
class BarChart:
    """Bars from zero, in one panel or several; `mark` says what their upright marks are."""

    caption: Caption
    panels: tuple[Panel, ...]
    mark: str = ""

    @property
    def alternative(self) -> str:
        """The chart in words."""
        return _told(self.caption, [_listed(p.title, [f"{b.label} {b.text}" for b in p.bars]) for p in self.panels])


@dataclass(frozen=True)
class Line:
    """A line.

    Attributes:
        label, text: what it is, and what it comes to, for the alternative text.
        at, values: its points; `low` and `high` of their range, empty where they have none.
        shade: the place of its product among the colours; `dash` tells apart what has one colour.
        joined: whether the points are joined; else each is marked, with `words` beside it.
    """

    label: str
    at: tuple[float, ...]
    values: tuple[float, ...]
    shade: int = 0
    low: tuple[float, ...] = ()
    high: tuple[float, ...] = ()
    text: str = ""
    dash: int = 0
    joined: bool = True
    marked: bool = False
    words: tuple[str, ...] = ()


@dataclass(frozen=True)
class Level:
    """What lines are held against: a claim, a link in practice, from `value` to `high` where it is a range."""

    label: str
    value: float
    high: float | None = None


@dataclass(frozen=True)
class Axis:
    """An axis: its name, whether it is logarithmic, its ticks where they have names of their own, and its ends where they are given."""

    name: str
    log: bool = False
    ticks: tuple[tuple[float, str], ...] = ()
    least: float | None = None
    most: float | None = None


@dataclass(frozen=True)
class LinePanel:
    """Lines on one upright axis, with the levels they are held against; `share` of the height that it takes."""

    up: Axis
    lines: tuple[Line, ...]
    levels: tuple[Level, ...] = ()
    share: float = 1.0


@dataclass(frozen=True)
class Moment:
    """An event, marked through all panels of a chart."""

    at: float
    label: str
    shade: int | None = None


@dataclass(frozen=True)
class LineChart:
    """Panels of lines one below the other over one axis, with events and stretches of rest marked."""

    caption: Caption
    across: Axis
    panels: tuple[LinePanel, ...]
    moments: tuple[Moment, ...] = ()
    rests: tuple[tuple[float, float, str], ...] = ()

    @property
    def alternative(self) -> str:
        """The chart in words."""
        lines = [
            f"{one.label}{f', {one.text}' if one.text else ''}" for p in self.panels for one in p.lines if one.joined
        ]
        return _told(self.caption, [*dict.fromkeys(lines), *(m.label for m in self.moments)])


@dataclass(frozen=True)
class Spread:
    """A value with its interval on a common scale: an effect, a rank."""

    label: str
    value: float
    low: float
    high: float
    text: str
    shade: int = 0


@dataclass(frozen=True)
class SpreadPanel:
    """Values with intervals under one heading."""

    title: str
    rows: tuple[Spread, ...]


@dataclass(frozen=True)
class SpreadChart:
    """Values with intervals on one scale, held against `zero`; `log` where they are ratios."""

    caption: Caption
    panels: tuple[SpreadPanel, ...]
    axis: Axis
    zero: float | None = None

    @property
    def alternative(self) -> str:
        """The chart in words."""
        return _told(self.caption, [_listed(p.title, [f"{r.label} {r.text}" for r in p.rows]) for p in self.panels])


@dataclass(frozen=True)
class MapCell:
    """A cell of a map: its words, and the value that shades it, or else a tone."""

    text: str
    value: float | None = None
    tone: Tone = "none"


@dataclass(frozen=True)
class MapChart:
    """A table whose cells are shaded: `rows` names, `columns` heads (one line for each level of heading), cells by row."""

    caption: Caption
    rows: tuple[str, ...]
    columns: tuple[tuple[str, ...], ...]
    cells: tuple[tuple[MapCell, ...], ...]

    @property
    def alternative(self) -> str:
        """The chart in words."""
        heads = [", ".join(head) for head in self.columns]
        told = [[f"{head} {cell.text}" for head, cell in zip(heads, row, strict=True)] for row in self.cells]
        lines = [f"{name}: {'; '.join(row)}" for name, row in zip(self.rows, told, strict=True)]
        return _told(self.caption, lines)


@dataclass(frozen=True)
class Stretch:
    """A part of a strip from `start` to `end`, with its words and what it is."""

    start: float
    end: float
    text: str
    tone: Tone


@dataclass(frozen=True)
class StripChart:
    """A medium from its beginning to its end, in stretches; `ticks` are named places."""

    caption: Caption
    stretches: tuple[Stretch, ...]
    ticks: tuple[tuple[float, str], ...]

    @property
    def alternative(self) -> str:
        """The chart in words."""
        return _told(self.caption, [s.text for s in self.stretches if s.text])


Chart = BarChart | LineChart | SpreadChart | MapChart | StripChart


def titled(chart: Chart, title: str | None) -> Chart:
    """Return a chart with the reviewer's own title, where there is one."""
    return chart if title is None else replace(chart, caption=replace(chart.caption, title=title))


def measured_on(hosts: Sequence[str], moments: Sequence[datetime.datetime]) -> str:
    """Return in words on which benches and days something was measured."""
    days = sorted({f"{m:%Y-%m-%d}" for m in moments})
    when = "" if not days else f" on {days[0]}" if len(days) == 1 else f" from {days[0]} to {days[-1]}"
    where = ", ".join(dict.fromkeys(h for h in hosts if h != BY_HAND))
    did = "timed by hand" if hosts and not where and BY_HAND in hosts else "measured"
    return f"{did}{f' at {where}' if where else ''}{when}"


def workload_words(workload: Workload) -> str:
    """Return a workload as the heading of a panel: 'Sequential read'."""
    title = short_title(workload)
    return f"{title[0].upper()}{title[1:]}".replace("-", " ")


def foot_of(*words: str) -> str:
    """Return the words at the foot of a chart."""
    return "; ".join(w for w in words if w)


def _listed(title: str, values: Sequence[str]) -> str:
    return f"{title}{': ' if title else ''}{'; '.join(values)}"


def _told(caption: Caption, parts: Sequence[str]) -> str:
    return f"{caption.title}. {caption.subtitle}. {'. '.join(p for p in parts if p)}."
