"""Which state a write pass was in: into the drive's write cache, after it was used up, or partly the one, partly the other.

A drive that writes into a cache first has two rates, and their mean is neither.  Inside a pass its series shows where one ends;
between passes of one workload their rates fall into two groups, the fast ones first.  Only where that is seen is a state named.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from ulterion.core.soak.levels import levels

PassState = Literal["cached", "after the cache", "mixed"]
APART = 1.15  # ratio of two rates from which they are two states
NOTICED = 0.04  # share of a pass that another level must last to count
FAR = 1.3  # likewise, where only one pass was fast
SPREAD = 4.0  # times the spread inside the groups that must lie between them
FEWEST = 6  # intervals from which a series is looked at
LASTING = 4  # intervals, and
LASTS = 0.2  # share of a pass, from which a slow stretch that nothing else bears out is left out of the figure


@dataclass(frozen=True)
class PassShape:
    """What is known of a pass: its rate without the flush (bytes per second), and that of each of its whole intervals."""

    rate: float
    intervals: tuple[float, ...]

    def slowed(self) -> Slowed | None:
        """Return the rates of a pass that did not keep to one, or None where none is far enough from the others, long enough."""
        if len(self.intervals) < FEWEST:
            return None
        rates = np.array(self.intervals, dtype=np.float64)
        least = NOTICED * rates.size
        seen = [(k.rate, k.last - k.first) for k in levels(rates) if k.rate > 0 and k.last - k.first >= least]
        if not seen or max(seen)[0] / min(seen)[0] < APART:
            return None
        fast = max(rate for rate, _ in seen)
        recovers = any(b / a >= APART for (a, _), (b, _) in itertools.pairwise(seen))
        slow = sum(n for rate, n in seen if fast / rate >= APART)
        return Slowed(fast, min(seen)[0], recovers, slow >= max(LASTING, LASTS * rates.size))


@dataclass(frozen=True)
class Slowed:
    """A pass with two rates, bytes per second, whether it became faster again, and whether it was slow for long."""

    fast: float
    slow: float
    recovers: bool
    lasts: bool


def states_of(passes: Sequence[PassShape]) -> list[PassState | None]:
    """Return the state of each pass of a workload that writes, in the order they were run; None where no two are told apart.

    Passes that became slow for a while and fast again were no matter of a cache: they are mixed, and those that were slow
    throughout too.  What became slow in one pass alone, and never after it, is not known: it is left out when it lasted.
    """
    slowed = [one.slowed() for one in passes]
    whole = [one.rate for one, two in zip(passes, slowed, strict=True) if two is None]
    border = _border([*whole, *(rate for two in slowed if two is not None for rate in (two.fast, two.slow))])
    if border is None or not (any(slowed) or _borne_out(whole, border)):
        return [None] * len(passes)
    states: list[PassState | None] = []
    for one, two in zip(passes, slowed, strict=True):
        states.append("mixed" if two is not None else "cached" if one.rate > border else "after the cache")
    seen_twice = "after the cache" in states or sum(two is not None for two in slowed) > 1
    if seen_twice and _fast_first(states) and not any(two is not None and two.recovers for two in slowed):
        return states
    if seen_twice and any(two is not None for two in slowed):
        return [None if state == "cached" else "mixed" for state in states]
    return ["mixed" if two is not None and two.lasts else None for two in slowed]


def _border(rates: Sequence[float]) -> float | None:
    """Return a rate that parts two groups far enough from one another, or None."""
    logs = sorted(math.log(r) for r in rates if r > 0)
    gaps = [(b - a, at) for at, (a, b) in enumerate(itertools.pairwise(logs))]
    if not gaps:
        return None
    gap, at = max(gaps)
    groups = (logs[: at + 1], logs[at + 1 :])
    within = max(float(np.std(g)) if len(g) > 1 else 0.0 for g in groups)
    if gap < math.log(APART) or gap < SPREAD * within:
        return None
    return math.exp((logs[at] + logs[at + 1]) / 2)


def _borne_out(rates: Sequence[float], border: float) -> bool:
    """Return whether whole passes alone show two states: two of each, or one fast one far from three slow ones or more.

    A fall that no pass saw itself may be noise: of three passes one often stands apart.
    """
    fast, slow = ([math.log(r) for r in rates if (r > border) == above] for above in (True, False))
    if min(len(fast), len(slow)) >= 2:
        return True
    return (
        len(fast) == 1
        and len(slow) >= 3
        and fast[0] - max(slow) >= max(math.log(FAR), 2 * SPREAD * float(np.std(slow)))
    )


def _fast_first(states: Sequence[PassState | None]) -> bool:
    """Return whether every fast pass comes before every slow one: a cache that is used up, and no disturbance."""
    slow = [at for at, state in enumerate(states) if state == "after the cache"]
    fast = [at for at, state in enumerate(states) if state == "cached"]
    return not slow or not fast or max(fast) < min(slow)
