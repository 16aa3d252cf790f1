"""Why a rate fell: a write cache used up, heat, the place on a disk, or nothing that the evidence names.

A fall for good (`ulterion.core.soak.drops`) while writing, with heat ruled out (`ulterion.core.soak.heatevidence`), is the write cache; a
rate that follows the place on the medium has zones (`ulterion.core.soak.zones`).  What is neither is `unexplained`, and says what would
have told.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from ulterion.core.arrays import np
from ulterion.core.records import dataclass
from ulterion.core.soak.drops import Drop, find_drops, unmixed
from ulterion.core.soak.heatevidence import heat_of, just_before
from ulterion.core.soak.levels import levels
from ulterion.core.soak.trace import DRIVE, Trace
from ulterion.core.soak.zones import ROUNDS, Zones, zones

Cause = Literal["write cache", "throttling", "zones", "unexplained"]


@dataclass(frozen=True)
class Fall:
    """One fall of the rate, or a row of falls with one cause.

    Attributes:
        cause: what the evidence says.
        at: when it began, seconds since the soak began.
        until: when the rate came back, or None: it did not.
        before, after: levels, bytes per second.
        written: bytes moved by the load before it.
        temperature: of the drive then, C, or None.
        evidence: in words.
        times: how often it happened.
        seconds: time spent at the lower levels.
        heat: whether heat made it; None when that could not be told.
    """

    cause: Cause
    at: float
    until: float | None
    before: float
    after: float
    written: float
    temperature: float | None
    evidence: str
    times: int = 1
    seconds: float = 0.0
    heat: bool | None = None


def falls(load: Trace) -> list[Fall]:
    """Return the falls of the rate in a load's rows, in order of time."""
    disk = zones(load)
    if disk is None:
        return _causes(load)
    level = replace(load, rate=load.rate / disk.share)  # what the place does not explain is looked at as ever
    return sorted([_of_zones(load, disk), *_causes(level)], key=lambda fall: fall.at)


def _of_zones(load: Trace, disk: Zones) -> Fall:
    again = f", {disk.rounds:.1f} times over" if disk.rounds >= ROUNDS else " of a disk"
    words = f"the rate depends on the position on the medium{again}"
    return Fall(
        cause="zones",
        at=float(load.at[0]),
        until=None,
        before=disk.first,
        after=disk.last,
        written=0.0,
        temperature=None,
        evidence=words,
        times=1,
        seconds=float(load.seconds.sum()),
    )


def _causes(load: Trace) -> list[Fall]:
    steady = unmixed(levels(load.rate))
    drops = find_drops(load, steady)
    told = []
    open_before = False
    for drop in sorted(drops, key=lambda d: d.first):
        heat, words = heat_of(load, drop, drops)
        cause: Cause = "unexplained"
        if heat:
            cause = "throttling"
        elif heat is False and drop.for_good and load.writes > 0:
            cause = "unexplained" if open_before else "write cache"
            words += "; an earlier lasting drop is unexplained, so the size of the cache is unknown" * open_before
        elif heat is False and drop.last >= load.at.size and not drop.for_good:
            words += "; the last part was too short to say more"
        open_before |= drop.for_good and heat is None
        told.append(replace(_as_fall(load, drop, cause, words), heat=heat))
    return _merged(told)


def _as_fall(load: Trace, drop: Drop, cause: Cause, evidence: str) -> Fall:
    at, written = _moment(load, drop)
    last = min(drop.last, load.at.size) - 1
    until = None if drop.for_good or drop.last >= load.at.size else float(load.at[drop.last])
    end = float(load.at[last] + load.seconds[last])
    warm = load.sensor(DRIVE)
    return Fall(
        cause=cause,
        at=at,
        until=until,
        before=drop.before,
        after=drop.after,
        written=written,
        temperature=just_before(load, warm, at),
        evidence=evidence,
        times=1,
        seconds=end - at,
    )


def _moment(load: Trace, drop: Drop) -> tuple[float, float]:
    """Return when a fall began and the bytes moved before it, to a part of a row.

    The row in which the rate fell moved some of its bytes at the level before and the rest at the level after; which
    part of it was fast follows from how many they are.
    """
    row = drop.first
    after = _level_after(load, drop)
    done = load.rate * load.seconds
    # the change may lie in the row before the cut or in the one after it: the one that lies between the two levels
    mixed = row - 1 if row > 0 and _between(float(load.rate[row - 1]), drop.before, after) else row
    share = (float(load.rate[mixed]) - after) / (drop.before - after) if drop.before > after else 0.0
    share = min(max(share, 0.0), 1.0)
    if mixed == row and share < 0.05:
        share = 0.0
    seconds = float(load.seconds[mixed])
    return float(load.at[mixed]) + share * seconds, float(done[:mixed].sum()) + share * seconds * drop.before


def _level_after(load: Trace, drop: Drop) -> float:
    """Return the level right after a fall: the rows beyond the first, which may be half fast."""
    rows = load.rate[drop.first + 1 : min(drop.last, drop.first + 31)]
    return float(np.median(rows)) if rows.size else drop.after


def _between(rate: float, high: float, low: float) -> bool:
    return low + 0.05 * (high - low) < rate < high - 0.05 * (high - low)


def _merged(every: list[Fall]) -> list[Fall]:
    """Join falls of one cause into one that says how often, unexplained ones by whether the rate came back."""
    kept: dict[tuple[str, bool], Fall] = {}
    for fall in sorted(every, key=lambda f: f.at):
        kind = (fall.cause, fall.cause == "unexplained" and fall.until is None)
        before = kept.get(kind)
        if before is None:
            kept[kind] = fall
            continue
        to_the_end = before.until is None  # its seconds count all that comes after it
        kept[kind] = Fall(
            cause=fall.cause,
            at=before.at,
            until=None if to_the_end else fall.until,
            before=max(before.before, fall.before),
            after=min(before.after, fall.after),
            written=before.written,
            temperature=before.temperature,
            evidence=before.evidence,
            times=before.times + 1,
            seconds=before.seconds + (0.0 if to_the_end else fall.seconds),
            heat=before.heat if before.heat == fall.heat else None,
        )
    return sorted(kept.values(), key=lambda f: f.at)
