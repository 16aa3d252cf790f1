"""A real target: a folder on a mounted drive, or a plain file that is only read."""

from __future__ import annotations

import os
import time
from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from ulterion.core.errors import PassSpoiled, TargetFailed, UsageError
from ulterion.core.records import dataclass
from ulterion.core.units import show_block
from ulterion.core.workloads.passes import EngineChoice, OnPrefill, PassResult, Tick
from ulterion.core.workloads.workload import DriveWorkload
from ulterion.engine.requests.buffers import Buffers
from ulterion.engine.requests.io_methods import IoMethod, WorkerTask, choose
from ulterion.engine.targets import test_file
from ulterion.engine.workers import worker_count, worker_pool
from ulterion.engine.workers.worker_results import WorkerResult, join

if TYPE_CHECKING:
    from ulterion.engine.requests.request_loop import Intervals

MIB = 2**20
DEFAULT_SPAN = 4096 * MIB
MIN_SPAN = 16 * MIB
LAY_BLOCK = 4 * MIB
TRIAL_SEED = 20_011  # of the short trials that find how many workers are needed
MAX_DOZE = 0.5  # seconds that the clocks of a machine that did not sleep may differ by


class Held(Protocol):
    """An open file or device: its descriptor (-1 where it has none), and whether it is past the cache."""

    @property
    def fd(self) -> int:
        """The descriptor."""

    @property
    def direct(self) -> bool:
        """Whether the system's cache is out of the way."""

    def close(self) -> None:
        """Close it; may be called twice."""


@dataclass(frozen=True)
class LayingLimit:
    """The time limit for laying down the test file: what is there by then is the span, a power of two, but never less than `least` bytes.

    A power of two, so that the span of a drive is the same from one run to the next though its speed is not quite.
    """

    seconds: float
    least: int

    def is_up(self, seconds: float, done: int) -> bool:
        """Return whether the time for laying down is over."""
        return seconds >= self.seconds and done >= self.least

    def span(self, done: int) -> int:
        """Return the span for a number of bytes laid down."""
        return max(1 << (done.bit_length() - 1), min(self.least, done)) if done else 0


class RealTarget(ABC):
    """What the folder and the file target share: passes on an open file."""

    device_name: str | None = None
    """The kernel's name of a raw device; None of folders and files."""
    holds_files = False
    """Whether files can be made in it."""
    pool: type[worker_pool.WorkerPool] = worker_pool.WorkerPool
    """Who makes the requests: processes that a device that does not answer can be left with, or threads."""
    key: tuple[int, int] | None = None
    """What the folder or file is, whatever its name leads to later: device and inode."""

    def __init__(self, path: Path, opened: Held, span_bytes: int) -> None:
        self.path = path
        self.span_bytes = span_bytes
        self.workers: int | None = None
        self.laying: LayingLimit | None = None
        self.stall = worker_pool.STALL
        self.pulse: worker_pool.ActivityCounter | None = None
        self._needed: dict[str, int] = {}
        self._file = opened

    @property
    def fd(self) -> int:
        """The open file."""
        return self._file.fd

    @property
    def cache_bypassed(self) -> bool:
        """Whether the operating system's cache is out of the way."""
        return self._file.direct

    def engine_of(self, workload: DriveWorkload) -> EngineChoice:
        """Return the way a workload's requests are issued, and why."""
        io_method = self.io_method(workload.depth)
        return EngineChoice(io_method.name, io_method.why)

    def io_method(self, depth: int) -> IoMethod:
        """Return the method that keeps a number of requests in flight here."""
        return choose(depth)

    def job(
        self,
        workload: DriveWorkload,
        seed: int,
        slot: worker_pool.WorkerSlot,
        *,
        worker: int = 0,
        workers: int = 1,
        intervals: Intervals | None = None,
    ) -> WorkerTask:
        """Return one worker's share of a pass or a load."""
        return self._placed(
            WorkerTask(
                fd=self._file.fd,
                workload=workload,
                seed=seed,
                worker=worker,
                workers=workers,
                stop=slot.stop,
                wait_for_start=slot.wait_for_start,
                tick=slot.report,
                intervals=intervals,
            )
        )

    def _placed(self, job: WorkerTask) -> WorkerTask:
        """Return a job adapted to this target."""
        return job

    def write_at(self, data: memoryview[int], offset: int) -> int:
        """Write at a place; return the bytes written.  Raises OSError."""
        return os.pwritev(self._file.fd, [data], offset)

    def flush(self) -> None:
        """Put what was written on the medium; raise OSError."""
        os.fdatasync(self._file.fd)

    def preallocate(self) -> bool:
        """Give the test file its whole size without writing it; return whether the file system can."""
        return test_file.preallocate(self._file.fd, self.span_bytes)

    def start_workers(self, jobs: Sequence[worker_pool.Job], *, alike: bool = False) -> worker_pool.WorkerPool:
        """Start jobs on this target."""
        return self.pool(jobs, self.stall, self.pulse, alike=alike)

    def run_jobs(
        self, jobs: Sequence[Callable[[worker_pool.WorkerSlot], worker_pool.Result]], tick: Tick | None = None
    ) -> list[worker_pool.Result]:
        """Run jobs on this target to their end; raise the TargetFailed of the first that failed."""
        return worker_pool.run(jobs, tick, self.stall, self.pulse, self.pool)

    def check(self, workload: DriveWorkload) -> None:
        """Raise UsageError when the workload cannot be run here."""
        if workload.block_bytes > self.span_bytes:
            raise UsageError(
                f"{self.path}: a request of {show_block(workload.block_bytes)} does not fit into the span of "
                f"{show_block(self.span_bytes)}; use a larger --span"
            )

    @abstractmethod
    def prepare(self, seed: int, on_prefill: OnPrefill | None = None) -> None:
        """Lay down the test file where one is needed."""

    def make_room(self, workload: DriveWorkload, seed: int, on_prefill: OnPrefill | None = None) -> None:
        """Make ready for a long load: lay down what is read."""
        self.prepare(seed, on_prefill)

    def cautions(self) -> list[str]:
        """Return warnings that a reviewer needs before trusting a figure."""
        return []

    def explained(self, error: TargetFailed) -> Exception:
        """Return the error to raise for a failure in laying down."""
        return error

    def run_pass(self, workload: DriveWorkload, seed: int, tick: Tick | None = None) -> PassResult:
        """Run one pass (length and span settled) in worker processes and return what it gave.

        Raises TargetFailed, and PassSpoiled when machine or program stood still meanwhile.
        """
        self._forget_cached(self._file.fd)
        asleep = seconds_asleep()
        shares: list[WorkerResult] = self.run_jobs(self.jobs(workload, seed), tick)
        refuse_spoiled(shares, asleep)
        return join(shares, workload.block_bytes)

    def jobs(self, workload: DriveWorkload, seed: int) -> list[Callable[[worker_pool.WorkerSlot], WorkerResult]]:
        """Return the job of each worker of a pass, for a process of its own.

        A number of workers that was asked for gives each the workload's depth; as many as are needed share it.
        """
        if self.workers is not None:
            shared = [workload] * self.workers
        else:
            shared = worker_count.split(workload, self._workers_needed(workload))
        count = len(shared)
        return [partial(self._worker_task, own, seed, worker, count) for worker, own in enumerate(shared)]

    def _workers_needed(self, workload: DriveWorkload) -> int:
        """Return how many workers it takes so that none is the limit; tried once for each workload."""
        if workload.text not in self._needed:
            self._needed[workload.text] = worker_count.needed(workload, self._trial)
        return self._needed[workload.text]

    def _trial(self, workload: DriveWorkload, count: int) -> PassResult:
        parts = worker_count.split(workload, count)
        jobs = [partial(self._worker_task, own, TRIAL_SEED, worker, count) for worker, own in enumerate(parts)]
        return join(self.run_jobs(jobs), workload.block_bytes)

    def _worker_task(
        self, workload: DriveWorkload, seed: int, worker: int, count: int, slot: worker_pool.WorkerSlot
    ) -> WorkerResult:
        """Do one worker's share; a share that wrote ends with its data on the medium."""
        job, io_method = self.job(workload, seed, slot, worker=worker, workers=count), self.io_method(workload.depth)
        cpu = time.process_time()
        moved = io_method.move(job)
        cpu = time.process_time() - cpu
        end_ns = None
        if workload.direction != "read":
            slot.flushing()
            flush_to_medium(self)
            end_ns = time.perf_counter_ns()
        return WorkerResult.of(moved, end_ns, cpu, paused=slot.paused)

    def _forget_cached(self, fd: int) -> None:
        """Where the cache cannot be bypassed, at least drop what it holds of the file."""
        if not self._file.direct and hasattr(os, "posix_fadvise"):
            os.posix_fadvise(fd, 0, 0, os.POSIX_FADV_DONTNEED)

    def close(self) -> None:
        """Close and remove the test file; may be called twice."""
        self._file.close()


