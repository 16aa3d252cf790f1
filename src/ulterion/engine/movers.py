"""The ways to keep requests in flight, and the choice between them.

Depth 1 is a plain positional read or write for each request, in the main thread: the least overhead there is.  Deeper
is one thread for each request in flight, which overlaps the system calls because they run outside the interpreter's
lock.  A further way is a class with the same `move`, added to `choose`.
"""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from ulterion.core.errors import TargetFailed
from ulterion.core.passes import Tick
from ulterion.core.workload import Workload
from ulterion.engine import offsets
from ulterion.engine.data import POOL_BYTES, WriteData, read_buffer
from ulterion.engine.lane import Lane, Recorder

WAIT = 0.1  # seconds between two looks at the workers


class Mover(Protocol):
    """Moves bytes for one pass."""

    name: str
    why: str

    def move(self, fd: int, workload: Workload, seed: int, tick: Tick | None) -> Moved:
        """Run the workload (length and span settled) on an open file; raise TargetFailed."""


@dataclass(frozen=True)
class Moved:
    """What one mover did: a recorder for each lane, and the start on the `perf_counter_ns` clock."""

    recorders: Sequence[Recorder]
    start_ns: int

    @property
    def last_ns(self) -> int:
        """The last completion on the same clock."""
        return max(r.last_ns for r in self.recorders)


def _lanes(fd: int, workload: Workload, seed: int, count: int) -> list[Lane]:
    """Build the lanes of a pass; sequential lanes share one stream of offsets, random ones have their own seeds."""
    span, block = workload.span_bytes or 0, workload.block_bytes
    shared = offsets.sequential(span, block) if workload.pattern == "sequential" else None
    stop = threading.Event()
    lanes = []
    for index in range(count):
        own = shared if shared is not None else offsets.scattered(span, block, seed * 1009 + index)
        if workload.direction == "read":
            lanes.append(Lane(fd, os.preadv, own, read_buffer(block), Recorder(block), stop))
        else:
            data = WriteData(block, seed * 1009 + index, POOL_BYTES // count)
            lanes.append(Lane(fd, os.pwritev, own, data.buffers(), Recorder(block), stop))
    return lanes


class Positional:
    """One request at a time, by plain positional reads and writes."""

    name = "positional"
    why = "one request in flight needs no queue"

    def move(self, fd: int, workload: Workload, seed: int, tick: Tick | None) -> Moved:
        """Run the workload in this thread."""
        (lane,) = _lanes(fd, workload, seed, 1)
        start = time.perf_counter_ns()
        lane.run(start, start + round((workload.seconds or 0) * 1e9), tick)
        return Moved([lane.recorder], start)


class Threads:
    """Several requests in flight, one thread for each."""

    name = "threads"
    why = "a thread for each request in flight"

    def move(self, fd: int, workload: Workload, seed: int, tick: Tick | None) -> Moved:
        """Run the workload in `depth` threads that start together; the first error of any stops all."""
        lanes = _lanes(fd, workload, seed, workload.depth)
        errors: list[Exception] = []
        start: list[int] = []
        ready = threading.Barrier(len(lanes) + 1, action=lambda: start.append(time.perf_counter_ns()))

        def work(lane: Lane) -> None:
            try:
                ready.wait()
                lane.run(start[0], start[0] + round((workload.seconds or 0) * 1e9))
            except threading.BrokenBarrierError:
                pass
            except Exception as error:  # handed on to the main thread
                errors.append(error)
                lane.stop.set()

        threads = [threading.Thread(target=work, args=(lane,), daemon=True) for lane in lanes]
        try:
            for thread in threads:
                thread.start()
            ready.wait()
            _watch(threads, lanes, start[0], tick)
        finally:
            _end(threads, lanes, ready)
        for error in errors:
            if isinstance(error, TargetFailed):
                error.moved = sum(lane.recorder.bytes for lane in lanes)
            raise error
        return Moved([lane.recorder for lane in lanes], start[0])


def _watch(threads: Sequence[threading.Thread], lanes: Sequence[Lane], start_ns: int, tick: Tick | None) -> None:
    """Wait for the workers, telling `tick` how far they are."""
    while any(t.is_alive() for t in threads):
        threads[0].join(WAIT) if threads[0].is_alive() else time.sleep(WAIT / 10)
        if tick is not None:
            tick((time.perf_counter_ns() - start_ns) / 1e9, sum(lane.recorder.bytes for lane in lanes))


def _end(threads: Sequence[threading.Thread], lanes: Sequence[Lane], ready: threading.Barrier) -> None:
    """Stop every lane and wait until no thread holds the file any more."""
    lanes[0].stop.set()
    if ready.n_waiting:
        ready.abort()
    for thread in threads:
        if thread.ident is not None:
            thread.join()


def choose(depth: int) -> Mover:
    """Return the mover for a depth."""
    return Positional() if depth == 1 else Threads()
