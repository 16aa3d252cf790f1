"""Latency histogram with log-spaced buckets of 1% width.

Bucket k holds the latencies from 100 ns x 1.01^k up to the next; a percentile is the geometric middle of its bucket, so
it is at most 0.5% from the true one (kept within the exact least and greatest).  Memory is fixed, whatever the length.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from ulterion.core.arrays import Floats, Integers, np

MIN_NS = 100.0
GROWTH = 1.01
BUCKETS = 2600  # reaches 100 ns x 1.01^2600, about 4.7 hours
_LOG_GROWTH = math.log(GROWTH)

FAR = 9.0  # standard deviations beyond which no draw ever falls: less than one of 10**18


def buckets_of(latencies_ns: Integers | Floats) -> Integers:
    """Return the bucket of each latency (nanoseconds)."""
    floor = np.maximum(latencies_ns, MIN_NS)
    index = (np.log(floor / MIN_NS) / _LOG_GROWTH).astype(np.int64)
    return np.asarray(np.minimum(index, BUCKETS - 1))


class LatencyHistogram:
    """Counts of latencies in nanoseconds, with their exact number, least, greatest and sum."""

    def __init__(self) -> None:
        self.counts: Integers = np.zeros(BUCKETS, dtype=np.int64)
        self.least_ns = math.inf
        self.greatest_ns = 0.0
        self.sum_ns = 0.0

    @property
    def total(self) -> int:
        """Number of latencies counted."""
        return int(self.counts.sum())

    def add(self, latencies_ns: Integers | Floats) -> None:
        """Count an array of latencies (nanoseconds, one dimension; may be empty)."""
        if latencies_ns.size == 0:
            return
        self.counts += np.bincount(buckets_of(latencies_ns), minlength=BUCKETS)
        self.least_ns = min(self.least_ns, float(latencies_ns.min()))
        self.greatest_ns = max(self.greatest_ns, float(latencies_ns.max()))
        self.sum_ns += float(latencies_ns.sum())

    def merge(self, other: LatencyHistogram) -> None:
        """Add the counts of another histogram."""
        self.counts += other.counts
        self.least_ns = min(self.least_ns, other.least_ns)
        self.greatest_ns = max(self.greatest_ns, other.greatest_ns)
        self.sum_ns += other.sum_ns

    def percentile(self, q: float) -> float:
        """Return the q-th percentile (0 < q <= 100) in seconds: nearest rank, middle of its bucket; NaN when empty."""
        total = self.total
        if total == 0:
            return math.nan
        rank = max(1, math.ceil(q / 100 * total - 1e-9))
        bucket = int(np.searchsorted(np.cumsum(self.counts), rank))
        middle = MIN_NS * GROWTH ** (bucket + 0.5)
        return float(min(max(middle, self.least_ns), self.greatest_ns)) / 1e9

    @property
    def mean(self) -> float:
        """Mean latency in seconds; NaN when empty."""
        return self.sum_ns / self.total / 1e9 if self.total else math.nan

    def pairs(self) -> list[tuple[int, int]]:
        """Return (bucket, count) for every bucket that is not empty."""
        return [(int(i), int(self.counts[i])) for i in np.flatnonzero(self.counts)]

    @classmethod
    def from_pairs(
        cls, pairs: Sequence[tuple[int, int]], least: float, greatest: float, mean: float
    ) -> LatencyHistogram:
        """Rebuild from `pairs()` and the least, greatest and mean latency in seconds."""
        made = cls()
        for bucket, count in pairs:
            made.counts[bucket] = count
        made.least_ns, made.greatest_ns, made.sum_ns = least * 1e9, greatest * 1e9, mean * 1e9 * made.total
        return made

    @classmethod
    def lognormal(cls, mean: float, spread: float, total: int) -> LatencyHistogram:
        """Return the histogram that `total` draws from a lognormal would fill on average, rounded to whole counts.

        `mean` is in seconds, `spread` the standard deviation of the logs (above zero).  For simulated devices: no draw
        for each request is needed.  Counts are rounded so that they add up to `total` (largest remainders).
        """
        middle = math.log(mean * 1e9) - spread**2 / 2
        edges = math.log(MIN_NS) + _LOG_GROWTH * np.arange(BUCKETS + 1)
        away = (edges - middle) / spread
        below = np.where(away > 0, 1.0, 0.0)
        near = np.abs(away) < FAR
        below[near] = [math.erfc(-v) / 2 for v in (away[near] / math.sqrt(2)).tolist()]
        share = np.diff(below)
        wanted = share / share.sum() * total
        made = cls()
        made.counts = np.floor(wanted).astype(np.int64)
        missing = total - int(made.counts.sum())
        made.counts[np.argsort(made.counts - wanted, kind="stable")[:missing]] += 1
        filled = np.flatnonzero(made.counts)
        made.least_ns = MIN_NS * GROWTH ** (float(filled[0]) + 0.5)
        made.greatest_ns = MIN_NS * GROWTH ** (float(filled[-1]) + 0.5)
        made.sum_ns = mean * 1e9 * total
        return made
