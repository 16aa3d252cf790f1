"""The ports of machines, and the drives of each, as charts."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.units import RATE_UNITS, show_rate
from ulterion.model.review import Review
from ulterion.results.ports import PortRow
from ulterion.show.charts import Bar, BarChart, Caption, Panel, finding
from ulterion.show.sentences import how_much_than


def ports_chart(review: Review, rows: Sequence[PortRow], unit: str) -> BarChart:
    """Return the most that each port carried, a panel for each machine; ports with one controller have one colour, and say so."""
    panels, behind = [], list(dict.fromkeys(r.controller for r in rows))
    for host in dict.fromkeys(r.host for r in rows):
        bars = [_bar(review, row, behind.index(row.controller), unit) for row in rows if row.host == host and row.best]
        bars.sort(key=lambda b: -b.value)
        panels.append(Panel(host, tuple(bars), unit))
    every = sorted((b for p in panels for b in p.bars), key=lambda b: -b.value)
    first, last = (b.label.partition(",")[0] for b in (every[0], every[-1]))
    told = (
        f"{first} is {how_much_than(every[0].value / every[-1].value)} {last}"
        if len(every) > 1
        else f"{first}: {every[0].text}"
    )
    shared = "; ports of one colour share a controller" if len(behind) < len(rows) else ""
    caption = Caption(
        title=finding(told, f"{first} is the fastest port", "The ports"),
        subtitle=f"The most that each port carried, {unit}, with the bus it ran at{shared}",
        foot="by the newest runs",
    )
    return BarChart(caption, tuple(panels))


def _bar(review: Review, row: PortRow, shade: int, unit: str) -> Bar:
    estimate, setup = max(row.best.values(), key=lambda one: one[0].rate)
    link = row.link or (f"faster than {row.rules_out}" if row.rules_out else "bus unknown")
    scale = RATE_UNITS[unit]
    boots = {o.works for o in row.boots.values()}
    starts = "; boots" if "works" in boots else "; does not boot" if boots == {"does not work"} else ""
    kept = "".join(f"; keeps {share * 100:.0f}% beside {port}" for port, share in row.kept.items())
    medium = review.joined(review.setups[setup].chain[1:])
    return Bar(
        label=f"{review.label(row.port)}, {link}",
        value=estimate.rate / scale,
        text=f"{show_rate(estimate.rate, unit, with_unit=False)}  with {medium}{starts}{kept}",
        shade=shade,
        low=None if estimate.low is None else estimate.low / scale,
        high=None if estimate.high is None else estimate.high / scale,
    )
