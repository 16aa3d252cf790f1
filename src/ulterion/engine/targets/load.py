"""A long load on a real target, in a worker process that passes on every interval while it runs."""

from __future__ import annotations

import contextlib
import time
from dataclasses import replace
from functools import partial

from ulterion.core.errors import TargetFailed
from ulterion.core.records import dataclass
from ulterion.core.soak.trace import TraceRow
from ulterion.core.workloads.workload import DriveWorkload
from ulterion.engine.requests.buffers import Buffers
from ulterion.engine.requests.intervals import Intervals
from ulterion.engine.requests.io_methods import Threads
from ulterion.engine.targets.base import MAX_DOZE, RealTarget, flush_to_medium, seconds_asleep
from ulterion.engine.workers import worker_pool

FOR_EVER = 366 * 86400.0  # seconds; a load without a length of its own is ended by the parent


@dataclass(frozen=True)
class FileSizes:
    """Sizes of the files of a write-delete load, bytes; equal for one size."""

    low: int
    high: int


MAX_BLOCK = 1024 * 1024


def block_for(smallest: int) -> int:
    """Return the request size for files of at least `smallest` bytes: 1 MiB, or the largest power of two within it."""
    block = MAX_BLOCK
    while block > smallest and block > 4096:
        block //= 2
    return block


@dataclass(frozen=True)
class LoadEnd:
    """How a worker's load ended: seconds from its start to its last completion, and of the flush (None: no writes)."""

    seconds: float
    flush: float | None


class Load:
    """A load in progress.  Take rows with `look` again and again, then `stop`."""

    def __init__(
        self,
        target: RealTarget,
        workload: DriveWorkload,
        seed: int,
        interval: float,
        files: FileSizes | None = None,
        *,
        seconds: float | None = None,
    ) -> None:
        """Begin the load; it goes on until `stop`, or for a number of seconds (then `look` returns the last rows, and it is `ended`)."""
        workload = replace(workload, seconds=seconds or FOR_EVER)
        io_method = target.io_method(workload.depth)
        sources = workload.depth if isinstance(io_method, Threads) else 1
        self.intervals = Intervals(interval, workload.block_bytes, sources)
        work = partial(_work, target, workload, seed, intervals=self.intervals, files=files)
        self._workers = target.start_workers([work])
        self._pauses, self._asleep = 0, seconds_asleep()
        self._over, self._end = False, LoadEnd(0.0, None)

    @property
    def ended(self) -> bool:
        """Whether it came to the end of its time."""
        return self._end.seconds > 0.0

    @property
    def begun(self) -> float:
        """When it was started (`time.monotonic`); 0.0 before."""
        return self._workers.begun

    @property
    def moved(self) -> int:
        """Bytes reported so far."""
        return self._workers.moved

    def stood_still(self) -> str | None:
        """Return in words, once each time, that the machine or the program stood still; None where neither did."""
        pauses, asleep = self._workers.pauses, seconds_asleep()
        slept, paused = asleep - self._asleep, pauses > self._pauses
        self._pauses, self._asleep = pauses, asleep
        if slept > MAX_DOZE:
            return f"the machine was asleep for {slept:.0f} s"
        return "the program was stopped and continued (Ctrl-Z, or by the system)" if paused else None

    def look(self) -> list[TraceRow]:
        """Wait a moment and return the intervals that are complete; raise TargetFailed where the device failed or stalled.

        Before that the rows that are still there can be had from `remains`.
        """
        if self._over or self._workers.look():
            return self.intervals.ready()
        return self._take_end()

    def _take_end(self) -> list[TraceRow]:
        """Receive the worker's end and the remaining rows; raise TargetFailed."""
        self._over = True
        (result,) = self._workers.results()
        if isinstance(result, TargetFailed):
            raise result
        assert isinstance(result, LoadEnd)
        if not result.seconds:
            raise TargetFailed("the load ended without a request", moved=self.moved)
        self._end = result
        return self.intervals.rest(result.seconds)

    def stop(self) -> tuple[list[TraceRow], LoadEnd]:
        """End the load in order, the flush included; return the rows not taken yet and how it ended."""
        if self._over:
            return [], self._end
        self._workers.stop()
        while self._workers.look():
            pass
        return self._take_end(), self._end

    def remains(self) -> list[TraceRow]:
        """Return the rows of a failed load that were not taken yet, without the interval that was cut off."""
        return self.intervals.whole()

    def abandon(self) -> None:
        """End it whatever it is doing; does nothing where it has ended."""
        if not self._over:
            self._over = True
            self._workers.abandon()


def _work(
    target: RealTarget,
    workload: DriveWorkload,
    seed: int,
    slot: worker_pool.WorkerSlot,
    *,
    intervals: Intervals,
    files: FileSizes | None,
) -> LoadEnd:
    """Do the load in this process until told to stop."""
    if files is not None:
        return _cycle(target, workload, seed, slot, intervals=intervals, files=files)
    moved = target.io_method(workload.depth).move(target.job(workload, seed, slot, intervals=intervals))
    return LoadEnd((moved.last_ns - moved.start_ns) / 1e9, _flushed(target, workload, slot))


def _flushed(target: RealTarget, workload: DriveWorkload, slot: worker_pool.WorkerSlot) -> float | None:
    if workload.direction == "read":
        return None
    slot.flushing()
    begin = time.perf_counter()
    flush_to_medium(target)
    return time.perf_counter() - begin


def _cycle(
    target: RealTarget,
    workload: DriveWorkload,
    seed: int,
    slot: worker_pool.WorkerSlot,
    *,
    intervals: Intervals,
    files: FileSizes,
) -> LoadEnd:
    """Write files, delete them all when the room is used up, and so on."""
    from ulterion.engine.requests.request_loop import RequestLoop, RequestRecorder
    from ulterion.engine.targets.file_cycles import FileCycles

    block = workload.block_bytes
    data = Buffers.pool(block, seed)
    cycles = FileCycles(target.path, (files.low, files.high), target.span_bytes, data, seed)
    recorder = RequestRecorder(block, intervals)
    loop = RequestLoop(-1, cycles, recorder, slot.stop, writes=data)
    start = slot.wait_for_start()
    try:
        loop.run(start, start + round((workload.seconds or FOR_EVER) * 1e9), slot.report)
        slot.flushing()
        begin = time.perf_counter()
        with contextlib.suppress(OSError):
            cycles.flush()
        flush = time.perf_counter() - begin
    finally:
        cycles.delete_all()
    return LoadEnd((recorder.last_ns - start) / 1e9, flush)
