"""A plan in words: what comes next, what is open, what a matrix says."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.matrix.effects import Effect, Effects
from ulterion.core.matrix.grid import Cell, words
from ulterion.core.matrix.ranks import Place, Ranks
from ulterion.core.matrix.winners import Winner
from ulterion.core.units import show_between, show_duration, show_iops, show_rate
from ulterion.core.workloads.suites import short_title
from ulterion.core.workloads.workload import Workload
from ulterion.features.plan.compatibility import CompatibilityRow
from ulterion.features.plan.judging import Observations
from ulterion.model.planned import Again, Planned, PlannedCell, Step
from ulterion.model.review import Review
from ulterion.show.columns import show_change
from ulterion.show.sentences import how_much_than, listed, sentence_of

REPEATED: dict[Again, str] = {"undecided": ", repeat (still undecided)", "asked": ", again"}


def step_name(step: Step) -> str:
    """Return which step it is, by the names of the plan."""
    if step.cell is None or step.check is not None:
        return f"check {step.check}: {step.setup}"
    return words(step.cell) + ("" if step.again is None else REPEATED[step.again])


def step_title(review: Review, step: Step) -> str:
    """Return which step it is, by the names of the products."""
    if step.cell is None or step.check is not None:
        return f"check {step.check}: {review.setup_label(step.setup)}"
    return cell_rest(review, step.cell) + ("" if step.again is None else REPEATED[step.again])


def progress(now: Planned) -> str:
    """Return in one sentence how far a plan is."""
    over, total = now.count("done") + now.count("doubtful"), len(now.cells)
    parts = [f"{over} of {total} cells measured"]
    parts += [f"{now.count('doubtful')} of them doubtful"] if now.count("doubtful") else []
    parts += [f"{now.count('elsewhere')} waiting for another host"] if now.count("elsewhere") else []
    checks = sum(c.run is not None for c in now.checks)
    parts += [f"{checks} of {len(now.checks)} checks"] if now.checks else []
    told = ", ".join(parts)
    if now.next is not None and now.seconds_left:
        told += f"; about {show_duration(now.seconds_left)} to go"
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


NONE = ("none", "no", "without", "off")  # what a level is called that leaves something out


def named(review: Review, level: str) -> str:
    """Return a level as readers know it."""
    return review.label(level)


def levels_compared(review: Review, effect: Effect) -> str:
    """Return an effect as a reader would say it: 'Slip is 60% slower than Pod', 'no enclosure is 2 times as fast as Pod'; '' without a ratio."""
    if effect.ratio is None:
        return ""
    level, against = (
        f"no {effect.factor}" if one in NONE and one not in review.parts else named(review, one)
        for one in (effect.level, effect.against)
    )
    return f"{level} is {how_much_than(effect.ratio)} {against}"


def interval(low: float | None, high: float | None) -> str:
    """Return an interval of ratios as changes."""
    return "" if low is None or high is None else show_between(show_change(low), show_change(high))


def effect_words(review: Review, effect: Effect) -> str:
    """Return an effect in a sentence's part: 'driver bulk-only: −14% (−14% to −13%) against uas'."""
    name = f"{effect.factor} {named(review, effect.level)}"
    if effect.ratio is None:
        return f"{name} against {named(review, effect.against)}: {effect.why}"
    return f"{name}: {show_change(effect.ratio)} ({interval(effect.low, effect.high)}) against {named(review, effect.against)}"


def figure_words(workload: Workload, rate: float, unit: str, *, with_unit: bool = False) -> str:
    """Return a rate, of small random requests as requests a second."""
    if workload.pattern == "random":
        return show_iops(rate / workload.block_bytes) + (" IOPS" if with_unit else "")
    return show_rate(rate, unit, with_unit=with_unit)


def grid_sentence(review: Review, observations: Observations, unit: str) -> str:
    """Return the fastest and the slowest cell of a workload."""
    ordered = sorted(observations.figures.items(), key=lambda one: -one[1].rate)
    ends = [
        f"{cell_rest(review, cell)} ({figure_words(observations.workload, figure.rate, unit, with_unit=True)})"
        for cell, figure in (ordered[0], ordered[-1])
    ]
    return f"{sentence_of(short_title(observations.workload))[:-1]}: fastest is {ends[0]}, slowest {ends[1]}."


def winners_sentence(
    review: Review, observations: Observations, found: Sequence[Winner], factor: str, unit: str
) -> str:
    """Return which level of a factor is fastest with each level of the other, and in all."""
    name = sentence_of(short_title(observations.workload))[:-1]
    everywhere = set.intersection(*(set(one.first) for one in found))
    told = [_won(review, observations.workload, one, unit) for one in found]
    clear = len(everywhere) == 1 and not any(one.unsure for one in found)
    if not clear or len(found) == 1:
        return f"{name}: {'; '.join(told)}."
    best = named(review, next(iter(everywhere)))
    other = _other(found, factor)
    if any(len(one.first) > 1 for one in found):
        return f"{name}: {best} is fastest or tied with each {other}: {'; '.join(told)}."
    rates = [
        f"{figure_words(observations.workload, one.rate, unit, with_unit=True)} with {_place(review, one)}"
        for one in found
    ]
    return f"{name}: {best} is fastest with each {other}, {listed(rates)}."


