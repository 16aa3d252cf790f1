"""What a matrix shows on one screen: a sentence for each workload, and one table of all of them."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from typing import TypeVar

from ulterion.core.matrix.effects import Effect, Effects
from ulterion.core.matrix.ranks import Place, Ranks
from ulterion.core.units import show_block
from ulterion.core.workloads.suites import short_title
from ulterion.features.plan import words
from ulterion.features.plan.judging import Observations
from ulterion.features.plan.sweeps import is_sweep, levels_across_sizes, sweep_sentences
from ulterion.model.review import Review
from ulterion.show.blocks import BLANK, Cells, Shown, Table, Text, bullet_list
from ulterion.show.columns import show_change
from ulterion.show.sentences import listed, sentence_of

T = TypeVar("T")
EffectsOf = Sequence[tuple[Observations, Effects]]
RanksOf = Sequence[tuple[Observations, Ranks]]


def effects_overview(review: Review, found: EffectsOf) -> list[Shown]:
    """Return what each factor does: a sentence for each workload, a table of all, interactions, and what limits the answer."""
    margin = review.review.margin
    if is_sweep(found):
        return _sweep_overview(review, found)
    told = [sentence_of(f"{short_title(o.workload)}: {effects_sentence(review, e, margin)}") for o, e in found]
    refused = [f"{words.effect_words(review, e)}" for _, one in found for e in one.effects if e.ratio is None]
    return [
        *(Text(t) for t in told),
        BLANK,
        _effects_table(review, found),
        HALF,
        *bullet_list("Interactions", list(interactions(review, found))),
        *bullet_list("Cannot be determined", _distinct(refused)),
        *bullet_list("Warnings", _distinct(c for _, one in found for c in words.cautions(one))),
    ]


HALF = Text("± half the 95% interval, in percentage points or times; ? undecided", style="muted")


def _sweep_overview(review: Review, found: EffectsOf) -> list[Shown]:
    """Return what each level does across the sizes of a sweep: a sentence for each, and a line for each size."""
    every = levels_across_sizes(review, found)
    strongest = next((one.most for one in every if one.differs_with and one.shown), None)
    keys = [(one.factor, one.level) for one in every]
    effects = {o.workload.block_bytes: {(e.factor, e.level): e for e in one.effects} for o, one in found}
    heads = [words.named(review, level) for _, level in keys]
    rows: list[Cells | Text] = [
        [show_block(size), *(_effect_cell(known.get(key), review.review.margin) for key in keys)]
        for size, known in sorted(effects.items())
    ]
    return [
        *(Text(t) for t in sweep_sentences(every, review)),
        BLANK,
        Table([("size", "right"), *((h, "right") for h in heads)], rows, "effects by size", spare=tuple(heads[:0:-1])),
        HALF,
        *bullet_list(
            "Interactions", interactions(review, [(o, e) for o, e in found if o.workload.block_bytes == strongest])
        ),
        *bullet_list("Warnings", max((words.cautions(one) for _, one in found), key=len)),
    ]


def effects_sentence(review: Review, found: Effects, margin: float) -> str:
    """Return which factors matter, the largest first, and which do not."""
    by_factor: dict[str, list[Effect]] = {}
    for effect in found.effects:
        if effect.ratio is not None:
            by_factor.setdefault(effect.factor, []).append(effect)
    largest = {factor: max(effects, key=_size) for factor, effects in by_factor.items()}
    strong = [e for e in largest.values() if words.matters(e) and _size(e) > math.log1p(margin)]
    strong.sort(key=_size, reverse=True)
    flat = [f for f, effects in by_factor.items() if all(_within(e, margin) for e in effects)]
    rest = [f for f in by_factor if f not in flat and f not in [e.factor for e in strong]]
    parts = []
    if strong:
        first, *others = [f"({words.named(review, e.level)} {show_change(e.ratio or 1)})" for e in strong]
        then = listed([f"the {e.factor} {told}" for e, told in zip(strong[1:], others, strict=True)]) if others else ""
        name = strong[0].factor
        parts.append(f"the {name} matters most {first}, then {then}" if then else f"only the {name} matters {first}")
    parts += [f"{_the(flat)} {'makes' if len(flat) == 1 else 'make'} no difference"] if flat else []
    parts += [f"{_the(rest)} {'is' if len(rest) == 1 else 'are'} undecided"] if rest else []
    return "; ".join(parts) or "nothing can be determined yet"


def _the(factors: Sequence[str]) -> str:
    return listed([f"the {factor}" for factor in factors])


def _size(effect: Effect) -> float:
    return abs(math.log(effect.ratio)) if effect.ratio else 0.0


def _within(effect: Effect, margin: float) -> bool:
    """Return whether an effect surely lies within the margin."""
    ends = (effect.low, effect.high)
    return all(end is not None and abs(math.log(end)) <= math.log1p(margin) for end in ends)


def _effects_table(review: Review, found: EffectsOf) -> Table:
    effects = [{(e.factor, e.level): e for e in one.effects} for _, one in found]
    keys = _distinct(key for one in effects for key in one)
    rows: list[Cells | Text] = []
    for number, (factor, level) in enumerate(keys):
        some = next(one[factor, level] for one in effects if (factor, level) in one)
        if number == 0 or keys[number - 1][0] != factor:
            rows.append(Text(f"{factor}, against {words.named(review, some.against)}", style="name"))
        cells = [_effect_cell(one.get((factor, level)), review.review.margin) for one in effects]
        rows.append([f"  {words.named(review, level)}", *cells])
    return _by_workload([o for o, _ in found], rows, "effects")


def _effect_cell(effect: Effect | None, margin: float) -> Text | str:
    if effect is None or effect.ratio is None:
        return "–"
    if effect.low is None or effect.high is None:
        return show_change(effect.ratio)
    half = (effect.high - effect.low) / 2
    spread = (
        f"±{half:.{1 if half >= 0.05 else 2}f}"
        if effect.ratio >= 1.95
        else f"±{half * 100:.1f}"
        if half < 0.0995
        else f"±{half * 100:.0f}"
    )
    if not words.matters(effect):
        open_ = "" if _within(effect, margin) else " ?"
        return Text(f"{show_change(effect.ratio)} {spread}{open_}", style="muted")
    return Text(f"{show_change(effect.ratio)} {spread}", style="good" if effect.ratio > 1 else "bad")


def _by_workload(workloads: Sequence[Observations], rows: Sequence[Cells | Text], caption: str) -> Table:
    """Return a table with a column for each workload; the later ones are left out where there is no room."""
    titles = [short_title(o.workload) for o in workloads]
    return Table([("", "left"), *((t, "right") for t in titles)], rows, caption, spare=tuple(titles[:0:-1]))


def interactions(review: Review, found: EffectsOf) -> list[str]:
    """Return, for each level whose effect depends on another factor by more than the margin, how much it is there, all workloads in one sentence."""
    told: dict[tuple[str, str, str], list[str]] = {}
    for observations, one in found:
        for pair in one.together:
            by_level: dict[tuple[str, str, str], list[Effect]] = {}
            for effect in pair.effects:
                if effect.where is not None:
                    by_level.setdefault((effect.factor, effect.level, effect.where[0]), []).append(effect)
            for key, effects in by_level.items():
                ratios = [e.ratio or 1.0 for e in effects]
                if max(ratios) - min(ratios) > review.review.margin:
                    told.setdefault(key, []).append(f"{short_title(observations.workload)} {_span(review, effects)}")
    return [
        f"{words.named(review, level)} depends on the {where}: {'; '.join(parts)}"
        for (_, level, where), parts in told.items()
    ]


def _span(review: Review, effects: Sequence[Effect]) -> str:
    """Return an effect where it is smallest and where it is largest."""
    ordered = sorted(effects, key=_size)
    shown = [show_change(e.ratio or 1.0) if words.matters(e) else "no effect" for e in ordered]
    places = [words.named(review, e.where[1]) if e.where else "" for e in ordered]
    return f"{shown[0]} with {places[0]}, {shown[-1]} with {places[-1]}"


def ranks_overview(review: Review, found: RanksOf) -> list[Shown]:
    """Return who is fastest at each workload, the places of all, and where the order turns."""
    told = [f"{short_title(o.workload)}: {words.best_words(review, r)}" for o, r in found if r.places]
    places = [{p.level: p for p in r.places} for _, r in found]
    levels = _distinct(level for one in places for level in one)
    rows: list[Cells | Text] = [
        [words.named(review, level), *(_place_cell(one.get(level)) for one in places)] for level in levels
    ]
    turns = [f"{short_title(o.workload)}: {turn}" for o, r in found for turn in words.turn_words(review, r)]
    refused = [f"{words.named(review, level)}: {why}" for _, r in found for level, why in r.refused]
    table: list[Shown] = [
        _by_workload([o for o, _ in found], rows, "ranks"),
        Text("place, and rate against the average of all", style="muted"),
    ]
    return [
        *(Text(sentence_of(t)) for t in told),
        *([BLANK, *table] if rows else []),
        *bullet_list("The order turns", turns),
        *bullet_list("Without a place", _distinct(refused)),
    ]


def _place_cell(place: Place | None) -> Text | str:
    if place is None:
        return "–"
    return Text(f"{words.rank_word(place)}  {show_change(place.ratio):>5}", style="good" if place.best == 1 else "")


def _distinct(items: Iterable[T]) -> list[T]:
    return list(dict.fromkeys(items))
