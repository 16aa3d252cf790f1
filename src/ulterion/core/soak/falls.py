"""Why a rate fell: a write cache used up, heat, or nothing that the evidence names.

A fall is *for good* when the load never got back to the level before it; otherwise it is a *dip*.  Heat is shown by any
of: the temperature within 3 C of the limit the drive states; the rate coming back after the drive had cooled; the
drive's own counters.  Heat is ruled out by: counters that did not move; a temperature well below the limit, or below
60 C where no limit is known; the same temperature met without a fall; the drive cooling by 12 C without the rate coming
back.  A fall for good while writing, with heat ruled out, is the write cache.  What is neither is `unexplained`, and
says what would have told.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from ulterion.core.soak.levels import Level, levels
from ulterion.core.soak.trace import DRIVE, Floats, Trace, value_at
from ulterion.core.warmth import COOL_DRIVE, COOLED_AWAY, NEAR_LIMIT

Cause = Literal["write cache", "throttling", "zones", "unexplained"]
WARMER_BEFORE = 2.0  # degrees above the fall's temperature met without a fall
ABOVE_FOR = 60.0  # seconds above its limit without a fall after which a drive is taken not to mind
COOLED = 1.0  # degrees lost between a fall and the rate's coming back
FOR_GOOD = 0.85  # a level above this share of the fast one counts as fast
RARELY = 0.02  # share of the rows after a fall that may be fast all the same
JUST_BEFORE = 5.0  # seconds before a fall in which its temperature is taken: right after it, it may have dropped
SETTLES = 90.0  # seconds around a fall in which its temperature is looked for


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


@dataclass(frozen=True)
class _Drop:
    """A fall as found in the levels: the level before, and the rows it lasts."""

    first: int
    last: int
    before: float
    after: float
    for_good: bool


def falls(load: Trace) -> list[Fall]:
    """Return the falls of the rate in a load's rows, in order of time."""
    steady = _unmixed(levels(load.rate))
    drops = _drops(load, steady)
    if not drops:
        return []
    if load.rotational and _sinking(steady):
        return [_as_fall(load, _whole(load, drops), "zones", "a spinning disk slows down towards its inner tracks")]
    hot = [_heat(load, d, drops) for d in drops]
    told = []
    for drop, (heat, words) in zip(drops, hot, strict=True):
        cause: Cause = "unexplained"
        if heat:
            cause = "throttling"
        elif heat is False and drop.for_good and load.writes > 0:
            cause = "write cache"
        told.append(_as_fall(load, drop, cause, words))
    return _merged(told)


def _unmixed(steady: list[Level]) -> list[Level]:
    """Join a level of one or two rows that lies between its neighbours to the one after it: a row half this, half that."""
    kept: list[Level] = []
    for index, level in enumerate(steady):
        if 0 < index < len(steady) - 1 and level.last - level.first <= 2:
            low, high = sorted((kept[-1].rate, steady[index + 1].rate))
            if low < level.rate < high:
                steady[index + 1] = replace(steady[index + 1], first=level.first)
                continue
        kept.append(level)
    return kept


def _drops(load: Trace, steady: list[Level]) -> list[_Drop]:
    """Return the dips and the falls for good among the levels; what follows a fall for good is looked at by itself."""
    good = _last_fast(load, steady)
    if good is None:
        return _dips(steady)
    before = _fast_level(steady[:good])
    rows = load.rate[steady[good].first : steady[-1].last]
    fall = _Drop(steady[good].first, load.at.size, before, float(np.median(rows)), True)
    return [*_dips(steady[:good]), fall, *_drops(load, steady[good:])]


def _dips(steady: list[Level]) -> list[_Drop]:
    """Return the falls after which a level near the one before came back; one may last to the end."""
    drops, index = [], 0
    while index + 1 < len(steady):
        fast, last = steady[index].rate, index + 1
        while last < len(steady) and steady[last].rate < FOR_GOOD * fast:
            last += 1
        if last > index + 1:
            lowest = min(level.rate for level in steady[index + 1 : last])
            drops.append(_Drop(steady[index + 1].first, steady[last - 1].last, fast, lowest, False))
        index = last
    return drops


def _last_fast(load: Trace, steady: list[Level]) -> int | None:
    """Return the index of the level from which on the load was never fast again, or None when it ended fast."""
    if len(steady) < 2:
        return None
    for index in range(1, len(steady)):
        before = _fast_level(steady[:index])
        rest = load.rate[steady[index].first :]
        if steady[index].rate < FOR_GOOD * before and float(np.mean(rest > (FOR_GOOD * before))) <= RARELY:
            return index
    return None


def _fast_level(steady: list[Level]) -> float:
    """Return the fast level: the mean of the levels weighted by their rows, of those within a tenth of the highest."""
    highest = max(level.rate for level in steady)
    near = [level for level in steady if level.rate >= 0.9 * highest]
    return sum(level.rate * (level.last - level.first) for level in near) / sum(
        level.last - level.first for level in near
    )


def _sinking(steady: list[Level]) -> bool:
    """Return whether levels only ever sink, in three steps or more."""
    rates = [level.rate for level in steady]
    return len(rates) >= 4 and all(b < a * 1.02 for a, b in itertools.pairwise(rates))


