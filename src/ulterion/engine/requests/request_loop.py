"""Drives a timed loop in slices of a tenth of a second, with the counting and the checks in between."""

from __future__ import annotations

import errno
import os
import threading
from collections.abc import Callable
from typing import Protocol

import numpy as np
import numpy.typing as npt

from ulterion.core.errors import TargetFailed
from ulterion.core.workloads.histogram import BUCKETS, LatencyHistogram
from ulterion.core.workloads.passes import Tick
from ulterion.core.workloads.series import INTERVAL as FIRST_INTERVAL
from ulterion.core.workloads.series import MAX_INTERVALS, IntervalSeries
from ulterion.engine.requests import loops
from ulterion.engine.requests.buffers import Buffers
from ulterion.engine.requests.compiler import Words, words_of

SLICE_NS = 100_000_000
NEVER = 2**62


class StopSign(Protocol):
    """The sign that a loop should end: an event, or a flag shared by processes."""

    def is_set(self) -> bool:
        """Return whether to end."""

    def set(self) -> None:
        """Tell all to end."""


class Intervals(Protocol):
    """Reports each interval of a long load (`ulterion.engine.requests.intervals`)."""

    seconds: float

    def add(self, source: int, number: int, requests: int, worst_ns: int, counts: npt.NDArray[np.int64]) -> None:
        """Add the requests that ended in an interval: their number, the longest, and how many in each bucket."""

    def reached(self, source: int, number: int) -> None:
        """Note that everything before an interval was added."""


class Feeding(Protocol):
    """Where a loop's offsets come from."""

    work: loops.Work

    def more(self, state: Words) -> None:
        """Put further offsets behind those that are left."""


class RequestRecorder:
    """The counts of one loop: histogram, series, and the row of words that the loop works with.

    Attributes:
        counted: all of that, as the loop takes it; `state` the row of words.
    """

    def __init__(self, block_bytes: int, intervals: Intervals | None = None, source: int = 0) -> None:
        self.block_bytes = block_bytes
        self.state = words_of(memoryview(bytearray(8 * loops.STATE_WORDS)), "q")
        counts, series, room = (words_of(memoryview(bytearray(8 * n)), "q") for n in (BUCKETS, MAX_INTERVALS, 2))
        self.counted = loops.Counted(self.state, counts, series, room)
        self.state[loops.BLOCK] = self.state[loops.EXPECTED] = block_bytes
        self.state[loops.LEAST] = NEVER
        self.state[loops.INTERVAL] = round(FIRST_INTERVAL * 1e9)
        self._intervals, self._source = intervals, source
        self._number, self._edge, self._step = 0, NEVER, 0
        self._told_counts: npt.NDArray[np.int64] = np.zeros(BUCKETS, dtype=np.int64)
        self._told_requests = 0

    def begin(self, start_ns: int, deadline_ns: int) -> None:
        """Set the start and the deadline of the last request (`perf_counter_ns` clock)."""
        state = self.state
        state[loops.START], state[loops.DEADLINE], state[loops.NOW] = start_ns, deadline_ns, start_ns
        if self._intervals is not None:
            self._step = round(self._intervals.seconds * 1e9)
            self._edge = start_ns + self._step
        self.next_slice()

    def next_slice(self) -> None:
        """Set the end of the next slice: a tenth of a second on, at the deadline, or at the end of an interval."""
        now, deadline = int(self.state[loops.NOW]), int(self.state[loops.DEADLINE])
        self.state[loops.UNTIL] = min(now + SLICE_NS, self._edge, deadline if now < deadline else NEVER)

    def tell(self, *, last: bool = False) -> None:
        """Report an interval that is over; at the very end (`last`) a partial one."""
        now = int(self.state[loops.NOW])
        if self._intervals is None or (now < self._edge and not last):
            return
        counts = np.array(self.counted.counts, dtype=np.int64)
        requests = self.requests - self._told_requests
        if requests:
            worst = int(self.state[loops.WORST])
            self._intervals.add(self._source, self._number, requests, worst, counts - self._told_counts)
        self._told_counts, self._told_requests = counts, self.requests
        self.state[loops.WORST] = 0
        self._number = (now - int(self.state[loops.START])) // self._step
        self._edge = int(self.state[loops.START]) + (self._number + 1) * self._step
        self._intervals.reached(self._source, self._number)

    @property
    def requests(self) -> int:
        """Requests counted so far."""
        return int(self.state[loops.REQUESTS])

    @property
    def bytes(self) -> int:
        """Bytes counted so far."""
        return self.requests * self.block_bytes

    @property
    def last_ns(self) -> int:
        """The last completion counted, on the `perf_counter_ns` clock; 0 before the first."""
        return int(self.state[loops.LAST])

    @property
    def latency(self) -> LatencyHistogram:
        """The latencies counted so far."""
        made = LatencyHistogram()
        made.counts = np.array(self.counted.counts, dtype=np.int64)
        if self.requests:
            made.least_ns, made.greatest_ns = float(self.state[loops.LEAST]), float(self.state[loops.GREATEST])
            made.sum_ns = float(self.state[loops.TOTAL])
        return made

    @property
    def series(self) -> IntervalSeries:
        """The bytes of each interval so far."""
        counts: npt.NDArray[np.int64] = np.array(self.counted.series, dtype=np.int64)
        return IntervalSeries.of(self.state[loops.INTERVAL] / 1e9, counts, int(self.state[loops.USED]))


