"""Sweeps over sizes and depths, and over places of the medium, as charts; and several drives at once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ulterion.core.links.standards import Link
from ulterion.core.sharing import Sharing
from ulterion.core.units import RATE_UNITS, show_block, show_rate, show_size, significant
from ulterion.features.measure.concurrent_words import gives_way
from ulterion.features.measure.sweep_tables import Point, points_of
from ulterion.model.runs.measure import MeasureRun
from ulterion.show.charts import (
    NEUTRAL,
    Axis,
    Bar,
    BarChart,
    Caption,
    Level,
    Line,
    LineChart,
    LinePanel,
    Panel,
    finding,
    foot_of,
    measured_on,
)

MAX_TICKS = 9
NEAR = 0.9  # of the highest rate, from which on a size is large enough


def run_chart(run: MeasureRun, unit: str, link: Link | None) -> LineChart:
    """Return the chart of a sweep, whichever it is."""
    points = points_of(run)
    foot = foot_of(measured_on([run.bench.host], [run.started]), f"{run.settings.passes} passes", _sure(points))
    subject = run.target.model or run.target.device or str(run.target.path)
    made = _places(points, unit, subject) if run.at_places else _sizes(points, unit, subject, link)
    caption = Caption(made.caption.title, made.caption.subtitle, foot, (run.id,))
    return LineChart(caption, made.across, made.panels)


def _sure(points: Sequence[Point]) -> str:
    """Return how sure the points are: the widest half of a 95% interval."""
    margins = [p.found.margin for p in points if p.found.margin is not None]
    return f"95% intervals within ±{significant(max(margins) * 100, 2)}%" if margins else "too few passes for intervals"


def _sizes(points: Sequence[Point], unit: str, subject: str, link: Link | None) -> LineChart:
    """Return rate against request size on logarithmic axes, a line for each depth, held against the link in practice."""
    scale, depths = RATE_UNITS[unit], sorted({p.workload.depth for p in points})
    lines = []
    for place, depth in enumerate(depths):
        mine = sorted((p for p in points if p.workload.depth == depth), key=lambda p: p.workload.block_bytes)
        best = max(mine, key=lambda p: p.found.rate)
        lines.append(
            Line(
                label=f"depth {depth}",
                at=tuple(float(p.workload.block_bytes) for p in mine),
                values=tuple(p.found.rate / scale for p in mine),
                shade=place,
                text=f"up to {show_rate(best.found.rate, unit)} at {show_block(best.workload.block_bytes)}",
                marked=True,
            )
        )
    sizes = sorted({p.workload.block_bytes for p in points})
    ticks = tuple((float(s), show_block(s)) for s in sizes[:: max(1, -(-len(sizes) // MAX_TICKS))])
    levels: tuple[Level, ...] = ()
    if link is not None:
        levels = (Level(f"{link.name} in practice", link.practical_low / scale, link.practical_high / scale),)
    kinds = sorted({f"{p.workload.pattern} {p.workload.direction}" for p in points})
    caption = Caption(_size_title(points, subject, unit), f"{' and '.join(kinds).capitalize()} by request size, {unit}")
    return LineChart(
        caption, Axis("request size", log=True, ticks=ticks), (LinePanel(Axis(unit, log=True), tuple(lines), levels),)
    )


def _size_title(points: Sequence[Point], subject: str, unit: str) -> str:
    """Return from which size on the highest rate is nearly reached."""
    best = max(points, key=lambda p: p.found.rate)
    enough = min((p for p in points if p.found.rate >= NEAR * best.found.rate), key=lambda p: p.workload.block_bytes)
    size, rate = show_block(enough.workload.block_bytes), show_rate(best.found.rate, unit)
    return finding(
        f"{subject} reaches {rate}, and nearly that from {size} on",
        f"{subject} reaches {rate}",
        f"{rate} from {size} on",
    )


def _places(points: Sequence[Point], unit: str, subject: str) -> LineChart:
    """Return rate against the place on the medium, a line for each workload, with 95% intervals."""
    scale, lines = RATE_UNITS[unit], []
    points = [p for p in points if p.workload.pattern == "sequential"] or points
    for place, name in enumerate(dict.fromkeys(p.workload.anywhere.text for p in points)):
        mine = [p for p in points if p.workload.anywhere.text == name]
        lines.append(
            Line(
                label=name,
                at=tuple((p.workload.origin_bytes + (p.workload.span_bytes or 0) / 2) / 1e9 for p in mine),
                values=tuple(p.found.rate / scale for p in mine),
                shade=place,
                low=tuple((p.found.low or p.found.rate) / scale for p in mine),
                high=tuple((p.found.high or p.found.rate) / scale for p in mine),
                marked=True,
            )
        )
    first, last = points[0], max(points, key=lambda p: p.workload.origin_bytes)
    change = 1 - last.found.rate / first.found.rate
    covered = sum(
        p.workload.span_bytes or 0 for p in points if p.workload.anywhere.text == points[0].workload.anywhere.text
    )
    whole = (last.workload.origin_bytes + (last.workload.span_bytes or 0)) or 1
    title = finding(
        f"{subject} is {change * 100:.0f}% slower at its end"
        if change > 0.03
        else f"{subject} is as fast at its end as at its start",
        f"{change * 100:.0f}% slower at the end" if change > 0.03 else "As fast at the end as at the start",
    )
    count = len({p.workload.place for p in points})
    subtitle = f"{unit} at {count} places; {show_size(covered)} tested, {covered / whole * 100:.0f}% of the medium"
    across = Axis("place on the medium, GB from its start", least=0.0)
    return LineChart(Caption(title, subtitle), across, (LinePanel(Axis(unit), tuple(lines)),))


def sharing_chart(targets: Sequence[str], shared: Mapping[str, Sharing], unit: str, foot: str = "") -> BarChart:
    """Return what each target gives alone and beside the others, a panel for each workload."""
    scale, panels = RATE_UNITS[unit], []
    for text, one in shared.items():
        bars = []
        for place, name in enumerate(targets):
            alone, together = one.alone[place], one.together[place]
            bars.append(Bar(f"{name}, alone", alone / scale, show_rate(alone, unit, with_unit=False), NEUTRAL))
            told = f"{show_rate(together, unit, with_unit=False)}  {one.kept[place] * 100:.0f}% kept"
            bars.append(Bar(f"{name}, all at once", together / scale, told, place))
        panels.append(Panel(f"{text[0].upper()}{text[1:]}: {show_rate(one.total, unit)} in all", tuple(bars), unit))
    first = next(iter(shared.values()))
    least = min(first.kept)
    title = finding(
        f"At once, {gives_way(targets, first.kept)}", f"At once each keeps at least {least * 100:.0f}% of its rate"
    )
    return BarChart(Caption(title, f"Each drive alone, and all at once, {unit}", foot), tuple(panels))