def _other(found: Sequence[Winner], factor: str) -> str:
    """Return the name of the factor that the places differ in."""
    return " and ".join(name for name, _ in found[0].rest if name != factor)


def _place(review: Review, one: Winner) -> str:
    """Return the levels that the cells of a place share, in words."""
    return ", ".join(f"no {factor}" if level == "none" else named(review, level) for factor, level in one.rest)


def _won(review: Review, workload: Workload, one: Winner, unit: str) -> str:
    """Return who is fastest in one place."""
    place, rate = _place(review, one), figure_words(workload, one.rate, unit, with_unit=True)
    first = [named(review, level) for level in one.first]
    if one.unsure:
        return f"with {place} {listed([*first, *(named(review, level) for level in one.unsure)], 'or')}, undecided ({rate})"
    verb = "is fastest" if len(first) == 1 else "are equally fast"
    return f"with {place} {listed(first)} {verb} ({rate})"


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
            change = f"{show_change(one.ratio or 1.0)} ({interval(one.low, one.high)})" if matters(one) else "no effect"
            against = f"{factor} {named(review, one.level)} against {named(review, one.against)}"
            by_level.setdefault(against, []).append(f"{change} {place}")
        told += [f"{against}: {'; '.join(parts)}" for against, parts in by_level.items()]
    return told


def drift_words(found: Effects) -> list[str]:
    """Return the sentence about a drift over the plan, if there is one."""
    if found.drift is None:
        return ["too few runs were repeated to tell whether rates drifted during the plan"]
    ratio, low, high = found.drift
    if found.drifts:
        return [
            f"rates drifted by {show_change(ratio)} ({interval(low, high)}) during the plan; the effects are corrected for it"
        ]
    return []


def cautions(found: Effects) -> list[str]:
    """Return what the effects rest on, as far as it is to be known."""
    told = drift_words(found)
    if found.passes_alone:
        told.append(
            "no cell was measured twice, so variation between connections is unknown and the intervals may be too narrow"
        )
    for missing, why in (
        (True, "some combinations are not measured"),
        (False, "reconnect and measure some combinations again"),
    ):
        pairs = [" and ".join(u.factors) for u in found.untested if u.missing == missing]
        if pairs:
            told.append(f"interactions not tested: {'; '.join(pairs)} ({why})")
    return told


def rank_word(place: Place) -> str:
    """Return a place: '1', or '2–3'."""
    return str(place.best) if place.best == place.worst else f"{place.best}–{place.worst}"


def best_words(review: Review, ranks: Ranks) -> str:
    """Return who is fastest, in a sentence."""
    first = [p for p in ranks.places if p.best == 1]
    names = [named(review, p.level) for p in first]
    if len(names) > 1:
        return f"undecided which is fastest over all, {listed(names, 'or')}"
    tied = [named(review, t) for t in first[0].tied]
    return f"{names[0]} is fastest" + (f", but within the margin of {listed(tied)}" if tied else "")


def turn_words(review: Review, ranks: Ranks) -> list[str]:
    """Return where the order turns."""
    told = []
    for turn in ranks.turns:
        places = [cell_rest(review, c) for c in turn.cells]
        told.append(f"{named(review, turn.better)} beats {named(review, turn.worse)} with {'; with '.join(places)}")
    return told


def cell_rest(review: Review, cell: Cell) -> str:
    """Return the levels of a cell without one of its factors, as readers know them."""
    return ", ".join(named(review, level) for _, level in cell)


def compatibility_sentence(rows: Sequence[CompatibilityRow], questions: Sequence[str]) -> str:
    """Return for each question in how many cells it works."""
    told = []
    for question in questions:
        answers = [row.works[question] for row in rows if row.works[question] is not None]
        told.append(
            f"{question}: {sum(map(bool, answers))} of {len(answers)}" if answers else f"{question}: not noted yet"
        )
    return sentence_of(f"{'; '.join(told)}, of {len(rows)} cells")


def next_words(review: Review, now: Planned, effects: Sequence[Effects], done: str) -> str:
    """Return what would settle what is open, or what to do where nothing is: `done`."""
    if now.next is not None:
        return "next: ulterion plan run"
    refused = [e for found in effects for e in found.effects if e.ratio is None]
    if refused:
        one = refused[0]
        return f"next: measure two cells that differ only in the {one.factor}, {named(review, one.level)} and {named(review, one.against)}"
    if any(found.passes_alone or found.drift is None for found in effects):
        again = f"ulterion plan run --again {now.cells[0].setup}"
        return f"next: unplug, reconnect and measure some cells again, to show how much runs vary: {again}"
    return f"next: {done}"
