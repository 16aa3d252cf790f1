"""Intervals of a long load, counted by worker processes in shared memory and taken by the parent while they work.

For each of the last `SLOTS` intervals there is a slot: the number of its interval, requests, the greatest latency, and a
latency histogram.  A worker adds to the slot of the interval in which a request ended; a parent that takes intervals
more slowly than they come for two minutes on end loses the oldest, never the count of bytes (which is requests times
block).  Every worker says how far it is, so that an interval is taken only when none can add to it any more.
"""

from __future__ import annotations

import mmap
import threading

import numpy as np
import numpy.typing as npt

from ulterion.core.soak.trace import TraceRow
from ulterion.core.workloads.histogram import BUCKETS, LatencyHistogram

SLOTS = 128
NUMBER, REQUESTS, WORST = 0, 1, 2  # columns before the histogram
COLUMNS = 3
NOT_YET = -1
MIN_SHARE = 0.001  # of an interval: a shorter remainder is no row of its own


class Intervals:
    """Shared between the parent and the workers it forks after making this.

    Attributes:
        seconds: length of an interval.
        block_bytes: bytes of one request.
        sources: recorders that add to it.
    """

    def __init__(self, seconds: float, block_bytes: int, sources: int) -> None:
        self.seconds, self.block_bytes, self.sources = seconds, block_bytes, sources
        memory = mmap.mmap(-1, 8 * (sources + SLOTS * (COLUMNS + BUCKETS)))
        words: npt.NDArray[np.int64] = np.frombuffer(memory, dtype=np.int64)
        self._at = words[:sources]
        self._at[:] = NOT_YET
        self._slots = words[sources:].reshape(SLOTS, COLUMNS + BUCKETS)
        self._slots[:, NUMBER] = NOT_YET
        self._lock = threading.Lock()
        self._taken = 0

    def add(self, source: int, number: int, requests: int, worst_ns: int, counts: npt.NDArray[np.int64]) -> None:
        """Add the requests that ended in an interval: their number, the longest, and how many in each bucket."""
        with self._lock:  # threads of one worker share it; workers are one to a soak
            slot = self._slots[number % SLOTS]
            if slot[NUMBER] != number:
                slot[:] = 0
                slot[NUMBER] = number
            slot[REQUESTS] += requests
            slot[WORST] = max(int(slot[WORST]), worst_ns)
            slot[COLUMNS:] += counts

    def reached(self, source: int, number: int) -> None:
        """Note that a recorder has added everything before an interval."""
        self._at[source] = number

    def ready(self) -> list[TraceRow]:
        """Return the intervals that are whole and were not taken yet, in order; those without a request are empty.

        The newest whole one is held back: what ends in the first moment after it may still become part of it (`rest`).
        """
        return self._take(int(self._at.min()) - 1)

    def whole(self) -> list[TraceRow]:
        """Return every whole interval not taken yet, the newest too: for a load that was cut off and has no `rest`."""
        return self._take(int(self._at.min()))

    def _take(self, until: int) -> list[TraceRow]:
        rows = [self._row([number], self.seconds) for number in range(self._taken, until)]
        self._taken = max(self._taken, until)
        return rows

    def rest(self, end_seconds: float) -> list[TraceRow]:
        """Return the remaining intervals once all workers have ended, `end_seconds` after the start; the last may be shorter.

        A remainder shorter than `MIN_SHARE` of an interval would have a rate of chance, and the requests that ended in
        it ran mostly before it: it is part of the interval before, with its time.
        """
        last, left_ns = divmod(round(end_seconds * 1e9), round(self.seconds * 1e9))
        left = left_ns / 1e9
        if last > self._taken and left < self.seconds * MIN_SHARE:
            return [*self._take(last - 1), self._row([last - 1, last], self.seconds + left)]
        return self._take(last) + ([self._row([last], left)] if left else [])

    def _row(self, numbers: list[int], seconds: float) -> TraceRow:
        slots = [slot for number in numbers if (slot := self._slots[number % SLOTS])[NUMBER] == number]
        requests = sum(int(slot[REQUESTS]) for slot in slots)
        if not requests:
            return TraceRow(seconds, 0, 0)
        worst_ns = float(max(slot[WORST] for slot in slots))
        latencies = LatencyHistogram()
        latencies.counts = np.sum([slot[COLUMNS:] for slot in slots], axis=0)
        latencies.least_ns, latencies.greatest_ns = 0.0, worst_ns
        return TraceRow(
            seconds=seconds,
            bytes=requests * self.block_bytes,
            requests=requests,
            p50=latencies.percentile(50),
            p99=latencies.percentile(99),
            worst=worst_ns / 1e9,
        )
