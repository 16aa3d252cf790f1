"""The ways to keep requests in flight, and the choice between them.

Depth 1 is a plain positional read or write for each request: the least overhead there is.  Deeper is a ring where the
kernel offers one; elsewhere a thread for each request in flight, which overlaps the system calls because they run
outside the interpreter's lock.
"""

from __future__ import annotations

import functools
import os
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np

from ulterion.core.errors import TargetFailed
from ulterion.core.passes import Tick
from ulterion.core.workload import Workload
from ulterion.engine import offsets, uring
from ulterion.engine.data import POOL_BYTES, Buffers, WriteData, read_buffer
from ulterion.engine.lane import Counted, Lane, Recorder, StopSign, Transfer
from ulterion.engine.ringlane import RingLane

WAIT = 0.1  # seconds between two looks at the workers


@dataclass
class Job:
    """One lane's share of a pass.

    Attributes:
        fd: open file.
        workload: with length and span settled.
        seed: of offsets and data.
        lane, lanes: which of how many.
        stop: the stop sign.
        gate: called when all is prepared; returns the common start on the `perf_counter_ns` clock.
        tick: told of progress.
        counting: gives each recorder someone else to tell, by its number; for soaks.
    """

    fd: int
    workload: Workload
    seed: int
    lane: int = 0
    lanes: int = 1
    stop: StopSign = field(default_factory=threading.Event)
    gate: Callable[[], int] = time.perf_counter_ns
    tick: Tick | None = None
    counting: Callable[[int], Counted] | None = None

    def recorder(self, number: int = 0) -> Recorder:
        """Return the recorder of one of the lane's loops."""
        return Recorder(self.workload.block_bytes, self.counting(number) if self.counting else None)

    @property
    def own_seed(self) -> int:
        """A seed that no other lane has."""
        return self.seed * 1009 + self.lane

    def deadline(self, start_ns: int) -> int:
        """Return when the last request may be issued."""
        return start_ns + round((self.workload.seconds or 0) * 1e9)


@dataclass(frozen=True)
class Moved:
    """What one lane did: its recorders, and the start on the `perf_counter_ns` clock."""

    recorders: Sequence[Recorder]
    start_ns: int

    @property
    def last_ns(self) -> int:
        """The last completion on the same clock."""
        return max(r.last_ns for r in self.recorders)


class Mover(Protocol):
    """Moves bytes for one lane."""

    name: str

    @property
    def why(self) -> str:
        """Why this way was chosen, and how it is set up."""

    def move(self, job: Job) -> Moved:
        """Do the job; raise TargetFailed."""


def _choices(share: float, seed: int) -> Iterator[bool]:
    """Yield, for ever, whether the next request writes."""
    rng = np.random.Generator(np.random.SFC64(seed))
    while True:
        yield from (rng.random(offsets.CHUNK) < share).tolist()


def _mixed(share: float, seed: int, data: WriteData, block_bytes: int) -> Transfer:
    """Return a transfer that writes with the given share and reads otherwise, repeatable from the seed."""
    reads, writes, choices = read_buffer(block_bytes), data.buffers(), _choices(share, seed)

    def transfer(fd: int, buffers: Buffers, offset: int) -> int:
        return os.pwritev(fd, next(writes), offset) if next(choices) else os.preadv(fd, next(reads), offset)

    return transfer


def _lanes(job: Job, count: int) -> list[Lane]:
    """Build the loops of a job; sequential ones share one stream of offsets, random ones have their own seeds."""
    workload, block = job.workload, job.workload.block_bytes
    span = workload.span_bytes or 0
    origin, shared = workload.origin_bytes, None
    if workload.pattern == "sequential":
        shared = offsets.sequential(span, block, job.lane, job.lanes, origin)
    made = []
    for index in range(count):
        seed = job.own_seed * 1009 + index
        own = shared if shared is not None else offsets.scattered(span, block, seed, origin)
        buffers: Iterator[Buffers] = read_buffer(block)
        transfer: Transfer = os.preadv
        if workload.direction != "read":
            data = WriteData(block, seed, POOL_BYTES // count)
            if workload.direction == "write":
                transfer, buffers = os.pwritev, data.buffers()
            else:
                transfer = _mixed(workload.write_share or 0.0, seed, data, block)
        made.append(Lane(job.fd, transfer, own, buffers, job.recorder(index), job.stop))
    return made


class Positional:
    """One request at a time, by plain positional reads and writes."""

    name = "positional"
    why = "one request in flight needs no queue"

    def move(self, job: Job) -> Moved:
        """Run the workload in this thread."""
        (lane,) = _lanes(job, 1)
        start = job.gate()
        lane.run(start, job.deadline(start), job.tick)
        return Moved([lane.recorder], start)


class Threads:
    """Several requests in flight, one thread for each."""

    name = "threads"

    def __init__(self, why: str = "asked for") -> None:
        self.why = why

    def move(self, job: Job) -> Moved:
        """Run the workload in `depth` threads that start together; the first error of any stops all."""
        lanes = _lanes(job, job.workload.depth)
        errors: list[Exception] = []
        start: list[int] = []
        ready = threading.Barrier(len(lanes) + 1, action=lambda: start.append(job.gate()))

        def work(lane: Lane) -> None:
            try:
                ready.wait()
                lane.run(start[0], job.deadline(start[0]))
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
            _watch(threads, lanes, start[0], job.tick)
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
    if any(t.is_alive() for t in threads):
        lanes[0].stop.set()
    if ready.n_waiting:
        ready.abort()
    for thread in threads:
        if thread.ident is not None:
            thread.join()


class Rings:
    """Several requests in flight on a ring."""

    name = "ring"

    @functools.cached_property
    def why(self) -> str:
        """What the kernel offers."""
        return f"the kernel offers a ring ({uring.best_flags()})"

    def move(self, job: Job) -> Moved:
        """Run the workload from this thread."""
        lane = RingLane(job.fd, job.workload, job.seed, job.lane, job.lanes, job.stop, job.recorder())
        start = job.gate()
        lane.run(start, job.deadline(start), job.tick)
        return Moved([lane.recorder], start)


@functools.cache
def _no_ring() -> str | None:
    return uring.available()


def choose(depth: int) -> Mover:
    """Return the mover for a depth."""
    if depth == 1:
        return Positional()
    reason = _no_ring()
    return Rings() if reason is None else Threads(reason)
