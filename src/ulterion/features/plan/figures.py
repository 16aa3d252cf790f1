"""A matrix as figures: the grid with its rates, the effects, and the ranks."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from matplotlib.axes import Axes
from matplotlib.colors import LinearSegmentedColormap
from matplotlib.figure import Figure

from ulterion.core.matrix.effects import Effect, Effects
from ulterion.core.matrix.ranks import Ranks
from ulterion.core.units import show_block
from ulterion.features.plan import words as words
from ulterion.features.plan.judging import Observations as Workloads
from ulterion.features.plan.sweeps import levels_across_sizes
from ulterion.features.plan.words import figure_words
from ulterion.model.review import Review
from ulterion.show.columns import show_change
from ulterion.show.figure_base import Palette, begin, colour, foot, palette_of, style

ROUND = (
    0.01,
    0.02,
    0.05,
    0.1,
    0.2,
    0.5,
    0.7,
    0.8,
    0.9,
    0.95,
    0.98,
    0.99,
    1.01,
    1.02,
    1.05,
    1.1,
    1.2,
    1.5,
    2.0,
    5.0,
    10.0,
    20.0,
    50.0,
    100.0,
)
MAX_TICKS = 5.5
SWEEP_HEIGHT = 5.2  # inches of the chart of a sweep
ROW, HEAD = 0.42, 1.9  # inches of a row, and of title, axis and foot


def draw_grid(
    review: Review,
    found: Workloads,
    rows: str,
    columns: str,
    unit: str,
    *,
    foot_words: Sequence[str],
    dark: bool = False,
) -> Figure:
    """Return a workload over the cells as a map with its figures: one factor down, all combinations of the others across."""
    palette, plan = palette_of(dark=dark), review.plan
    assert plan is not None
    across = [f for f in plan.factors if f != rows]
    ordered = [f for f in across if f != columns] + [columns]
    heads = sorted(
        {tuple((f, dict(c)[f]) for f in ordered) for c in found.figures},
        key=lambda h: [plan.factors[f].index(v) for f, v in h],
    )
    values = np.full((len(plan.factors[rows]), len(heads)), np.nan)
    for cell, one in found.figures.items():
        levels = dict(cell)
        values[plan.factors[rows].index(levels[rows]), heads.index(tuple((f, levels[f]) for f in ordered))] = one.rate
    figure = begin(
        f"{found.text}, {'requests a second' if found.workload.pattern == 'random' else unit}",
        HEAD + 1.2 + ROW * 1.3 * len(values),
        palette,
    )
    axes = figure.add_subplot(1, 1, 1)
    style(axes, palette, bare=True)
    tints = LinearSegmentedColormap.from_list("tints", [palette.rest, colour(palette, 0)])
    axes.imshow(np.log(values), cmap=tints, aspect="auto")
    _numbers(axes, found, values, tints=tints, palette=palette, unit=unit)
    axes.set_xticks(range(len(heads)), ["\n".join(words.named(review, v) for _, v in h) for h in heads], fontsize=9)
    axes.set_yticks(range(len(values)), [words.named(review, v) for v in plan.factors[rows]])
    axes.tick_params(length=0)
    axes.spines["bottom"].set_visible(False)
    foot(
        figure,
        [*foot_words, "columns: " + ", ".join(ordered), f"{'lighter' if dark else 'darker'} is faster, on a log scale"],
        palette,
    )
    return figure


def _numbers(
    axes: Axes, found: Workloads, values: np.ndarray, tints: LinearSegmentedColormap, palette: Palette, *, unit: str
) -> None:
    """Write each figure into its cell, in the ink that stands out."""
    logs = np.log(values)
    low, high = np.nanmin(logs), np.nanmax(logs)
    size = 10.5 if values.shape[1] <= 12 else 8
    for (row, column), value in np.ndenumerate(values):
        if np.isnan(value):
            axes.text(column, row, "–", ha="center", va="center", color=palette.quiet)
            continue
        red, green, blue, _ = tints(0.5 if high == low else (np.log(value) - low) / (high - low))
        bright = 0.299 * red + 0.587 * green + 0.114 * blue
        text = figure_words(found.workload, float(value), unit).removesuffix("/s")
        axes.text(
            column, row, text, ha="center", va="center", fontsize=size, color="#111111" if bright > 0.5 else "#ffffff"
        )


def draw_effects(
    review: Review, found: Sequence[tuple[Workloads, Effects]], foot_words: Sequence[str], *, dark: bool = False
) -> Figure:
    """Return every effect with its interval, a panel for each workload."""
    palette = palette_of(dark=dark)
    names = list(found[0][1].effects)
    figure = begin("What each factor does, all levels of the others alike", HEAD + ROW * len(names) + 0.3, palette)
    panels = figure.subplots(1, len(found), sharey=True, squeeze=False)[0]
    for place, (axes, (one, effects)) in enumerate(zip(panels, found, strict=True)):
        style(axes, palette, bare=True)
        axes.axvline(0, color=palette.quiet, linewidth=1)
        known = {(e.factor, e.level): e for e in effects.effects}
        for at, name in enumerate(names):
            _effect(axes, known.get((name.factor, name.level)), at, colour(palette, place), palette)
        axes.set_title(one.text, color=palette.ink, fontsize=10.5, loc="left")
        axes.set_ylim(len(names) - 0.4, -0.6)
        axes.grid(axis="x", color=palette.grid, linewidth=0.8)
        axes.set_axisbelow(True)
        axes.margins(x=0.28)
        ticks = _ticks(*axes.get_xlim())
        axes.set_xticks(np.log(ticks), ["0%" if t == 1 else show_change(t) for t in ticks], fontsize=9)
    labels = [f"{e.factor}\n{words.named(review, e.level)} against {words.named(review, e.against)}" for e in names]
    panels[0].set_yticks(range(len(names)), labels, fontsize=9.5)
    for axes in panels:
        axes.tick_params(axis="y", length=0)
    foot(figure, [*foot_words, "bars: 95% intervals, on logs"], palette)
    return figure


def _ticks(low: float, high: float) -> list[float]:
    """Return round ratios between two logs, as far from each other as their words are wide."""
    apart, chosen = (high - low) / MAX_TICKS, [1.0]
    for ratio in sorted(ROUND, key=lambda r: abs(np.log(r))):
        if low < np.log(ratio) < high and all(abs(np.log(ratio / other)) > apart for other in chosen):
            chosen.append(ratio)
    return sorted(chosen)


def _effect(axes: Axes, effect: Effect | None, at: int, line: str, palette: Palette) -> None:
    if effect is None or effect.ratio is None or effect.low is None or effect.high is None:
        axes.text(0, at, "cannot be determined", color=palette.quiet, fontsize=9, va="center")
        return
    low, value, high = (float(np.log(v)) for v in (effect.low, effect.ratio, effect.high))
    axes.plot([low, high], [at, at], color=line, linewidth=3, solid_capstyle="butt")
    axes.plot([value], [at], "o", color=line, markersize=7)
    axes.annotate(
        show_change(effect.ratio),
        (value, at),
        (0, 9),
        textcoords="offset points",
        ha="center",
        color=palette.ink,
        fontsize=9,
    )


def draw_ranks(
    review: Review, found: Sequence[tuple[Workloads, Ranks]], foot_words: Sequence[str], *, dark: bool = False
) -> Figure:
    """Return the ranks that each product may have, a panel for each workload."""
    palette = palette_of(dark=dark)
    most = max(len(r.places) for _, r in found)
    figure = begin(f"Places of each {found[0][1].factor}, all else alike", HEAD + 0.3 + ROW * most, palette)
    panels = figure.subplots(1, len(found), squeeze=False)[0]
    for axes, (one, ranks) in zip(panels, found, strict=True):
        style(axes, palette, bare=True)
        names = [p.level for p in found[0][1].places]
        for at, place in enumerate(ranks.places):
            line = colour(palette, names.index(place.level) if place.level in names else at)
            axes.plot(
                [place.best, place.worst], [at, at], "o-", color=line, linewidth=9, markersize=9, solid_capstyle="round"
            )
            axes.annotate(
                show_change(place.ratio),
                (place.worst, at),
                (12, 0),
                textcoords="offset points",
                va="center",
                color=palette.quiet,
                fontsize=9,
            )
        axes.set_yticks(range(len(ranks.places)), [words.named(review, p.level) for p in ranks.places])
        axes.set_ylim(len(ranks.places) - 0.4, -0.6)
        axes.tick_params(axis="y", length=0)
        axes.set_xlim(0.6, most + 0.9)
        axes.set_xticks(range(1, most + 1))
        axes.grid(axis="x", color=palette.grid, linewidth=0.8)
        axes.set_axisbelow(True)
        axes.set_title(one.text, color=palette.ink, fontsize=10.5, loc="left")
    foot(
        figure,
        [*foot_words, "a bar: the places that it may have (95%, all together); beside it its rate to the mean of all"],
        palette,
    )
    return figure


def draw_sweep(
    review: Review, found: Sequence[tuple[Workloads, Effects]], foot_words: Sequence[str], *, dark: bool = False
) -> Figure:
    """Return every level's effect against the size of a request, with its intervals."""
    palette = palette_of(dark=dark)
    figure = begin(f"What each level does, by size: {_subject(found)}", SWEEP_HEIGHT, palette)
    axes = figure.subplots()
    style(axes, palette)
    axes.axhline(1.0, color=palette.quiet, linewidth=1)
    every = levels_across_sizes(review, found)
    for place, one in enumerate(every):
        line, at, effects = colour(palette, place), list(one.effects), list(one.effects.values())
        values = [e.ratio or 1.0 for e in effects]
        low = [v - (e.low or v) for v, e in zip(values, effects, strict=True)]
        high = [(e.high or v) - v for v, e in zip(values, effects, strict=True)]
        name = f"{words.named(review, one.level)} against {words.named(review, one.against)}"
        axes.errorbar(at, values, yerr=[low, high], color=line, marker="o", markersize=4, linewidth=1.6, label=name)
    axes.set_xscale("log", base=2)
    axes.set_yscale("log")
    sizes_shown = sorted({size for one in every for size in one.effects})
    axes.set_xticks(sizes_shown, [show_block(s) for s in sizes_shown], fontsize=9)
    low_end, high_end = axes.get_ylim()
    ticks = [t for t in (0.05, 0.1, 0.2, 0.5, 0.7, 1.0, 1.5, 2.0, 5.0, 10.0, 20.0) if low_end <= t <= high_end]
    axes.set_yticks(ticks, ["no effect" if t == 1 else show_change(t) for t in ticks], fontsize=9)
    axes.minorticks_off()
    axes.grid(axis="y", color=palette.grid, linewidth=0.8)
    axes.set_xlabel("size of a request", color=palette.ink)
    axes.legend(frameon=False, labelcolor=palette.ink, fontsize=9, loc="best")
    axes.tick_params(colors=palette.ink)
    axes.set_xlim(np.min(sizes_shown) / 1.3, np.max(sizes_shown) * 1.3)
    foot(figure, [*foot_words, "bars: 95% intervals"], palette)
    return figure


def _subject(found: Sequence[tuple[Workloads, Effects]]) -> str:
    workload = found[0][0].workload
    return f"{workload.pattern} {workload.direction}, QD{workload.depth}"
