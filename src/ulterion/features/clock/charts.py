"""Transfers timed by hand or copied, as a chart."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.units import RATE_UNITS, show_duration, show_rate
from ulterion.features.clock.judging import ClockRow
from ulterion.features.clock.words import task_words
from ulterion.show.charts import NEUTRAL, Bar, BarChart, Caption, Panel, finding, foot_of
from ulterion.show.columns import show_change
from ulterion.show.looks import Cast
from ulterion.show.sentences import how_much_than


def transfers_chart(rows: Sequence[ClockRow], unit: str, cast: Cast) -> BarChart:
    """Return timings and copies as bars, a panel for each task, the fastest above; those with only a bound are left out."""
    timed = [(r, e) for r in rows if (e := r.estimate) is not None]
    panels, scale = [], RATE_UNITS[unit]
    for task in dict.fromkeys(task_words(r) for r, _ in timed):
        mine = sorted(((r, e) for r, e in timed if task_words(r) == task), key=lambda p: -p[1].rate)
        names = cast.named([r.setup for r, _ in mine])
        bars = []
        for row, estimate in mine:
            seconds = f"{show_duration(row.seconds)}, " if row.seconds else ""
            change = "" if row.comparison is None else f"  {show_change(row.comparison.ratio.value)}"
            bars.append(
                Bar(
                    label=names[row.setup],
                    value=estimate.rate / scale,
                    text=f"{seconds}{show_rate(estimate.rate, unit)}{change}",
                    shade=NEUTRAL if row.setup == row.against else cast.shade(row.setup),
                    low=None if estimate.low is None else estimate.low / scale,
                    high=None if estimate.high is None else estimate.high / scale,
                )
            )
        panels.append(Panel(task.capitalize(), tuple(bars), unit))
    counts = sorted({e.passes for _, e in timed})
    few = f"{counts[0]}" if len(counts) == 1 else f"{counts[0]} to {counts[-1]}"
    caption = Caption(
        title=_transfers_title(panels),
        subtitle=f"Transfers timed or copied: time and {unit}, then the difference from the first",
        foot=foot_of(f"{few} transfer{'s' if counts[-1] > 1 else ''} of each", "lines: 95% intervals"),
        runs=tuple(dict.fromkeys(run for r, _ in timed for run in r.runs)),
    )
    return BarChart(caption, tuple(panels))


def _transfers_title(panels: Sequence[Panel]) -> str:
    first = panels[0].bars
    if len(first) < 2:
        return finding(f"{first[0].label}: {first[0].text}", first[0].label)
    best, last = first[0], first[-1]
    told = f"{best.label} is {how_much_than(best.value / last.value)} {last.label}"
    return finding(told, f"{best.label} is fastest", "The fastest is first")