def prefill(target: RealTarget, seed: int, on_prefill: OnPrefill | None = None) -> None:
    """Write the whole span of a target once and flush it, or as much as its limit allows, which is its span from then on.

    Raises UsageError when it does not fit, else TargetFailed.
    """

    def told(seconds: float, moved: int) -> None:
        if on_prefill is not None:
            on_prefill(moved, target.span_bytes)

    try:
        (done,) = target.run_jobs([partial(_prefill, target, seed)], told)
    except TargetFailed as error:
        raise target.explained(error) from error
    if target.laying is not None and done < target.span_bytes:
        target.span_bytes = target.laying.span(done)


def _prefill(target: RealTarget, seed: int, slot: worker_pool.WorkerSlot) -> int:
    done, buffers, limit = 0, Buffers.pool(LAY_BLOCK, seed), target.laying
    slot.wait_for_start()
    begun = time.monotonic()
    try:
        while done < target.span_bytes and not slot.stop.is_set():
            if limit is not None and limit.is_up(time.monotonic() - begun, done):
                break
            block = buffers.renewed(done // LAY_BLOCK)
            done += target.write_at(block[: target.span_bytes - done], done)
            slot.report(0.0, done)
    except OSError as error:
        raise TargetFailed.of_request(error, done, done) from error
    slot.flushing()
    flush_to_medium(target)
    return done


def flush_to_medium(target: RealTarget) -> None:
    """Flush what was written to a target onto the medium; raise TargetFailed."""
    try:
        target.flush()
    except OSError as error:
        raise TargetFailed(f"the flush failed: {error.strerror}") from error


def refuse_spoiled(shares: Sequence[WorkerResult], asleep: float) -> None:
    """Raise PassSpoiled when a worker was stopped and continued, or the machine slept since `asleep` was read."""
    slept = seconds_asleep() - asleep
    if slept > MAX_DOZE:
        raise PassSpoiled(f"the machine was asleep for {slept:.0f} s")
    if any(s.paused for s in shares):
        raise PassSpoiled("the program was stopped and continued (Ctrl-Z, or by the system)")


def seconds_asleep() -> float:
    """Return how long the machine has slept since it was started (the boot clock runs on in sleep, the other does not)."""
    if not hasattr(time, "CLOCK_BOOTTIME"):
        return 0.0
    return time.clock_gettime(time.CLOCK_BOOTTIME) - time.clock_gettime(time.CLOCK_MONOTONIC)
