"""Estimates in words."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.powering import VOLTS, Budget
from ulterion.core.units import show_duration, show_rate, show_size
from ulterion.core.work import Recording, Work
from ulterion.judge.works import Row
from ulterion.model.review import Review


def decides(one: Work, unit: str, hookup: str) -> str:
    """Return in a sentence what decides how long it takes; the end is named where there are two."""
    part = one.decides
    longest = max((one.files, "the files' own cost"), (one.check, "the check afterwards"))
    if longest[0] > part.seconds:
        return f"{longest[1]} takes {show_duration(longest[0])} of the {show_duration(one.seconds)}"
    why = part.why.removeprefix(f"{hookup}: ")
    if len(one.parts) == 1 and not one.files and not one.check:
        return f"{why} from beginning to end, {show_rate(part.rate, unit)}"
    which = "the last" if part is one.parts[-1] and len(one.parts) > 1 else "the first" if part is one.parts[0] else ""
    where = f"{which} {show_size(part.bytes)}".strip()
    return f"{where} run at {show_rate(part.rate, unit)}: {show_duration(part.seconds)} of the {show_duration(one.seconds)} ({why})"


def cautions(review: Review, rows: Sequence[Row]) -> list[str]:
    """Return what the estimates do not know."""
    told = []
    for row in rows:
        if row.work is None:
            told.append(f"{row.hookup}: {row.why}")
        elif row.work.beyond > 0:
            told.append(
                f"{row.hookup}: {show_size(row.work.beyond)} of it are more than was ever run in one go; a write cache or heat that comes later is not in it: ulterion soak --hookup {row.hookup.rpartition(' to ')[2]}"
            )
    return told


def recording_words(one: Recording | None, unit: str) -> str:
    """Return whether a stream is taken."""
    if one is None:
        return "no soak says what it never falls below"
    if one.keeps:
        return f"takes it: never below {show_rate(one.lowest, unit)}"
    until = one.until or 0.0
    when = "at once" if until < 1 else f"after {show_duration(until)}"
    return f"too slow: stops {when} ({show_rate(one.lowest, unit)})"


def budget_words(found: Budget) -> list[tuple[str, str]]:
    """Return what a budget of power comes to, each sentence with its style."""
    amperes = found.left / VOLTS
    told = [
        (f"{found.left:.2f} W ({amperes:.2f} A at 5 V) are left with all at work", "good")
        if found.left >= 0
        else (f"{-found.left:.2f} W ({-amperes:.2f} A at 5 V) too little with all at work", "bad")
    ]
    total = len(found.loads)
    if found.starts < total:
        name = found.loads[found.starts].name
        told.append((f"{found.starts} of {total} start one after the other; {name} will not", "bad"))
    elif found.left_at_peaks < 0:
        lacking = f"{-found.left_at_peaks:.2f} W"
        told.append((f"started one after the other they run; all at their peak at once lack {lacking}", "open"))
    else:
        told.append(("all may be at their peak at once", "good"))
    return told
