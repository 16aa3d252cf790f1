"""The ways to keep requests in flight, and the choice between them.

Depth 1 is a plain positional read or write for each request: the least overhead there is.  Deeper is a ring where the
kernel offers one; elsewhere a thread for each request in flight, which runs outside the interpreter's lock.
"""

from __future__ import annotations

import functools
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import field
from typing import TYPE_CHECKING, Protocol

from ulterion.core.errors import TargetFailed
from ulterion.core.records import dataclass
from ulterion.core.workloads.passes import Tick
from ulterion.core.workloads.workload import DriveWorkload
from ulterion.engine.requests import uring
from ulterion.engine.requests.buffers import POOL_BYTES, Buffers

if TYPE_CHECKING:  # the loops bring the compiler, which only a measurement needs
    from ulterion.engine.requests.request_loop import Intervals, RequestLoop, RequestRecorder, StopSign

WAIT = 0.1  # seconds between two looks at the workers


@dataclass
class WorkerTask:
    """One worker's share of a pass.

    Attributes:
        fd: open file.
        workload: with length and span settled.
        seed: of offsets and data.
        worker, workers: which of how many.
        stop: the stop sign.
        wait_for_start: called when all is prepared; returns the common start on the `perf_counter_ns` clock.
        tick: told of progress.
        intervals: told of each interval; for soaks.
        file: what is read and written by calls of its own, in place of `fd`, and `make_loop` what makes a loop on it (`ulterion.engine.portable`).
    """

    fd: int
    workload: DriveWorkload
    seed: int
    worker: int = 0
    workers: int = 1
    stop: StopSign = field(default_factory=threading.Event)
    wait_for_start: Callable[[], int] = time.perf_counter_ns
    tick: Tick | None = None
    intervals: Intervals | None = None
    file: object = None
    make_loop: Callable[..., RequestLoop] | None = None

    def recorder(self, number: int = 0) -> RequestRecorder:
        """Return the recorder of one of the worker's loops."""
        from ulterion.engine.requests.request_loop import RequestRecorder

        return RequestRecorder(self.workload.block_bytes, self.intervals, number)

    @property
    def own_seed(self) -> int:
        """A seed that no other worker has."""
        return self.seed * 1009 + self.worker

    def deadline(self, start_ns: int) -> int:
        """Return when the last request may be issued."""
        return start_ns + round((self.workload.seconds or 0) * 1e9)


@dataclass(frozen=True)
class WorkerCounts:
    """What one worker did: its recorders, and the start on the `perf_counter_ns` clock."""

    recorders: Sequence[RequestRecorder]
    start_ns: int

    @property
    def last_ns(self) -> int:
        """The last completion on the same clock."""
        return max(r.last_ns for r in self.recorders)


class IoMethod(Protocol):
    """Moves bytes for one worker."""

    name: str

    @property
    def why(self) -> str:
        """Why this way was chosen, and how it is set up."""

    def move(self, job: WorkerTask) -> WorkerCounts:
        """Do the job; raise TargetFailed."""


def _loop_of(job: WorkerTask, index: int, count: int) -> RequestLoop:
    """Build one of the `count` one-at-a-time loops of a job, whose parts of a sequential stream interleave."""
    from ulterion.engine.requests.offsets import Feed, chunks_of
    from ulterion.engine.requests.request_loop import RequestLoop

    workload, block = job.workload, job.workload.block_bytes
    own = job.own_seed * 1009 + index
    reads = Buffers(block, 1, own, writes=False) if workload.direction != "write" else None
    writes = Buffers.pool(block, own, POOL_BYTES // count) if workload.direction != "read" else None
    chunks = chunks_of(workload, own, job.worker * count + index, job.workers * count)
    feed = Feed(chunks, writes.memory if writes else None, workload.write_share if reads and writes else None, own)
    make = job.make_loop or functools.partial(RequestLoop, job.fd)
    return make(feed, job.recorder(index), job.stop, reads=reads, writes=writes)


class Positional:
    """One request at a time, by plain positional reads and writes."""

    name = "positional"
    why = "one request in flight needs no queue"

    def move(self, job: WorkerTask) -> WorkerCounts:
        """Run the workload in this thread."""
        loop = _loop_of(job, 0, 1)
        start = job.wait_for_start()
        loop.run(start, job.deadline(start), job.tick)
        return WorkerCounts([loop.recorder], start)


class Threads:
    """Several requests in flight, one thread for each."""

    name = "threads"

    def __init__(self, why: str = "asked for") -> None:
        self.why = why

    def move(self, job: WorkerTask) -> WorkerCounts:
        """Run the workload in `depth` threads that start together; the first error of any stops all."""
        count = job.workload.depth
        loops = [_loop_of(job, index, count) for index in range(count)]
        errors: list[Exception] = []
        start: list[int] = []
        ready = threading.Barrier(len(loops) + 1, action=lambda: start.append(job.wait_for_start()))

        def work(loop: RequestLoop) -> None:
            try:
                ready.wait()
                loop.run(start[0], job.deadline(start[0]))
            except threading.BrokenBarrierError:
                pass
            except Exception as error:  # handed on to the main thread
                errors.append(error)
                loop.stop.set()

        threads = [threading.Thread(target=work, args=(loop,), daemon=True) for loop in loops]
        try:
            for thread in threads:
                thread.start()
            ready.wait()
            _watch(threads, loops, start[0], job.tick)
        finally:
            _end(threads, loops, ready)
        for error in errors:
            if isinstance(error, TargetFailed):
                error.moved = sum(loop.recorder.bytes for loop in loops)
            raise error
        return WorkerCounts([loop.recorder for loop in loops], start[0])


def _watch(threads: Sequence[threading.Thread], loops: Sequence[RequestLoop], start_ns: int, tick: Tick | None) -> None:
    """Wait for the workers, reporting their progress to `tick`."""
    while any(t.is_alive() for t in threads):
        threads[0].join(WAIT) if threads[0].is_alive() else time.sleep(WAIT / 10)
        if tick is not None:
            tick((time.perf_counter_ns() - start_ns) / 1e9, sum(loop.recorder.bytes for loop in loops))


def _end(threads: Sequence[threading.Thread], loops: Sequence[RequestLoop], ready: threading.Barrier) -> None:
    """Stop every loop and wait until no thread holds the file any more."""
    if any(t.is_alive() for t in threads):
        loops[0].stop.set()
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

    def move(self, job: WorkerTask) -> WorkerCounts:
        """Run the workload from this thread."""
        from ulterion.engine.requests.ring_loop import RingLoop

        loop = RingLoop(
            fd=job.fd,
            workload=job.workload,
            seed=job.seed,
            worker=job.worker,
            workers=job.workers,
            stop=job.stop,
            recorder=job.recorder(),
        )
        start = job.wait_for_start()
        loop.run(start, job.deadline(start), job.tick)
        return WorkerCounts([loop.recorder], start)


@functools.cache
def _no_ring() -> str | None:
    return uring.available()


def choose(depth: int) -> IoMethod:
    """Return the mover for a depth."""
    if depth == 1:
        return Positional()
    reason = _no_ring()
    return Rings() if reason is None else Threads(reason)
