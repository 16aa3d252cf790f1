"""Estimates in words."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ulterion.core.estimates.power import MIN_VOLTS, VOLTS, Budget, Cable
from ulterion.core.estimates.transfer_time import OWN, Recording, Work
from ulterion.core.units import show_duration, show_rate, show_size
from ulterion.features.estimate.transfer_time import TransferTimeRow
from ulterion.model.review import Review

BEYOND = "longer than any test so far: may be optimistic if the cache fills or it throttles later; a soak would tell"


def decides(one: Work, unit: str, *, name_end: bool) -> str:
    """Return in a sentence what decides how long it takes; with `name_end` the end of the transfer is named, as there are two."""
    part = one.decides
    longest = max((one.files_seconds, "the files' own cost"), (one.check_seconds, "the check afterwards"))
    if longest[0] > part.seconds:
        return f"{longest[1]} takes {show_duration(longest[0])} of the {show_duration(one.seconds)}"
    why = f"{part.end}: {part.why}" if name_end else part.why
    if len(one.parts) == 1 and not one.files_seconds and not one.check_seconds:
        rate = show_rate(part.rate, unit)
        return f"constant {rate}" if part.why == OWN and not name_end else f"constant {rate} ({why})"
    which = "the last" if part is one.parts[-1] and len(one.parts) > 1 else "the first" if part is one.parts[0] else ""
    where = f"{which} {show_size(part.bytes)}".strip()
    return f"{where} run at {show_rate(part.rate, unit)}: {show_duration(part.seconds)} of the {show_duration(one.seconds)} ({why})"


def cautions(review: Review, rows: Sequence[TransferTimeRow]) -> list[str]:
    """Return what the estimates do not know."""
    told: dict[str, list[str]] = {}
    for row in rows:
        if row.work is None:
            told.setdefault(row.why or "not measured", []).append(row.setup)
        elif row.work.beyond > 0:
            told.setdefault(BEYOND, []).append(row.setup)
    return [f"{', '.join(names)}: {words}" for words, names in told.items()]


def recording_words(one: Recording | None, unit: str) -> str:
    """Return whether a stream is taken."""
    if one is None:
        return "not soaked yet"
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


def budget_words(found: Budget, volts: float, cable: Cable | None) -> list[tuple[str, str]]:
    """Return what a budget of power comes to, each sentence with its style."""
    amperes = found.left / volts
    told = [] if cable is None else cable_words(cable, math.fsum(p.draws for p in found.loads), volts)
    told.append(
        (f"{found.left:.2f} W ({amperes:.2f} A at {volts:g} V) to spare with everything at work", "good")
        if found.left >= 0
        else (f"{-found.left:.2f} W ({-amperes:.2f} A at {volts:g} V) short with everything at work", "bad")
    )
    total = len(found.loads)
    if found.starts < total:
        name = found.loads[found.starts].name
        told.append((f"{found.starts} of {total} start one after the other; {name} will not", "bad"))
    elif found.left_at_peaks < 0:
        lacking = f"{-found.left_at_peaks:.2f} W"
        told.append((f"fine if started one at a time; {lacking} short if all peak together", "open"))
    else:
        told.append(("all may be at their peak at once", "good"))
    return told