def drive(
    recorder: RequestRecorder,
    feed: Feeding,
    turn: Callable[[], int],
    stop: StopSign,
    tick: Tick | None = None,
    *,
    give_up: Callable[[], bool] | None = None,
) -> int:
    """Run a loop (`turn`) slice by slice until it is over; return why it stopped last.

    `give_up` is asked after each slice whether not to wait any longer for what is in flight.
    """
    state = recorder.state
    while True:
        why = turn()
        if why == loops.DRY:
            feed.more(state)
            continue
        if why != loops.SLICE:
            recorder.tell(last=True)
            return int(why)
        recorder.tell()
        if stop.is_set():
            state[loops.ENDING] = 1
        if tick is not None:
            tick((state[loops.NOW] - state[loops.START]) / 1e9, recorder.bytes)
        if give_up is not None and give_up():
            return int(why)
        recorder.next_slice()


class RequestLoop:
    """Requests one at a time, by positional reads and writes."""

    def __init__(
        self,
        fd: int,
        feed: Feeding,
        recorder: RequestRecorder,
        stop: StopSign | None = None,
        *,
        reads: Buffers | None = None,
        writes: Buffers | None = None,
    ) -> None:
        """Prepare a loop on an open file, which it does not close; with both kinds of buffers the feed's kinds decide."""
        self.feed, self.recorder, self.stop = feed, recorder, stop or threading.Event()
        self._kept = (reads, writes)
        state = recorder.state
        state[loops.FILE], state[loops.MIXED] = fd, reads is not None and writes is not None
        state[loops.READ_TO] = reads.address if reads else 0
        if writes is not None:
            state[loops.WRITES] = 1
            state[loops.WRITE_FROM], state[loops.SLOTS] = writes.address, writes.count
            state[loops.STAMPS], state[loops.STEP] = writes.stamps, writes.step

    def run(self, start_ns: int, deadline_ns: int, tick: Tick | None = None) -> None:
        """Issue requests until the deadline (both on the `perf_counter_ns` clock); raise TargetFailed with the offset."""
        recorder = self.recorder
        recorder.begin(start_ns, deadline_ns)
        why = drive(recorder, self.feed, self._turn, self.stop, tick)
        if why == loops.FAILED:
            raise failure(recorder)

    def _turn(self) -> int:
        """Go on until the loop comes back."""
        return loops.one_at_a_time(self.recorder.counted, self.feed.work)


def failure(recorder: RequestRecorder) -> TargetFailed:
    """Return the error of the first request of a loop that failed."""
    result, block = int(recorder.state[loops.FAILED_WITH]), recorder.block_bytes
    number = -result if result < 0 else errno.EIO
    reason = os.strerror(number) if result < 0 else f"moved {result} of {block} bytes"
    return TargetFailed.of_request(OSError(number, reason), int(recorder.state[loops.FAILED_AT]), recorder.bytes)
