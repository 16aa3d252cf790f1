"""Falls of a rate as they are found in its levels: for good, or dips that are made up for.

A fall is *for good* when the load never stayed at the level before it again, and has lasted: a minute, and longer than any fall
before it that was made up for.  What came last and has not lasted is not known.  Else it is a *dip*.
"""

from __future__ import annotations

from dataclasses import replace

from ulterion.core.arrays import np
from ulterion.core.records import dataclass
from ulterion.core.soak.levels import Level
from ulterion.core.soak.trace import Trace, longest_true

FOR_GOOD = 0.85  # a level above this share of the fast one counts as fast
LASTED = 60.0  # seconds that a fall for good must have lasted
BURST = 5.0  # seconds of the old rate that do not undo a fall for good: a cache gives back a little while it is written past
BURSTS = 0.3  # share of the time after it that may be such
LONGER = 1.5  # times the longest fall before it that was made up for


@dataclass(frozen=True)
class Drop:
    """A fall as found in the levels: the level before, and the rows it lasts."""

    first: int
    last: int
    before: float
    after: float
    for_good: bool


def unmixed(steady: list[Level]) -> list[Level]:
    """Join a level of one or two rows that lies between its neighbours to the one after it: a row half this, half that."""
    kept: list[Level] = []
    for index, level in enumerate(steady):
        if 0 < index < len(steady) - 1 and level.last - level.first <= 2:
            low, high = sorted((kept[-1].rate, steady[index + 1].rate))
            if low < level.rate < high:
                steady[index + 1] = replace(steady[index + 1], first=level.first)
                continue
        kept.append(level)
    if len(kept) > 1 and kept[-1].last - kept[-1].first == 1:  # one row at the end is no level yet
        kept[-2:] = [replace(kept[-2], last=kept[-1].last)]
    return kept


def find_drops(load: Trace, steady: list[Level]) -> list[Drop]:
    """Return the dips and the falls for good among the levels; what follows a fall for good is looked at by itself."""
    good = _last_fast(load, steady)
    if good is None:
        return _dips(steady)
    before = _fast_level(steady[:good])
    rows = load.rate[steady[good].first : steady[-1].last]
    fall = Drop(steady[good].first, load.at.size, before, float(np.median(rows)), True)
    return [*_dips(steady[:good]), fall, *find_drops(load, steady[good:])]


def _dips(steady: list[Level]) -> list[Drop]:
    """Return the falls below a level after which one near it came back; one may last to the end.

    A fall in small steps is held against the level that it began at, not against the step before.
    """
    drops, index = [], 0
    for at, level in enumerate(steady):
        if at < index or level.rate >= steady[index].rate:
            index = max(at, index)
        elif level.rate < FOR_GOOD * steady[index].rate:
            drop, index = _dip(steady, index, at)
            drops.append(drop)
    return drops


def _dip(steady: list[Level], fast: int, first: int) -> tuple[Drop, int]:
    """Return the fall below a level that begins at another, and the index of the level that ended it."""
    near = FOR_GOOD * steady[fast].rate
    end = next((i for i in range(first, len(steady)) if steady[i].rate >= near), len(steady))
    lowest = min(level.rate for level in steady[first:end])
    return Drop(steady[first].first, steady[end - 1].last, steady[fast].rate, lowest, False), end


def _last_fast(load: Trace, steady: list[Level]) -> int | None:
    """Return the index of the level from which on the load never stayed fast again, or None when it did, or that has not lasted."""
    for index in range(1, len(steady)):
        before, first = _fast_level(steady[:index]), steady[index].first
        if steady[index].rate >= FOR_GOOD * before:
            continue
        fast = load.rate[first:] > FOR_GOOD * before
        seconds = load.seconds[first:]
        lasted = float(seconds.sum())
        longest = max((_seconds(load, d) for d in _dips(steady[: index + 1]) if d.last <= first), default=0.0)
        bursts = float(seconds[fast].sum()) / lasted
        if lasted >= max(LASTED, LONGER * longest) and longest_true(fast, seconds) <= BURST and bursts <= BURSTS:
            return index
    return None


def _seconds(load: Trace, drop: Drop) -> float:
    return float(load.seconds[drop.first : drop.last].sum())


def _fast_level(steady: list[Level]) -> float:
    """Return the fast level: the mean of the levels weighted by their rows, of those within a tenth of the highest."""
    highest = max(level.rate for level in steady)
    near = [level for level in steady if level.rate >= 0.9 * highest]
    return sum(level.rate * (level.last - level.first) for level in near) / sum(
        level.last - level.first for level in near
    )
