"""Old and new products beside each other, from the archive, over the years."""

from __future__ import annotations

import datetime
from collections.abc import Sequence

from ulterion.core.units import RATE_UNITS, show_rate
from ulterion.features.archive.query import Answer
from ulterion.show.charts import Bar, BarChart, Caption, Panel, finding, foot_of
from ulterion.show.sentences import how_much_than

MAX_BARS = 24


def archive_chart(answers: Sequence[Answer], title: str, unit: str, doubts: Sequence[str]) -> BarChart:
    """Return bars by year, a panel for each, the fastest above: what each product gave, where, and what makes the comparison doubtful."""
    shown, scale = sorted(answers, key=lambda a: -a.rate)[:MAX_BARS], RATE_UNITS[unit]
    reviews = list(dict.fromkeys(a.review for a in answers))
    years = sorted({a.started[:4] for a in shown})
    panels = [
        Panel(year, tuple(_bar(a, unit, scale, reviews.index(a.review)) for a in shown if a.started[:4] == year), unit)
        for year in years
    ]
    left_out = len(answers) - len(shown)
    caption = Caption(
        title=_title(shown, unit),
        subtitle=f"{title}, {unit}",
        foot=foot_of(*doubts, f"{left_out} more are not drawn" if left_out else ""),
        runs=tuple(dict.fromkeys(a.run for a in shown)),
    )
    return BarChart(caption, tuple(panels))


def _bar(one: Answer, unit: str, scale: float, shade: int) -> Bar:
    day = datetime.date.fromisoformat(one.started[:10])
    return Bar(
        label=f"{one.label}: {one.workload}",
        value=one.rate / scale,
        text=f"{show_rate(one.rate, unit, with_unit=False)}   {day:%-d %b}, {one.host}",
        shade=shade,
        low=None if one.low is None else one.low / scale,
        high=None if one.high is None else one.high / scale,
    )


def _title(shown: Sequence[Answer], unit: str) -> str:
    first, last = shown[0], shown[-1]
    rate = show_rate(first.rate, unit)
    if len(shown) == 1:
        return finding(f"{first.label} gave {rate}")
    return finding(
        f"{first.label} is {how_much_than(first.rate / last.rate)} {last.label}",
        f"{first.label} is fastest, at {rate}",
        "The fastest",
    )
