"""Estimates in words."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ulterion.core.estimates.power import MIN_VOLTS, VOLTS, Budget, Cable, Most
from ulterion.core.estimates.transfer_time import OWN, Recording, Work
from ulterion.core.units import show_duration, show_rate, show_size
from ulterion.features.estimate.transfer_time import TransferTimeRow
from ulterion.model.review import Review

BEYOND = "longer than any test so far, so it may be optimistic; a soak would show"


def decides(one: Work, unit: str, *, name_end: bool) -> str:
    """Return what slows a transfer down: the files, the check, or a change of pace; with `name_end` also which end sets it. Nothing where the rate is constant."""
    part = one.decides
    longest = max((one.files_seconds, "the number of files"), (one.check_seconds, "the check"))
    if longest[0] > part.seconds:
        return f"{longest[1]} takes {show_duration(longest[0])} of it"
    first, rest = one.parts[0], one.parts[1:]
    limit = f"limited by {part.end}" if name_end else ""
    if not rest:
        why = "" if first.why == OWN else first.why
        return "; ".join(w for w in (limit, why) if w)
    pace = sum(p.bytes for p in rest) / sum(p.seconds for p in rest)
    change = next((p.why for p in rest if p.why != OWN), first.why)
    return "; ".join(w for w in (f"{change} after {show_size(first.bytes)}, then {show_rate(pace, unit)}", limit) if w)


def cautions(review: Review, rows: Sequence[TransferTimeRow]) -> list[str]:
    """Return what the estimates do not know."""
    told: dict[str, list[str]] = {}
    for row in rows:
        if row.work is None:
            told.setdefault(row.why or "not measured", []).append(row.title(review))
        elif row.work.beyond > 0:
            told.setdefault(BEYOND, []).append(row.title(review))
    return [f"{', '.join(names)}: {words}" for words, names in told.items()]


def average_words(average: float, *, below: bool, unit: str) -> str:
    """Return what an average says of a stream where no soak shows the minimum."""
    return f"{'no' if below else 'undecided, not soaked'} ({show_rate(average, unit)} on average)"


def recording_words(one: Recording, unit: str) -> str:
    """Return whether a stream is taken."""
    if one.keeps:
        return f"yes (minimum {show_rate(one.lowest, unit)})"
    until = one.until or 0.0
    when = "at once" if until < 1 else f"after {show_duration(until)}"
    return f"no: buffer full {when} (minimum {show_rate(one.lowest, unit)})"


def cable_words(cable: Cable, watts: float, supply_volts: float) -> list[tuple[str, str]]:
    """Return what a cable does to the power that goes through it, each sentence with its style."""
    far, lost = cable.far_volts(watts), cable.lost(watts)
    if far is None or lost is None:
        return [(f"the cable carries {cable.most:.1f} W at most and {watts:.1f} W are drawn: this cannot work", "bad")]
    told = [(f"{far:.2f} V at the far end of the cable; {lost:.2f} W lost in it", "")]
    if supply_volts == VOLTS and far < MIN_VOLTS:
        told.append((f"USB devices need {MIN_VOLTS:g} V: a shorter or thicker cable is needed", "bad"))
    return told


def budget_answer(name: str, gives: float, found: Budget, volts: float) -> str:
    """Return whether a supply is enough with everything at work, and by how much it is not or is."""
    draws = math.fsum(p.draws for p in found.loads)
    amperes = abs(found.left) / volts
    left = f"{abs(found.left):.2f} W ({amperes:.2f} A at {volts:g} V)"
    verdict = f"enough, with {left} to spare" if found.left >= 0 else f"not enough, {left} short"
    if found.left >= 0 and found.starts < len(found.loads):
        verdict = f"enough for that, but not to start {found.loads[found.starts].name}"
    return f"{name} supplies {gives:.1f} W and {draws:.2f} W are drawn at work: {verdict}."


def most_words(supply: str, most: Most) -> str:
    """Return how many of a part a supply runs."""
    part, one_by_one, at_once = most.load.name, most.one_by_one, most.at_once
    if not one_by_one:
        return f"{supply} has too little power left for one {part}."
    if one_by_one == at_once:
        return f"{supply} runs {one_by_one} × {part}."
    return f"{supply} runs {one_by_one} × {part} started one after the other, {at_once or 'none'} if all start at once."


def budget_words(found: Budget, volts: float, cable: Cable | None) -> list[tuple[str, str]]:
    """Return what a budget of power comes to, each sentence with its style."""
    told = [] if cable is None else cable_words(cable, math.fsum(p.draws for p in found.loads), volts)
    total = len(found.loads)
    if found.starts < total:
        name = found.loads[found.starts].name
        told.append((f"even when parts are started one at a time, {name} does not start", "bad"))
    elif found.left_at_peaks < 0:
        lacking = f"{-found.left_at_peaks:.2f} W"
        told.append((f"fine if started one at a time; {lacking} short if all peak together", "open"))
    else:
        told.append(("enough even with everything at its peak at once", "good"))
    return told
