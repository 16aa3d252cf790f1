"""Change points of a rate: when it changed to another level, by binary segmentation.

Rates vary in proportion, so levels are means of logarithms.  A stretch is split where the standardised difference of
the means on both sides is greatest, if that difference is beyond the noise and large enough to matter; then both
halves are looked at again (A. J. Scott and M. Knott, Biometrics 30 (1974), 507-512).  A short stretch in the midst of a long one moves
neither mean by much, so where no split is found, a stretch unlike all the rest is looked for (A. B. Olshen et al., Biostatistics 5
(2004), 557-572).  The noise is estimated from the
differences of neighbours, by their median, so that the changes themselves do not enter it.
"""

from __future__ import annotations

import itertools
import math
from functools import lru_cache

from ulterion.core.arrays import Floats, Integers, np
from ulterion.core.records import dataclass
from ulterion.core.stats.middle import median_of_array

MIN_STEP = 0.06  # change of the rate, as a ratio, below which a level is taken for the same
BEYOND = 5.0  # standard errors that two levels must differ by; among thousands of places chance reaches four
MIN_NOISE = 0.003  # of the logs; quantised or simulated rates may show none at all
STRETCH_BEYOND = 7.0  # the same of a stretch, whose two ends give chance many more places
STRETCH_STEP = 0.1  # change of the rate from which on a stretch counts: rates that wander have many small ones
STRETCH_ROWS = 10  # that it must last
BLOCKS = 300  # that a series is averaged down to where a stretch is looked for
FLOOR = 1e-3  # share of the median rate that a stalled row counts as: the log of nothing has no place here


@dataclass(frozen=True)
class Level:
    """Rows first to last (exclusive) at one level; `rate` is their median, bytes per second."""

    first: int
    last: int
    rate: float


def noise_of(logs: Floats) -> float:
    """Return the standard deviation of the noise in a series of logs, changes of level left out."""
    if logs.size < 3:
        return MIN_NOISE
    steps = np.abs(np.diff(logs))
    return max(MIN_NOISE, 1.4826 * median_of_array(steps) / math.sqrt(2))


def _logs(rates: Floats) -> Floats:
    positive = rates[rates > 0]
    floor = FLOOR * median_of_array(positive) if positive.size else 1.0
    return np.asarray(np.log(np.maximum(rates, floor)))


def smoothed(rates: Floats) -> Floats:
    """Return the logs of the rates with single rows that stand out replaced by the middle of their neighbours."""
    logs = _logs(rates)
    if logs.size < 3:
        return logs
    before, here, after = logs[:-2], logs[1:-1], logs[2:]
    middle = np.maximum(np.minimum(before, here), np.minimum(np.maximum(before, here), after))
    return np.concatenate([logs[:1], middle, logs[-1:]])


def levels(rates: Floats) -> list[Level]:
    """Return the levels of a series of rates (bytes per second, one for each row of equal length), in order."""
    if rates.size == 0:
        return []
    logs = smoothed(rates)
    noise = noise_of(_logs(rates))
    cuts = sorted(_cuts(logs, noise))
    cuts = _moved(logs, cuts)
    edges = [0, *cuts, rates.size]
    return [Level(a, b, median_of_array(rates[a:b])) for a, b in itertools.pairwise(edges) if b > a]


def _cuts(logs: Floats, noise: float) -> list[int]:
    """Return every accepted cut; a stack instead of recursion, so that a long night cannot exhaust it."""
    cuts, waiting = [], [(0, logs.size)]
    while waiting:
        first, last = waiting.pop()
        cut = _best_cut(logs[first:last], noise)
        inner = [cut] if cut is not None else _stretch(logs[first:last], noise)
        found = [first + c for c in inner if 0 < c < last - first]
        if found:
            cuts += found
            waiting += itertools.pairwise([first, *found, last])
    return cuts


def _stretch(logs: Floats, noise: float) -> list[int]:
    """Return the two ends of the stretch whose mean differs most from that of all the rest, or nothing when not enough."""
    block = max(1, logs.size // BLOCKS)
    n = logs.size // block
    if n < 3 or logs.size <= STRETCH_ROWS:
        return []
    sums = np.concatenate([[0.0], np.cumsum(logs[: n * block].reshape(n, block).sum(axis=1))])
    first, last = _stretches(n, math.ceil(STRETCH_ROWS / block))
    rows = (last - first) * block
    inside = sums[last] - sums[first]
    steps = np.abs(inside / rows - (sums[-1] - inside) / (n * block - rows))
    scores = steps / np.sqrt(1 / rows + 1 / (n * block - rows))
    scores[steps <= math.log1p(STRETCH_STEP)] = 0.0
    best = int(np.argmax(scores))
    return [int(first[best]) * block, int(last[best]) * block] if scores[best] > STRETCH_BEYOND * noise else []


@lru_cache(maxsize=8)  # the passes of a run have about as many rows each
def _stretches(n: int, least: int) -> tuple[Integers, Integers]:
    """Return where every stretch of at least so many of n blocks begins and ends (exclusive), all of them together left out."""
    first, last = np.triu_indices(n + 1, 1)
    within = (last - first < n) & (last - first >= least)
    return first[within], last[within]


def _best_cut(logs: Floats, noise: float) -> int | None:
    """Return where the means on both sides differ most beyond the noise, or None when nowhere enough."""
    n = logs.size
    if n < 2:
        return None
    sums = np.cumsum(logs)[:-1]
    left = np.arange(1, n)
    means_left = sums / left
    means_right = (sums[-1] + logs[-1] - sums) / (n - left)
    scores = np.abs(means_left - means_right) / np.sqrt(1 / left + 1 / (n - left))
    best = int(np.argmax(scores))
    step = abs(float(means_left[best] - means_right[best]))
    wide = step > math.log1p(MIN_STEP)
    return best + 1 if wide and scores[best] > BEYOND * noise else None


def _moved(logs: Floats, cuts: list[int]) -> list[int]:
    """Move each cut to the best place between its neighbours, and drop one whose two sides turn out alike."""
    kept = list(cuts)
    for _ in range(2):
        edges = [0, *kept, logs.size]
        moved = []
        for index in range(1, len(edges) - 1):
            first, last = edges[index - 1], edges[index + 1]
            cut = _best_cut(logs[first:last], 0.0)
            moved.append(first + cut if cut is not None else edges[index])
        kept = sorted({c for c in moved if _differ(logs, c, moved)})
    return kept


def _differ(logs: Floats, cut: int, cuts: list[int]) -> bool:
    before = max([c for c in cuts if c < cut], default=0)
    after = min([c for c in cuts if c > cut], default=logs.size)
    step = abs(float(np.mean(logs[before:cut]) - np.mean(logs[cut:after])))
    return step > math.log1p(MIN_STEP)
