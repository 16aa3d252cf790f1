"""A matrix as charts: the map of its cells, the effects of its factors, by size where it is a sweep, the order of its products, and what works."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ulterion.core.matrix.effects import Effects
from ulterion.core.matrix.ranks import Place, Ranks
from ulterion.core.units import RATE_UNITS, show_block
from ulterion.features.plan import words
from ulterion.features.plan.compatibility import CompatibilityRow
from ulterion.features.plan.judging import Observations
from ulterion.features.plan.sweeps import levels_across_sizes, sweep_sentences
from ulterion.model.review import Review
from ulterion.show.charts import (
    Axis,
    Bar,
    BarChart,
    Caption,
    Level,
    Line,
    LineChart,
    LinePanel,
    MapCell,
    MapChart,
    Panel,
    Spread,
    SpreadChart,
    SpreadPanel,
    finding,
    workload_words,
)
from ulterion.show.columns import show_change
from ulterion.show.looks import Cast, unlike_shades

ROUND = (0.05, 0.1, 0.2, 0.3, 0.5, 0.7, 0.85, 1.0, 1.2, 1.5, 2.0, 3.0, 5.0, 10.0, 20.0, 50.0)
FINE = (0.8, 0.9, 0.95, 0.98, 1.0, 1.02, 1.05, 1.1, 1.25)
MOST_PANELS = 4
Found = Sequence[tuple[Observations, Effects]]


def grid_chart(
    review: Review, shown: Sequence[Observations], rows: str, columns: str, unit: str, *, foot: str
) -> MapChart:
    """Return cells as a shaded table: one factor down; across the workloads, where there are several, and all levels of the others."""
    plan = review.plan
    assert plan is not None
    ordered = [f for f in plan.factors if f not in (rows, columns)] + [columns]
    heads = sorted(
        {tuple(dict(c)[f] for f in ordered) for one in shown for c in one.figures},
        key=lambda h: [plan.factors[f].index(v) for f, v in zip(ordered, h, strict=True)],
    )
    named = [tuple(words.named(review, v) for v in head) for head in heads]
    across = [((workload_words(one.workload),) if len(shown) > 1 else ()) + head for one in shown for head in named]
    cells = []
    for level in plan.factors[rows]:
        line = []
        for one in shown:
            rates = {(dict(c)[rows], *(dict(c)[f] for f in ordered)): e.rate for c, e in one.figures.items()}
            for head in heads:
                rate = rates.get((level, *head))
                text = "–" if rate is None else words.figure_words(one.workload, rate, unit)
                line.append(MapCell(text, None if rate is None else math.log(rate)))
        cells.append(tuple(line))
    small = shown[0].workload.pattern == "random"
    what = " and ".join(workload_words(one.workload) for one in shown)
    best_cell, best = max(shown[0].figures.items(), key=lambda one: one[1].rate)
    told = words.figure_words(shown[0].workload, best.rate, unit, with_unit=True)
    caption = Caption(
        title=finding(f"{words.cell_rest(review, best_cell)} is fastest, at {told}", f"The fastest cell gives {told}"),
        subtitle=f"{what[0].upper()}{what[1:]}, {'IOPS' if small else unit}; the stronger the shade the faster; across: {', '.join(ordered)}",
        foot=foot,
    )
    return MapChart(caption, tuple(words.named(review, v) for v in plan.factors[rows]), tuple(across), tuple(cells))


def effects_chart(review: Review, found: Found, foot: str) -> SpreadChart:
    """Return every effect with its interval on one scale, a panel for each workload."""
    cast, panels = Cast.of(review), []
    shown = found[:MOST_PANELS]
    for one, effects in shown:
        rows = [
            Spread(
                label=f"{words.named(review, e.level)} against {words.named(review, e.against)}",
                value=e.ratio,
                low=e.low,
                high=e.high,
                text=show_change(e.ratio),
                shade=cast.parts.get(e.level, cast.shade(None, place)),
            )
            for place, e in enumerate(effects.effects)
            if e.ratio is not None and e.low is not None and e.high is not None
        ]
        if rows:
            panels.append(SpreadPanel(workload_words(one.workload), tuple(rows)))
    every = [r for p in panels for r in p.rows]
    first = [e for e in shown[0][1].effects if e.ratio is not None and e.low is not None]
    strongest = max(
        first or [e for _, f in shown for e in f.effects if e.ratio], key=lambda e: abs(math.log(e.ratio or 1))
    )
    left_out = f"; {len(found) - len(shown)} more workloads are not drawn" if len(found) > len(shown) else ""
    caption = Caption(
        title=finding(
            words.levels_compared(review, strongest),
            f"{words.named(review, strongest.level)}: {show_change(strongest.ratio or 1.0)}",
        ),
        subtitle="What each level does to the rate, all else alike; a bar is the 95% interval",
        foot=foot + left_out,
    )
    ticks = _ticks(min(r.low for r in every), max(r.high for r in every))
    return SpreadChart(caption, tuple(panels), Axis("change of the rate", log=True, ticks=ticks), zero=1.0)


def _ticks(low: float, high: float) -> tuple[tuple[float, str], ...]:
    """Return round ratios between two, named as changes."""
    low, high = min(low, 1.0), max(high, 1.0)
    few = FINE if high / low < 1.5 else ROUND
    chosen = [r for r in few if low * 0.98 <= r <= high * 1.02 or r == 1.0]
    while len(chosen) > 6:
        chosen = [r for i, r in enumerate(chosen) if i % 2 == 0 or r == 1.0]
    return tuple((r, "0%" if r == 1 else show_change(r)) for r in chosen)


def ranks_chart(review: Review, found: Sequence[tuple[Observations, Ranks]], unit: str, foot: str) -> BarChart:
    """Return each product's rate, all else alike, with the place that it has or may have; a panel for each workload."""
    cast, panels, factor = Cast.of(review), [], found[0][1].factor
    for one, ranks in found[:MOST_PANELS]:
        small = one.workload.pattern == "random"
        scale = one.workload.block_bytes if small else RATE_UNITS[unit]
        middle = math.exp(sum(math.log(e.rate) for e in one.figures.values()) / len(one.figures))
        names = [p.level for p in found[0][1].places]
        bars = [
            Bar(
                label=words.named(review, p.level),
                value=middle * p.ratio / scale,
                text=f"{words.figure_words(one.workload, middle * p.ratio, unit)}  {_place(p)}",
                shade=cast.parts.get(p.level, names.index(p.level) if p.level in names else 0),
                low=middle * p.low / scale,
                high=middle * p.high / scale,
            )
            for p in ranks.places
        ]
        panels.append(Panel(workload_words(one.workload), tuple(bars), "IOPS" if small else unit))
    title = _leader(review, [r for _, r in found], factor)
    units = list(dict.fromkeys(p.unit for p in panels))
    subtitle = (
        f"Rate of each {factor}, all else alike, {' and '.join(units)}; then the place, or the places that it may have"
    )
    return BarChart(Caption(title, subtitle, foot), tuple(panels))


