"""A plan in words: what comes next, what is open, what a matrix says."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.matrix.effects import Effect, Effects
from ulterion.core.matrix.grid import Cell, words
from ulterion.core.matrix.ranks import Place, Ranks
from ulterion.core.units import show_duration
from ulterion.core.workloads.workload import Workload
from ulterion.model.planned import Planned, PlannedCell, Step
from ulterion.model.review import Review
from ulterion.show.columns import show_change


def step_name(step: Step) -> str:
    """Return which step it is."""
    if step.cell is None:
        return f"check {step.check} by '{step.setup}'"
    return words(step.cell) + (", repeat (still undecided)" if step.again else "")


def progress(now: Planned) -> str:
    """Return in one sentence how far a plan is."""
    over, total = now.count("done") + now.count("doubtful"), len(now.cells)
    parts = [f"{over} of {total} cells are done"]
    parts += [f"{now.count('doubtful')} of them doubtful"] if now.count("doubtful") else []
    parts += [f"{now.count('elsewhere')} are for another host"] if now.count("elsewhere") else []
    checks = sum(c.run is not None for c in now.checks)
    parts += [f"{checks} of {len(now.checks)} checks"] if now.checks else []
    told = ", ".join(parts)
    if now.next is not None and now.seconds_left:
        told += f"; about {show_duration(now.seconds_left)} left by what was measured so far"
    return told


def undecided(now: Planned) -> list[str]:
    """Return the cells whose comparison with the baseline is still open."""
    return [f"{words(c.cell)}: {', '.join(c.open_verdicts)}" for c in now.cells if c.runs and c.open_verdicts]


def doubts(now: Planned) -> list[str]:
    """Return what is doubtful."""
    return [f"{words(c.cell)}: {'; '.join(c.why)}" for c in now.cells if c.state == "doubtful"]


def state_word(cell: PlannedCell) -> str:
    """Return the state of a cell in a word or two."""
    return f"for {cell.host}" if cell.state == "elsewhere" else cell.state


def named(review: Review, level: str) -> str:
    """Return a level as readers know it."""
    return review.label(level)


def interval(low: float | None, high: float | None) -> str:
    """Return an interval of ratios as changes."""
    return "" if low is None or high is None else f"{show_change(low)} to {show_change(high)}"


def effect_words(review: Review, effect: Effect) -> str:
    """Return an effect in a sentence's part: 'driver bulk-only: −14 % (−14 % to −13 %) against uas'."""
    name = f"{effect.factor} {named(review, effect.level)}"
    if effect.ratio is None:
        return f"{name} against {named(review, effect.against)}: {effect.why}"
    return f"{name}: {show_change(effect.ratio)} ({interval(effect.low, effect.high)}) against {named(review, effect.against)}"


def matters(effect: Effect) -> bool:
    """Return whether an effect is surely there."""
    return effect.low is not None and effect.high is not None and not effect.low <= 1 <= effect.high


def together_words(review: Review, found: Effects) -> list[str]:
    """Return, for each pair that counts, what one factor does on each level of the other."""
    told = []
    for pair in found.together:
        factor = pair.effects[0].factor if pair.effects else pair.factors[0]
        by_level: dict[str, list[str]] = {}
        for one in pair.effects:
            place = "" if one.where is None else f"at {one.where[0]} {named(review, one.where[1])}"
            change = (
                f"{show_change(one.ratio or 1.0)} ({interval(one.low, one.high)})"
                if matters(one)
                else "nothing that shows"
            )
            against = f"{factor} {named(review, one.level)} against {named(review, one.against)}"
            by_level.setdefault(against, []).append(f"{change} {place}")
        told += [f"{against}: {'; '.join(parts)}" for against, parts in by_level.items()]
    return told


def drift_words(found: Effects) -> list[str]:
    """Return what is said of a drift over the plan."""
    if found.drift is None:
        return ["a drift over the time of the plan could not be told: too few runs were repeated"]
    ratio, low, high = found.drift
    if found.drifts:
        return [
            f"over the time of the plan rates changed by {show_change(ratio)} ({interval(low, high)}); effects are corrected for it"
        ]
    return []


def cautions(found: Effects) -> list[str]:
    """Return what the effects rest on, as far as it is to be known."""
    told = drift_words(found)
    if found.passes_alone:
        told.append(
            "what varies from one plugging-in to the next could not be told: intervals rest on the passes alone, and may be too narrow"
        )
    for missing, why in (
        (True, "not every combination was measured"),
        (False, "measure some combinations again, after plugging in again"),
    ):
        pairs = [" and ".join(u.factors) for u in found.untested if u.missing == missing]
        if pairs:
            told.append(f"interactions not tested: {'; '.join(pairs)} ({why})")
    return told


def rank_word(place: Place) -> str:
    """Return a place: '1', or '2 to 3'."""
    return str(place.best) if place.best == place.worst else f"{place.best} to {place.worst}"


def best_words(review: Review, ranks: Ranks) -> str:
    """Return who is best, in a sentence."""
    first = [p for p in ranks.places if p.best == 1]
    names = [named(review, p.level) for p in first]
    if len(names) == 1:
        tied = [named(review, t) for t in first[0].tied]
        return f"best: {names[0]}" + (f", by less than the margin before {' and '.join(tied)}" if tied else "")
    return f"first or second: {' and '.join(names)}" if len(names) == 2 else f"one of these is best: {', '.join(names)}"


def short_words(review: Review, found: Sequence[tuple[Workload, Ranks]]) -> list[str]:
    """Return who is best for large transfers and who for small requests, each workload by itself: they are never averaged."""
    told = []
    for name, pattern in (("large transfers", "sequential"), ("small requests", "random")):
        mine = [(w, r) for w, r in found if w.pattern == pattern and r.places]
        told += [f"{name}, {w.direction}: {best_words(review, r)}" for w, r in mine]
    return told


def turn_words(review: Review, ranks: Ranks) -> list[str]:
    """Return where the order turns."""
    told = []
    for turn in ranks.turns:
        places = [cell_rest(review, c) for c in turn.cells]
        told.append(
            f"{named(review, turn.better)} is before {named(review, turn.worse)} with {' and with '.join(places)}"
        )
    return told


def cell_rest(review: Review, cell: Cell) -> str:
    """Return the levels of a cell without one of its factors, as readers know them."""
    return ", ".join(named(review, level) for _, level in cell)


def next_words(review: Review, now: Planned, effects: Sequence[Effects]) -> str:
    """Return what would settle what is open."""
    if now.next is not None:
        return "next: ulterion plan run"
    refused = [e for found in effects for e in found.effects if e.ratio is None]
    if refused:
        one = refused[0]
        return f"next: a cell in which {one.factor} {named(review, one.level)} and {named(review, one.against)} have all else alike would tell them apart"
    if any(found.passes_alone or found.drift is None for found in effects):
        return (
            "next: measure the baseline, or a cell, once more, plugged in again: that tells what varies from run to run"
        )
    return "next: ulterion plan ranks, then ulterion claims"
