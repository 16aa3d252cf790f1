"""The timed loop: one worker, one request at a time.

The time of a request runs from just before the system call to just after it (`time.perf_counter_ns`, monotonic).
Times go into arrays allocated beforehand; they are counted into the histogram and the series every tenth of a second,
between two requests, so that no latency contains the counting.
"""

from __future__ import annotations

import errno
import os
import threading
import time
from array import array
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np
import numpy.typing as npt

from ulterion.core.errors import TargetFailed
from ulterion.core.histogram import LatencyHistogram
from ulterion.core.passes import Tick
from ulterion.core.series import IntervalSeries
from ulterion.engine.data import Buffers

COUNT_EVERY_NS = 100_000_000
BATCH = 16384  # requests timed before they are counted at the latest

Transfer = Callable[[int, Buffers, int], int]


Counted = Callable[[npt.NDArray[np.int64], npt.NDArray[np.int64], int], None]
"""Told, at each count, of the begins and ends of requests and of the start, all in ns on the `perf_counter_ns` clock."""


class StopSign(Protocol):
    """What a lane looks at to see whether it should end: an event, or a flag that processes share."""

    def is_set(self) -> bool:
        """Return whether to end."""

    def set(self) -> None:
        """Tell all to end."""


class Recorder:
    """Times of the requests of one lane: raw for a tenth of a second, then counted."""

    def __init__(self, block_bytes: int, also: Counted | None = None) -> None:
        self.block_bytes = block_bytes
        self.also = also
        self.begins, self.ends = (array("q", bytes(8 * BATCH)) for _ in range(2))
        self.latency = LatencyHistogram()
        self.series = IntervalSeries()
        self.requests = 0
        self.start_ns = 0
        self.last_ns = 0

    @property
    def bytes(self) -> int:
        """Bytes counted so far."""
        return self.requests * self.block_bytes

    def count(self, used: int) -> None:
        """Count the first `used` times into histogram and series."""
        if used == 0:
            return
        begins, ends = (np.frombuffer(a, dtype=np.int64)[:used] for a in (self.begins, self.ends))
        self.latency.add(ends - begins)
        self.series.add((ends - self.start_ns) / 1e9, self.block_bytes)
        self.requests += used
        self.last_ns = int(ends[-1])
        if self.also is not None:
            self.also(begins, ends, self.start_ns)


@dataclass
class Lane:
    """One worker's share of a pass.

    Attributes:
        fd: open file; the lane does not close it.
        transfer: `os.preadv` or `os.pwritev`, or a stand-in of the same shape.
        offsets, buffers: endless iterators; one of each makes a request.
        recorder: takes the times.
        stop: set by anyone to end the lane at its next count.
    """

    fd: int
    transfer: Transfer
    offsets: Iterator[int]
    buffers: Iterator[Buffers]
    recorder: Recorder
    stop: StopSign = field(default_factory=threading.Event)

    def run(self, start_ns: int, deadline_ns: int, tick: Tick | None = None) -> None:
        """Issue requests until the deadline (both on the `perf_counter_ns` clock); raise TargetFailed with the offset."""
        recorder, clock = self.recorder, time.perf_counter_ns
        fd, transfer, block = self.fd, self.transfer, self.recorder.block_bytes
        begins, ends = recorder.begins, recorder.ends
        recorder.start_ns = start_ns
        used, offset = 0, 0
        count_at = min(start_ns + COUNT_EVERY_NS, deadline_ns)
        try:
            for offset, buffer in zip(self.offsets, self.buffers):  # noqa: B905 - both endless
                begin = clock()
                moved = transfer(fd, buffer, offset)
                end = clock()
                if moved != block:
                    raise OSError(errno.EIO, f"moved {moved} of {block} bytes")
                begins[used] = begin
                ends[used] = end
                used += 1
                if end >= count_at or used == BATCH:
                    recorder.count(used)
                    used = 0
                    if end >= deadline_ns or self.stop.is_set():
                        return
                    if tick is not None:
                        tick((end - start_ns) / 1e9, recorder.bytes)
                    count_at = min(end + COUNT_EVERY_NS, deadline_ns)
        except OSError as error:
            recorder.count(used)
            raise failed(error, offset, recorder.bytes) from error


def failed(error: OSError, offset: int, moved: int) -> TargetFailed:
    """Return the error of a request that failed at `offset` after `moved` bytes of its lane."""
    reason = error.strerror or os.strerror(error.errno or errno.EIO)
    name = errno.errorcode.get(error.errno or 0, "error")
    return TargetFailed(f"{reason} ({name}) at offset {offset}", offset=offset, moved=moved, code=error.errno)