def _leader(review: Review, found: Sequence[Ranks], factor: str) -> str:
    """Return which product is first at every workload, alone or tied with others; or that none is."""
    alone = [{p.level for p in r.places if (p.best, p.worst) == (1, 1) and not p.tied} for r in found]
    first = [{p.level for p in r.places if p.best == 1} for r in found]
    for how, sets in (("first", alone), ("first or tied", first)):
        always = sorted(words.named(review, level) for level in set.intersection(*sets))
        if len(always) == 1:
            return finding(f"{always[0]} is {how} at every workload", f"{always[0]} is {how}")
    return finding(f"No {factor} is first at every workload")


def _place(place: Place) -> str:
    """Return the place of a product, or those that it may have."""
    first, last = (
        f"{n}{'st' if n == 1 else 'nd' if n == 2 else 'rd' if n == 3 else 'th'}" for n in (place.best, place.worst)
    )
    return first if first == last else f"{first} to {last}"


def sweep_chart(review: Review, found: Found, foot: str) -> LineChart:
    """Return every level's effect against the size of a request, with its interval."""
    every, cast, lines = levels_across_sizes(review, found), Cast.of(review), []
    shades = unlike_shades([cast.parts.get(one.level, place) for place, one in enumerate(every)])
    for shade, one in zip(shades, every, strict=True):
        effects = list(one.effects.values())
        lines.append(
            Line(
                label=f"{words.named(review, one.level)} against {words.named(review, one.against)}",
                at=tuple(map(float, one.effects)),
                values=tuple(e.ratio or 1.0 for e in effects),
                shade=shade,
                low=tuple(e.low or e.ratio or 1.0 for e in effects),
                high=tuple(e.high or e.ratio or 1.0 for e in effects),
                marked=True,
            )
        )
    sizes = sorted({size for one in every for size in one.effects})
    values = [v for line in lines for v in (*line.low, *line.high)]
    workload = found[0][0].workload
    steps = [(size, e) for one in every for size, e in one.effects.items() if e.ratio]
    size, strongest = max(steps, key=lambda pair: abs(math.log(pair[1].ratio or 1.0)))
    most = f"{words.levels_compared(review, strongest)} at {show_block(size)}"
    sentence = next(iter(sweep_sentences(every, review)), "").rstrip(".")
    caption = Caption(
        title=finding(sentence, sentence.partition(";")[0], most, "What each level does, by size"),
        subtitle=f"{workload.pattern.capitalize()} {workload.direction}, depth {workload.depth}: change of the rate by request size; pale: 95% intervals",
        foot=foot,
    )
    across = Axis("request size", log=True, ticks=tuple((float(s), show_block(s)) for s in sizes))
    up = Axis("change of the rate", log=True, ticks=_ticks(min(values), max(values)))
    return LineChart(caption, across, (LinePanel(up, tuple(lines), (Level("no difference", 1.0),)),))


def compatibility_chart(review: Review, rows: Sequence[CompatibilityRow], foot: str) -> MapChart:
    """Return what works in which cell, yes or no."""
    questions = list(rows[0].works)
    told = {True: MapCell("yes", tone="good"), False: MapCell("no", tone="bad"), None: MapCell("–")}
    cells = tuple(tuple(told[row.works[q]] for q in questions) for row in rows)
    works = sum(all(v for v in row.works.values()) for row in rows)
    caption = Caption(finding(f"Everything works in {works} of {len(rows)} cells"), "What works in which cell", foot)
    names = tuple(words.cell_rest(review, row.cell) for row in rows)
    return MapChart(caption, names, tuple((q,) for q in questions), cells)
