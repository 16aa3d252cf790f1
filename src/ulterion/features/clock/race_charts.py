"""A race of transfers as a chart: progress against time."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.transfers.race import Runner, order
from ulterion.core.units import show_duration, show_percent
from ulterion.show.charts import Axis, Caption, Line, LineChart, LinePanel, Moment, finding
from ulterion.show.looks import Cast, unlike_shades

MINUTES = 600.0  # seconds from which on the axis counts minutes


def race_chart(runners: Sequence[Runner], amount: str, cast: Cast) -> LineChart:
    """Return progress against time, with where each was when the first was over."""
    longest = max(r.end for r in runners)
    scale, unit = (60.0, "minutes") if longest > MINUTES else (1.0, "seconds")
    shades = unlike_shades([cast.shade(r.setup, place) for place, r in enumerate(runners)])
    lines = tuple(
        Line(
            label=_label(one),
            at=tuple(s / scale for s in one.seconds),
            values=tuple(100 * b / one.total for b in one.bytes),
            shade=shades[place],
        )
        for place, one in enumerate(runners)
    )
    first, *others = order(runners)
    moments: tuple[Moment, ...] = ()
    if first.done and others:
        behind = ", ".join(show_percent(o.at(min(first.end, o.end))) for o in others)
        moments = (
            Moment(
                first.end / scale,
                f"{show_duration(first.end)}: {first.name} is done, the other{'s' if len(others) > 1 else ''} at {behind}",
            ),
        )
    caption = Caption(_title(runners), f"{amount} on one clock, % done")
    up = Axis("% done", least=0.0, most=104.0, ticks=tuple((float(v), f"{v}") for v in (0, 25, 50, 75, 100)))
    return LineChart(caption, Axis(unit, least=0.0), (LinePanel(up, lines, share=1.4),), moments)


def _label(one: Runner) -> str:
    return (
        f"{one.name}, {show_duration(one.end)}" if one.done else f"{one.name}, not done after {show_duration(one.end)}"
    )


def _title(runners: Sequence[Runner]) -> str:
    first, *others = order(runners)
    last = others[-1] if others else first
    if not first.done:
        return finding("None of them finished", "Unfinished")
    share = show_percent(last.at(min(first.end, last.end)))
    return finding(
        f"{first.name} is done when {last.name} is at {share}",
        f"{first.name} is first, in {show_duration(first.end)}",
        "The race",
    )
