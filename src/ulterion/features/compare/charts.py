"""A comparison as a chart: setups against their baseline."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ulterion.core.units import RATE_UNITS, show_iops, show_rate, significant
from ulterion.core.workloads.network import lost_share
from ulterion.features.compare.overview import large_and_small
from ulterion.model.review import Review
from ulterion.results.comparison import ComparedRow, Group
from ulterion.show.charts import NEUTRAL, Bar, BarChart, Caption, Panel, finding, foot_of, measured_on, workload_words
from ulterion.show.columns import show_change
from ulterion.show.looks import Cast, product_of
from ulterion.show.sentences import how_much_than, with_article

MOST_BARS = 8  # of a panel; of more setups each product has a panel of its own
MOST_PANELS = 4
FAR = 1.6  # times the longest bar, beyond which the baseline is told and not drawn
WAYS = {"read": "reading", "write": "writing", "mixed": "reading and writing"}


def comparison_chart(review: Review, group: Group, unit: str, cast: Cast) -> BarChart:
    """Return the setups of a medium, sorted by rate: a panel for each of the workloads that matter; of many setups one for each product."""
    setups = list(dict.fromkeys(r.setup for r in group.rows))
    panels = _by_product(review, group, unit, cast) if len(setups) > MOST_BARS else _by_workload(group, unit, cast)
    many = len(setups) > MOST_BARS
    passes = sorted({r.estimate.passes for r in group.rows})
    few = f"{passes[0]}" if len(passes) == 1 else f"{passes[0]} to {passes[-1]}"
    once = ", connected once" if set(setups) <= set(group.single_connection) else ""
    base = group.baseline
    against = f"; beside it the difference from {cast.name(base)}" if base and len(setups) > 1 else ""
    subtitle = f"With {review.label(group.medium)}, {_units(panels, unit)}{against}"
    if many and panels:
        subtitle = f"With {review.label(group.medium)}, {_telling(group, setups)}, {unit}{against}"
        row = _row_of(group, base) if base else None
        subtitle += f" ({show_rate(row.estimate.rate, unit, with_unit=False)})" if row is not None else ""
    caption = Caption(
        title=comparison_title(group, cast, review.label(group.medium)),
        subtitle=subtitle,
        foot=foot_of(
            measured_on(tuple(dict.fromkeys(group.hosts.values())), group.moments),
            f"{few} passes{once}",
            "lines: 95% intervals",
        ),
        runs=tuple(dict.fromkeys(r.run for r in group.rows)),
    )
    mark = cast.name(base) if many and base and panels and panels[0].bars[0].mark is not None else ""
    return BarChart(caption, tuple(panels), mark)


def _units(panels: Sequence[Panel], unit: str) -> str:
    units = list(dict.fromkeys(p.unit for p in panels))
    return f"{unit}; small requests in IOPS" if len(units) > 1 else units[0] if units else unit


def _by_workload(group: Group, unit: str, cast: Cast) -> list[Panel]:
    """Return a panel for each workload that matters: large reads and writes, small reads and writes; else the first few there are."""
    texts = list(dict.fromkeys(r.workload.text for r in group.rows))
    wanted = _that_matter(group) if len(texts) > MOST_PANELS else texts
    panels = []
    for text in wanted:
        rows = sorted((r for r in group.rows if r.workload.text == text), key=lambda r: -r.estimate.rate)
        panels.append(_panel(rows, group, unit, cast))
    return panels


def _that_matter(group: Group) -> list[str]:
    """Return the words of the workloads that matter, in their order."""
    setup = group.baseline or group.rows[0].setup
    every = [r for r in group.rows if r.setup == setup]
    large_read, large_write, small_read = large_and_small(group, setup)
    small_write = next(
        (
            r
            for r in every
            if (r.workload.drive_pattern, r.workload.drive_direction, r.workload.depth) == ("random", "write", 1)
        ),
        None,
    )
    found = [r.workload.text for r in (large_read, large_write, small_read, small_write) if r is not None]
    texts = list(dict.fromkeys([*found, *(r.workload.text for r in group.rows)]))
    return texts[: len(dict.fromkeys(found)) or MOST_PANELS]


def _panel(rows: Sequence[ComparedRow], group: Group, unit: str, cast: Cast) -> Panel:
    if all(r.datagrams is not None for r in rows):
        return _lost(rows, group, cast)
    small = rows[0].workload.drive_pattern == "random"
    names = cast.named([r.setup for r in rows])
    bars = tuple(_bar(r, names[r.setup], group, unit, cast) for r in rows)
    return Panel(workload_words(rows[0].workload), bars, "IOPS" if small else unit)


def _lost(rows: Sequence[ComparedRow], group: Group, cast: Cast) -> Panel:
    """Return what share of datagrams each setup lost, with its interval, the least above: there loss is the question, and no rate."""
    names, bars = cast.named([r.setup for r in rows]), []
    for row in rows:
        assert row.datagrams is not None
        low, high = (100 * share for share in lost_share(row.datagrams))
        share = 100 * row.datagrams.lost / max(row.datagrams.sent, 1)
        shade = NEUTRAL if row.setup == group.baseline else cast.shade(row.setup)
        bars.append(Bar(names[row.setup], share, f"{significant(share, 2)}% lost", shade, low=low, high=high))
    return Panel(f"{workload_words(rows[0].workload)}, lost", tuple(sorted(bars, key=lambda b: b.value)), "% lost")


def _bar(row: ComparedRow, label: str, group: Group, unit: str, cast: Cast) -> Bar:
    small = row.workload.drive_pattern == "random"
    scale = row.workload.block_bytes if small else RATE_UNITS[unit]
    rate = row.estimate.rate
    shown = show_iops(rate / scale) if small else show_rate(rate, unit, with_unit=False)
    return Bar(
        label=label,
        value=rate / scale,
        text=f"{shown}{_change(row)}",
        shade=NEUTRAL if row.setup == group.baseline else cast.shade(row.setup),
        low=None if row.estimate.low is None else row.estimate.low / scale,
        high=None if row.estimate.high is None else row.estimate.high / scale,
    )


def _change(row: ComparedRow) -> str:
    """Return how far a rate is from the baseline's, in words."""
    if row.comparison is None:
        return ""
    word = {"same": "same", "undecided": "undecided"}.get(row.comparison.verdict)
    return f"  {word or show_change(row.comparison.ratio.value)}"