def _whole(load: Trace, drops: list[_Drop]) -> _Drop:
    return _Drop(drops[0].first, load.at.size, drops[0].before, float(np.median(load.rate[drops[0].first :])), True)


def _heat(load: Trace, drop: _Drop, drops: list[_Drop]) -> tuple[bool | None, str]:
    """Return whether heat made a fall (None: cannot be told), and the evidence in words."""
    temperature = load.sensor(DRIVE)
    counted = load.counters.throttled
    if counted is False:
        return False, "the drive's own counters show no throttling"
    at = float(load.at[drop.first])
    now = _just_before(load, temperature, at)
    if temperature is None or now is None:
        return None, "no temperature of the drive was read"
    ruled_out = _ruled_out(load, temperature, drop, drops, now)
    if ruled_out:
        return False, ruled_out
    if not drop.for_good and _came_back_cooler(load.at, temperature, drop, now):
        return True, f"at {now:.0f} C, and the rate came back after the drive had cooled"
    if load.limit is not None:
        return now >= load.limit - NEAR_LIMIT, f"at {now:.0f} C, the drive's limit being {load.limit:.0f} C"
    if counted:
        return True, f"at {now:.0f} C, and the drive's own counters show throttling"
    return None, f"at {now:.0f} C, and neither a limit nor counters of the drive were read"


def _just_before(load: Trace, temperature: Floats | None, at: float) -> float | None:
    """Return the greatest temperature of the rows just before a fall, or the nearest there is."""
    if temperature is None:
        return None
    near = temperature[(load.at >= at - JUST_BEFORE) & (load.at <= at)]
    near = near[np.isfinite(near)]
    return float(near.max()) if near.size else value_at(load.at, temperature, at, SETTLES)


def _ruled_out(load: Trace, temperature: Floats, drop: _Drop, drops: list[_Drop], now: float) -> str | None:
    """Return what speaks against heat, in words, or None."""
    if now < COOL_DRIVE and (load.limit is None or now < load.limit - NEAR_LIMIT):
        return f"at {now:.0f} C, where no drive throttles"
    before = temperature[: drop.first]
    if np.isfinite(before).any() and float(np.nanmax(before)) > now + WARMER_BEFORE and drop.for_good:
        return f"at {now:.0f} C, and it had been warmer before without falling"
    if load.limit is not None:
        above = float(np.sum(load.seconds[: drop.first][before > load.limit + NEAR_LIMIT]))
        if above > ABOVE_FOR and not any(d.first < drop.first for d in drops):
            return f"at {now:.0f} C, and it had been above its limit for {above:.0f} s without falling"
    if not drop.for_good:
        return None
    if _cooled_away(temperature, drop, now):
        return f"the drive cooled from {now:.0f} C by more than {COOLED_AWAY:.0f} C and the rate did not come back"
    later = [d for d in drops if d.first > drop.first and not d.for_good and d.last < load.at.size]
    for dip in later:
        then = value_at(load.at, temperature, float(load.at[dip.first]), SETTLES)
        if then is not None and _came_back_cooler(load.at, temperature, dip, then):
            return "the drive throttled and came back later, but never to the rate before"
    return None


def _came_back_cooler(at: Floats, temperature: Floats, drop: _Drop, now: float) -> bool:
    back = value_at(at, temperature, float(at[drop.last]) if drop.last < at.size else float(at[-1]), SETTLES)
    return back is not None and now >= COOL_DRIVE - NEAR_LIMIT and now - back >= COOLED


def _cooled_away(temperature: Floats, drop: _Drop, now: float) -> bool:
    after = temperature[drop.first : drop.last]
    return bool(np.isfinite(after).any()) and now - float(np.nanmin(after)) > COOLED_AWAY


def _as_fall(load: Trace, drop: _Drop, cause: Cause, evidence: str) -> Fall:
    at, written = _moment(load, drop)
    last = min(drop.last, load.at.size) - 1
    until = None if drop.for_good or drop.last >= load.at.size else float(load.at[drop.last])
    end = float(load.at[last] + load.seconds[last])
    warm = load.sensor(DRIVE)
    return Fall(cause, at, until, drop.before, drop.after, written, _just_before(load, warm, at), evidence, 1, end - at)


def _moment(load: Trace, drop: _Drop) -> tuple[float, float]:
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


def _level_after(load: Trace, drop: _Drop) -> float:
    """Return the level right after a fall: the rows beyond the first, which may be half fast."""
    rows = load.rate[drop.first + 1 : min(drop.last, drop.first + 31)]
    return float(np.median(rows)) if rows.size else drop.after


def _between(rate: float, high: float, low: float) -> bool:
    return low + 0.05 * (high - low) < rate < high - 0.05 * (high - low)


def _merged(every: list[Fall]) -> list[Fall]:
    """Join falls of one cause into one that says how often; a write cache is used up once."""
    kept: dict[str, Fall] = {}
    for fall in sorted(every, key=lambda f: f.at):
        before = kept.get(fall.cause)
        if before is None:
            kept[fall.cause] = fall
            continue
        kept[fall.cause] = Fall(
            fall.cause,
            before.at,
            fall.until,
            max(before.before, fall.before),
            min(before.after, fall.after),
            before.written,
            before.temperature,
            before.evidence,
            before.times + 1,
            before.seconds + fall.seconds,
        )
    return sorted(kept.values(), key=lambda f: f.at)
