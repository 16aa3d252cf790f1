"""How long a piece of work takes on each setup, what a supply leaves, and what a product gives for its price, as charts."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from ulterion.core.estimates.power import Budget
from ulterion.core.estimates.transfer_time import Work
from ulterion.core.units import RATE_UNITS, show_duration, show_rate
from ulterion.features.estimate.energy import Energy
from ulterion.features.estimate.recordings import Recorded
from ulterion.features.estimate.transfer_time import TransferTimeRow
from ulterion.features.estimate.value import Value
from ulterion.model.review import Review
from ulterion.show.charts import Bar, BarChart, Caption, Panel, finding, foot_of
from ulterion.show.looks import Cast, product_of
from ulterion.show.sentences import listed

MOST = 12  # setups with a bar each; of more the quickest of each product


def works_chart(review: Review, rows: Sequence[TransferTimeRow], title: str) -> BarChart:
    """Return bars of time with their intervals, each stretch at one pace by itself, the quickest above."""
    known, cast = [(r, r.work) for r in rows if r.work is not None], Cast.of(review)
    names = cast.named([r.target for r, _ in known])
    shown = known if len(known) <= MOST else _fastest_of_each(review, known)
    bars = []
    for row, work in shown:
        ends, end = list[float](), 0.0
        for part in work.parts:
            end += part.seconds
            ends.append(end)
        bars.append(
            Bar(
                label=names.get(row.target, row.target) if row.source is None else row.title(review),
                value=work.seconds,
                text=show_duration(work.seconds),
                shade=cast.shade(row.target),
                low=work.low,
                high=work.high,
                parts=tuple(ends),
            )
        )
    first, last = bars[0], bars[-1]
    ratio = last.value / first.value
    told: tuple[str, ...] = (
        (
            f"{first.label} is done in {first.text}, {last.label} in {last.text}",
            f"{first.label} is done in {first.text}",
        )
        if len(bars) > 1 and ratio > 1
        else (f"{first.label} takes {first.text}",)
    )
    paler = "paler: after the write cache is used up, or throttled" if any(len(b.parts) > 1 for b in bars) else ""
    caption = Caption(
        title=finding(*told, f"Done in {first.text} at best"),
        subtitle=f"{title}: time on each setup",
        foot=foot_of("lines: 90% intervals", paler, "" if shown == known else "the fastest setup of each product"),
        runs=tuple(dict.fromkeys(r for row, _ in known for r in row.runs)),
    )
    return BarChart(caption, (Panel("", tuple(bars), "time"),))


def _fastest_of_each(
    review: Review, known: Sequence[tuple[TransferTimeRow, Work]]
) -> list[tuple[TransferTimeRow, Work]]:
    """Return the quickest row of each product with each medium: rows come with the quickest first."""
    found: dict[tuple[str, str], tuple[TransferTimeRow, Work]] = {}
    for row, work in known:
        found.setdefault((product_of(review, row.target), review.setups[row.target].medium), (row, work))
    return list(found.values())


def power_chart(supply: str, found: Budget, source: str) -> BarChart:
    """Return what the loads draw at work, when they start one after the other, and all at their peaks, against what the supply gives."""
    gives = found.gives
    counted = Counter(load.name for load in found.loads)
    names = listed([f"{count} × {name}" if count > 1 else name for name, count in counted.items()])
    rows = (
        ("at work", gives - found.left),
        ("starting one after the other", gives - found.left_one_by_one),
        ("all at their peak", gives - found.left_at_peaks),
    )
    bars = []
    for label, watts in rows:
        over = f", {watts - gives:.1f} W too much" if watts > gives else ""
        bars.append(Bar(label=label, value=watts, text=f"{watts:.1f} W{over}", mark=gives))
    short, spare = f"{-found.left:.1f} W short", f"{found.left:.1f} W to spare"
    title = (
        finding(f"{supply} is {short} for {names}", f"{supply} is {short}")
        if found.left < 0
        else finding(f"{supply} runs {names} with {spare}", f"{supply} has {spare}")
    )
    caption = Caption(title, f"What {names} draw, W, against the {gives:.1f} W of {supply}", f"supply: {source}")
    return BarChart(caption, (Panel("", tuple(bars), "W"),), f"{gives:.1f} W")


def values_chart(review: Review, found: Sequence[Value], title: str, unit: str) -> BarChart | None:
    """Return what each product gives for its price, a panel for each kind, the most for the money above; None where nothing has both."""
    cast, kinds = Cast.of(review), dict[str, list[Value]]()
    for one in found:
        if one.per_rate and one.rate and one.meets is not False and one.short is None:
            kinds.setdefault(f"{review.parts[one.part].kind}s", []).append(one)
    panels = []
    for kind, mine in kinds.items():
        bars = tuple(
            Bar(
                label=review.label(v.part),
                value=1 / (v.per_rate or 1.0),
                text=f"{show_rate(v.rate or 0.0, unit)} for {v.price}",
                shade=cast.parts.get(v.part, 0),
            )
            for v in sorted(mine, key=lambda v: v.per_rate or 0.0)
        )
        panels.append(Panel(kind.capitalize(), bars, mine[0].price.currency))
    if not panels:
        return None
    best, currency = max((b for p in panels for b in p.bars), key=lambda b: b.value), found[0].price.currency
    caption = Caption(
        title=finding(
            f"{best.label} gives most for the money: {best.value:.0f} MB/s per {currency}", f"{best.label} gives most"
        ),
        subtitle=f"{title}: speed for the price, MB/s per {currency}",
        foot="best result of each product; prices without other parts",
    )
    return BarChart(caption, tuple(panels))


def recordings_chart(
    review: Review, found: Sequence[Recorded], stream: float, title: str, unit: str
) -> BarChart | None:
    """Return the lowest rate of each setup, or its average where nothing was soaked, against a stream; None where nothing was measured."""
    cast, scale = Cast.of(review), RATE_UNITS[unit]
    known = [(r, r.recording.lowest if r.recording is not None else r.average) for r in found]
    rates = sorted(((r, rate) for r, rate in known if rate is not None), key=lambda p: -p[1])
    if not rates:
        return None
    names = cast.named([r.setup for r, _ in rates])
    bars = []
    for row, rate in rates:
        keeps = "" if row.recording is None else "  ✓" if row.recording.keeps else "  ✗"
        what = "" if row.recording is not None else " on average"
        text = f"{show_rate(rate, unit, with_unit=False)}{what}{keeps}"
        bars.append(Bar(names[row.setup], rate / scale, text, cast.shade(row.setup), mark=stream / scale))
    fine = [b.label for b, (r, _) in zip(bars, rates, strict=True) if r.recording is not None and r.recording.keeps]
    told = f"{len(fine)} of {len(bars)} are proven for {title}"
    caption = Caption(
        title=finding(told, f"{len(fine)} of {len(bars)} are proven for it"),
        subtitle=f"The lowest rate in the long run, {unit}, against the stream; on average where there was none",
        foot="✓ takes it, ✗ does not",
    )
    return BarChart(caption, (Panel("", tuple(bars), unit),), show_rate(stream, unit))


def energies_chart(review: Review, found: Sequence[Energy]) -> BarChart:
    """Return what moving a gigabyte draws on each setup, a panel for each direction, the least above."""
    cast, panels = Cast.of(review), []
    for way in dict.fromkeys(e.direction for e in found):
        mine = sorted((e for e in found if e.direction == way), key=lambda e: e.per_gigabyte)
        names = cast.named([e.setup for e in mine])
        bars = tuple(
            Bar(
                names[e.setup],
                e.per_gigabyte,
                f"{e.per_gigabyte:.2f} J, {e.watts:.1f} W under the load",
                cast.shade(e.setup),
            )
            for e in mine
        )
        panels.append(Panel(f"{way.capitalize()}", bars, "J"))
    best = panels[0].bars[0]
    caption = Caption(
        title=finding(f"{best.label} draws least: {best.value:.2f} J for each gigabyte", f"{best.label} draws least"),
        subtitle="Energy for each gigabyte (1e9 bytes) moved in the long run, J",
        runs=tuple(e.run for e in found),
    )
    return BarChart(caption, tuple(panels))