def _telling(group: Group, setups: Sequence[str]) -> str:
    row = _row_of(group, setups[0])
    return workload_words(row.workload).lower() if row is not None else ""


def _row_of(group: Group, setup: str) -> ComparedRow | None:
    """Return the row of a setup that a chart of many rests on: its large reads, else writes."""
    read, write, _ = large_and_small(group, setup)
    return read or write


def _by_product(review: Review, group: Group, unit: str, cast: Cast) -> list[Panel]:
    """Return a panel for each product with its setups, named by what differs between them; the baseline is the upright mark.

    Where hardly any product has two setups there is one panel.
    """
    base = _row_of(group, group.baseline) if group.baseline else None
    products: dict[str, list[ComparedRow]] = {}
    for setup in dict.fromkeys(r.setup for r in group.rows):
        row = _row_of(group, setup)
        if row is not None and setup != group.baseline:
            products.setdefault(product_of(review, setup), []).append(row)
    every = [row for rows in products.values() for row in rows]
    if len(every) < 2 * len(products):  # hardly any product has two: all of them in one panel
        rows = sorted([*every, *([base] if base is not None else [])], key=lambda r: -r.estimate.rate)
        return [_panel(rows, group, unit, cast)]
    panels = []
    for product, rows in products.items():
        title = review.label(product)
        rows.sort(key=lambda r: -r.estimate.rate)
        bars = []
        for row in rows:
            label = cast.name(row.setup).removeprefix(title).lstrip(" ,").removeprefix("on ") or title
            bar = _bar(row, label, group, unit, cast)
            bars.append(bar)
        panels.append(Panel(title, tuple(bars), unit))
    panels.sort(key=lambda p: -p.bars[0].value)
    at = 0.0 if base is None else base.estimate.rate / RATE_UNITS[unit]
    if not 0 < at <= FAR * panels[0].bars[0].value:
        return panels  # a mark so far away would make every bar short
    return [replace(p, bars=tuple(replace(b, mark=at) for b in p.bars)) for p in panels]


def comparison_title(group: Group, cast: Cast, medium: str) -> str:
    """Return the result of a group's largest transfers."""
    rows = [r for s in dict.fromkeys(r.setup for r in group.rows) if (r := _row_of(group, s)) is not None]
    others = sorted((r for r in rows if r.comparison is not None), key=lambda r: -r.estimate.rate)
    base = with_article(cast.name(group.baseline or ""))
    if not rows:
        return finding(f"Rates with {medium}", "Rates")
    doing = WAYS.get(rows[0].workload.drive_direction, "")
    if not others:
        best = max(rows, key=lambda r: r.estimate.rate)
        return finding(
            f"{with_article(cast.name(best.setup))} gives {show_rate(best.estimate.rate)} when {doing}",
            f"Rates with {medium}",
        )
    best = others[0]
    assert best.comparison is not None
    name, verdict, ratio = with_article(cast.name(best.setup)), best.comparison.verdict, best.comparison.ratio.value
    if verdict == "undecided":
        return finding(
            f"No difference shown yet between {name} and {base}", f"{name}: undecided against {base}", "Undecided"
        )
    if verdict == "same":
        return finding(
            f"{name} is as fast as {base} when {doing}", f"{name} is as fast as {base}", f"{name} loses nothing"
        )
    if len(others) == 1 or "faster" in verdict:
        told = f"{name} is {how_much_than(ratio)} {base}"
        return finding(f"{told} when {doing}", told, f"{name}: {show_change(ratio)} {doing}", f"{name} is fastest")
    return finding(
        f"{name} comes closest to {base}: {show_change(ratio)} {doing}",
        f"{name} comes closest: {show_change(ratio)} {doing}",
        f"{name}: {show_change(ratio)} {doing}",
        f"{name} comes closest",
    )
