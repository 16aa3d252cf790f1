"""Which state a pass was in: into the drive's write cache, after it was used up, throttled by heat, or partly the one, partly the other.

A drive that writes into a cache first has two rates, and their mean is neither.  Inside a pass its series shows where one ends;
between passes of one workload their rates fall into two groups, the fast ones first.  Only where that is seen is a state named.
Where the slow ones were hot and the fast ones not, it is heat; where both were, or the slow ones were warm, nothing tells, and the
slow ones count for none.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence

from ulterion.core.arrays import np
from ulterion.core.records import dataclass
from ulterion.core.soak.levels import levels
from ulterion.core.workloads.passes import PassResult
from ulterion.core.workloads.workload import PassState

AFTER: PassState = "after the cache"
THROTTLED: PassState = "throttled"
SLOW_STATES = (AFTER, THROTTLED)  # figures of these have a row of their own, and are compared with their like alone
MOSTLY = 0.5  # share of a pass that a drive must count as throttled for a slow state that no fast one stands beside
WHOLLY = 0.99  # share from which a pass was throttled throughout
TWO_RATES = 1.08  # ratio from which slow passes are of more than one rate: near its limit a drive may have been slow for two reasons
ALIKE = 1.1  # ratio of two rates up to which they are taken for one
APART = 1.15  # ratio of two rates from which they are two states
NOTICED = 0.04  # share of a pass that another level must last to count
FAR = {3: 1.3, 4: 1.2}  # likewise, where one pass stands alone against so many others, or more
SPREAD = 4.0  # times the spread inside the groups that must lie between them
GRAINS = 10  # requests that an interval must hold for its rate to be told from its neighbour's
FEWEST = 6  # intervals from which a series is looked at
LASTING = 4  # intervals, and
LASTS = 0.2  # share of a pass, from which a slow stretch that nothing else bears out is left out of the figure


@dataclass(frozen=True)
class PassShape:
    """What is known of a pass.

    Attributes:
        rate: bytes per second, the flush left out.
        intervals: the same of each of its whole intervals, which are long enough for many requests.
        hot: whether heat may have slowed it; None where that is unknown.
        warm: whether it cannot be determined though the drive has a thermometer: it was neither near its limit nor well below.
        throttled: share of its time that the drive itself counted as throttled, or None.
    """

    rate: float
    intervals: tuple[float, ...]
    hot: bool | None = None
    throttled: float | None = None
    warm: bool = False

    def slowed(self) -> Slowed | None:
        """Return the rates of a pass that did not keep to one, or None where none is far enough from the others, long enough."""
        if len(self.intervals) < FEWEST or max(self.intervals) < APART * min(self.intervals):
            return None
        rates = np.array(self.intervals, dtype=np.float64)
        least = NOTICED * rates.size
        seen = [(k.rate, k.last - k.first) for k in levels(rates) if k.rate > 0 and k.last - k.first >= least]
        whole = tuple(rate for rate, n in seen if n > 1)
        if not seen or max(seen)[0] / min(seen)[0] < APART:
            return None
        fast = max(rate for rate, _ in seen)
        recovers = any(b / a >= APART for (a, _), (b, _) in itertools.pairwise(seen))
        slow = sum(n for rate, n in seen if fast / rate >= APART)
        return Slowed(whole, recovers, slow >= max(LASTING, LASTS * rates.size))


def shape_of(result: PassResult) -> PassShape:
    """Return the shape of a pass, its intervals made long enough that single requests do not show."""
    busy = max(result.seconds - (result.flush_seconds or 0.0), 1e-9)
    whole = result.interval_bytes[: max(0, int(busy / result.interval + 1e-6))]
    grain = max(1, math.ceil(GRAINS * busy / result.requests / result.interval))
    sums = [sum(whole[at : at + grain]) for at in range(0, len(whole) - grain + 1, grain)]
    return PassShape(result.bytes / busy, tuple(each / (result.interval * grain) for each in sums))


@dataclass(frozen=True)
class Slowed:
    """A pass that did not keep to one rate.

    Attributes:
        rates: those that lasted, bytes per second; an interval between two of them is half the one, half the other.
        recovers: whether it became faster again.
        lasts: whether it was slow for long.
    """

    rates: tuple[float, ...]
    recovers: bool
    lasts: bool


def states_of(passes: Sequence[PassShape]) -> list[PassState | None]:
    """Return the state of each pass of a workload, in the order they were run; None where no two are told apart.

    Passes that became slow for a while and fast again were no matter of a cache: they are mixed, and those that were slow
    throughout too.  What became slow in one pass alone, and never after it, is not known: it is left out when it lasted.
    """
    counted = _by_counter(passes)
    if any(counted):
        others = iter(states_of([one for one, state in zip(passes, counted, strict=True) if state is None]))
        return [next(others) if state is None else state for state in counted]
    slowed = [one.slowed() for one in passes]
    whole = [one.rate for one, two in zip(passes, slowed, strict=True) if two is None]
    border = _border([*whole, *(rate for two in slowed if two is not None for rate in two.rates)])
    if border is None or not (any(slowed) or _borne_out(whole, border)):
        return _without_the_last(passes)
    states: list[PassState | None] = []
    for one, two in zip(passes, slowed, strict=True):
        states.append("mixed" if two is not None else "cached" if one.rate > border else AFTER)
    if any(one.hot or one.warm for one, state in zip(passes, states, strict=True) if state != "cached"):
        return _by_heat(passes, states)
    return _by_order(states, slowed)


def _without_the_last(passes: Sequence[PassShape]) -> list[PassState | None]:
    """Return no states; but a last pass far below all others, after which nothing tells what it was, counts for none."""
    *others, last = [one.rate for one in passes] or [0.0]
    alone = bool(others) and last < min(others) and _stands_alone(last, others)
    return [*[None] * len(others), "mixed" if alone else None] if passes else []


def _by_counter(passes: Sequence[PassShape]) -> list[PassState | None]:
    """Return the states of those passes in which the drive itself counted throttling, where they were slower than the others for it."""
    hot = [one.rate for one in passes if one.throttled]
    cool = [one.rate for one in passes if not one.throttled]
    if not hot or (cool and APART * float(np.median(hot)) > float(np.median(cool))):
        return [None] * len(passes)
    if not cool and min(one.throttled or 0.0 for one in passes) < MOSTLY:
        return [None] * len(passes)
    wholly = [(one.throttled or 0.0) >= WHOLLY and one.slowed() is None for one in passes]
    return [
        None if not one.throttled else THROTTLED if all_ else "mixed" for one, all_ in zip(passes, wholly, strict=True)
    ]


def _by_heat(passes: Sequence[PassShape], states: Sequence[PassState | None]) -> list[PassState | None]:
    """Name the slow passes throttled where heat tells them from the fast ones; where it does not, they count for none."""
    whole = [(one, state) for one, state in zip(passes, states, strict=True) if state != "mixed"]
    warm = all(bool(one.hot) == (state == AFTER) for one, state in whole)
    one_rate = _border([one.rate for one, state in whole if state == AFTER], TWO_RATES) is None
    slow: PassState = THROTTLED if warm and one_rate else "mixed"
    return [None if state == "cached" else slow if state == AFTER else state for state in states]


def _by_order(states: list[PassState | None], slowed: Sequence[Slowed | None]) -> list[PassState | None]:
    """Name a cache where the fast passes came before the slow ones; what else was slow counts for none."""
    seen_twice = AFTER in states or sum(two is not None for two in slowed) > 1
    if seen_twice and _fast_first(states) and not any(two is not None and two.recovers for two in slowed):
        return states
    if seen_twice and any(two is not None for two in slowed):
        return [None if state == "cached" else "mixed" for state in states]
    return ["mixed" if two is not None and two.lasts else None for two in slowed]


@dataclass(frozen=True)
class CacheExhaustion:
    """What is known of a drive's write cache from elsewhere: another workload of the run, or a soak.

    Attributes:
        fast, slow: rates of large sequential writes before and after it was used up, bytes per second.
        since: number of the pass of its round from which on it was used up.
    """

    fast: float
    slow: float
    since: int


def states_from_known_cache(
    passes: Sequence[tuple[int, float]], known: Sequence[CacheExhaustion]
) -> list[PassState | None]:
    """Return the states of passes, (number, rate), of large sequential writes among which no two states were seen.

    Those that a used-up cache should have slowed, and that have the very rate it left elsewhere, are after the cache; unless the
    earlier ones had that rate too, when it is simply theirs; an earlier one between both rates saw both.
    """
    for one in known:
        late = [rate for number, rate in passes if number >= one.since]
        early = [rate for number, rate in passes if number < one.since]
        if one.fast / one.slow < APART or not late:
            continue
        if all(_alike(rate, one.slow) for rate in late) and not any(_alike(rate, one.slow) for rate in early):
            return [
                AFTER if number >= one.since else "mixed" if rate * ALIKE < one.fast else None
                for number, rate in passes
            ]
    return [None] * len(passes)


def _alike(one: float, other: float) -> bool:
    return max(one, other) <= ALIKE * min(one, other)


def _border(rates: Sequence[float], apart: float = APART) -> float | None:
    """Return a rate that parts two groups far enough from one another, or None."""
    logs = sorted(math.log(r) for r in rates if r > 0)
    gaps = [(b - a, at) for at, (a, b) in enumerate(itertools.pairwise(logs))]
    if not gaps:
        return None
    gap, at = max(gaps)
    groups = (logs[: at + 1], logs[at + 1 :])
    within = max(float(np.std(g)) if len(g) > 1 else 0.0 for g in groups)
    if gap < math.log(apart) or gap < SPREAD * within:
        return None
    return math.exp((logs[at] + logs[at + 1]) / 2)


def _borne_out(rates: Sequence[float], border: float) -> bool:
    """Return whether whole passes alone show two states: two of each, or one fast one far from three slow ones or more.

    A fall that no pass saw itself may be noise: of three passes one often stands apart.
    """
    fast, slow = ([r for r in rates if (r > border) == above] for above in (True, False))
    return min(len(fast), len(slow)) >= 2 or (len(fast) == 1 and _stands_alone(fast[0], slow))


def _stands_alone(one: float, others: Sequence[float]) -> bool:
    """Return whether a rate is farther from all of enough others than they can scatter."""
    far = FAR.get(min(len(others), max(FAR)))
    if far is None or min(one, *others) <= 0:
        return False
    logs = np.log(np.array(others))
    gap = float(np.min(np.abs(logs - math.log(one))))
    return gap >= max(math.log(far), 2 * SPREAD * float(np.std(logs)))


def _fast_first(states: Sequence[PassState | None]) -> bool:
    """Return whether every fast pass comes before every slow one: a cache that is used up, and no disturbance."""
    slow = [at for at, state in enumerate(states) if state == AFTER]
    fast = [at for at, state in enumerate(states) if state == "cached"]
    return not slow or not fast or max(fast) < min(slow)
