"""A real target: a folder on a mounted drive, or a plain file that is only read."""

from __future__ import annotations

import os
import time
from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from ulterion.core.errors import PassSpoiled, TargetFailed, UsageError
from ulterion.core.histogram import LatencyHistogram
from ulterion.core.passes import Laid, PassResult, Tick
from ulterion.core.series import IntervalSeries
from ulterion.core.units import show_block
from ulterion.core.workload import Workload
from ulterion.engine import crew, lanes, testfile
from ulterion.engine.data import Buffers
from ulterion.engine.movers import Job, Moved, choose

MIB = 2**20
DEFAULT_SPAN = 4096 * MIB
SMALLEST_SPAN = 16 * MIB
RESERVE_SHARE, RESERVE_LEAST, RESERVE_MOST = 0.05, 32 * MIB, 4096 * MIB
LAY_BLOCK = 4 * MIB
TRIAL_SEED = 20_011  # of the short trials that find how many lanes are needed
LONGEST_DOZE = 0.5  # seconds that the clocks of a machine that did not sleep may differ by


class RealTarget(ABC):
    """What the folder and the file target share: passes on an open file."""

    device_name: str | None = None
    """The kernel's name of a raw device; None of folders and files."""
    holds_files = False
    """Whether files can be made in it."""
    key: tuple[int, int] | None = None
    """What the folder or file is, whatever its name leads to later: device and inode."""

    def __init__(self, path: Path, opened: testfile.OpenFile, span_bytes: int) -> None:
        self.path = path
        self.span_bytes = span_bytes
        self.lanes: int | None = None
        self.stall = crew.STALL
        self.pulse: crew.Pulse | None = None
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

    def engine_of(self, workload: Workload) -> tuple[str, str]:
        """Return the way a workload's requests are issued, and why."""
        mover = choose(workload.depth)
        return mover.name, mover.why

    def check(self, workload: Workload) -> None:
        """Raise UsageError when the workload cannot be run here."""
        if workload.block_bytes > self.span_bytes:
            raise UsageError(
                f"{self.path}: a request of {show_block(workload.block_bytes)} does not fit into the span of "
                f"{show_block(self.span_bytes)}; use a larger --span"
            )

    @abstractmethod
    def prepare(self, seed: int, laid: Laid | None = None) -> None:
        """Lay down what is to be laid down."""

    def make_room(self, workload: Workload, seed: int, laid: Laid | None = None) -> None:
        """Make ready for a long load: lay down what is read."""
        self.prepare(seed, laid)

    def cautions(self) -> list[str]:
        """Return what a reviewer should know of it before believing a figure."""
        return []

    def explained(self, error: TargetFailed) -> Exception:
        """Return what to raise for a failure in laying down."""
        return error

    def run_pass(self, workload: Workload, seed: int, tick: Tick | None = None) -> PassResult:
        """Run one pass (length and span settled) in worker processes and return what it gave.

        Raises TargetFailed, and PassSpoiled when machine or program stood still meanwhile.
        """
        self._forget_cached(self._file.fd)
        asleep = seconds_asleep()
        shares: list[Share] = crew.run(self.jobs(workload, seed), tick, self.stall, self.pulse)
        refuse_spoiled(shares, asleep)
        return join(shares, workload.block_bytes)

    def jobs(self, workload: Workload, seed: int) -> list[Callable[[crew.Seat], Share]]:
        """Return what each lane of a pass is to do in a process of its own.

        A number of lanes that was asked for gives each the workload's depth; as many as are needed share it.
        """
        if self.lanes is not None:
            shared = [workload] * self.lanes
        else:
            shared = lanes.split(workload, self._lanes_needed(workload))
        count = len(shared)
        return [partial(self._lane_job, own, seed, lane, count) for lane, own in enumerate(shared)]

    def _lanes_needed(self, workload: Workload) -> int:
        """Return how many workers it takes that none of them is the limit; tried once for each workload."""
        if workload.text not in self._needed:
            self._needed[workload.text] = lanes.needed(workload, self._trial)
        return self._needed[workload.text]

    def _trial(self, workload: Workload, count: int) -> PassResult:
        parts = lanes.split(workload, count)
        jobs = [partial(self._lane_job, own, TRIAL_SEED, lane, count) for lane, own in enumerate(parts)]
        return join(crew.run(jobs, None, self.stall, self.pulse), workload.block_bytes)

    def _lane_job(self, workload: Workload, seed: int, lane: int, count: int, seat: crew.Seat) -> Share:
        """Do one lane's share; a share that wrote ends with its data on the medium."""
        job = Job(self._file.fd, workload, seed, lane, count, seat.stop, seat.gate, seat.report)
        mover = choose(workload.depth)
        cpu = time.process_time()
        moved = mover.move(job)
        cpu = time.process_time() - cpu
        end_ns = None
        if workload.direction != "read":
            seat.flushing()
            flush_to_medium(job.fd)
            end_ns = time.perf_counter_ns()
        return Share.of(moved, end_ns, cpu, paused=seat.paused)

    def _forget_cached(self, fd: int) -> None:
        """Where the cache cannot be bypassed, at least drop what it holds of the file."""
        if not self._file.direct and hasattr(os, "posix_fadvise"):
            os.posix_fadvise(fd, 0, 0, os.POSIX_FADV_DONTNEED)

    def close(self) -> None:
        """Close and remove the test file; may be called twice."""
        self._file.close()


def lay_down(target: RealTarget, seed: int, laid: Laid | None = None) -> None:
    """Write the whole span of a target once and flush it; raise UsageError when it does not fit, else TargetFailed."""

    def told(seconds: float, moved: int) -> None:
        if laid is not None:
            laid(moved, target.span_bytes)

    try:
        crew.run([partial(_lay, target, seed)], told, target.stall, target.pulse)
    except TargetFailed as error:
        raise target.explained(error) from error


def _lay(target: RealTarget, seed: int, seat: crew.Seat) -> None:
    done, buffers = 0, Buffers.pool(LAY_BLOCK, seed)
    seat.gate()
    try:
        while done < target.span_bytes and not seat.stop.is_set():
            block = buffers.renewed(done // LAY_BLOCK)
            done += os.pwritev(target.fd, [block[: target.span_bytes - done]], done)
            seat.report(0.0, done)
    except OSError as error:
        raise TargetFailed.of_request(error, done, done) from error
    seat.flushing()
    flush_to_medium(target.fd)


def flush_to_medium(fd: int) -> None:
    """Put what was written to an open file on the medium; raise TargetFailed."""
    try:
        os.fdatasync(fd)
    except OSError as error:
        raise TargetFailed(f"the flush failed: {error.strerror}") from error


def refuse_spoiled(shares: Sequence[Share], asleep: float) -> None:
    """Raise PassSpoiled when a worker was stopped and continued, or the machine slept since `asleep` was read."""
    slept = seconds_asleep() - asleep
    if slept > LONGEST_DOZE:
        raise PassSpoiled(f"the machine was asleep for {slept:.0f} s")
    if any(s.paused for s in shares):
        raise PassSpoiled("the program was stopped and continued (Ctrl-Z, or by the system)")


def seconds_asleep() -> float:
    """Return how long the machine has slept since it was started (the boot clock runs on in sleep, the other does not)."""
    if not hasattr(time, "CLOCK_BOOTTIME"):
        return 0.0
    return time.clock_gettime(time.CLOCK_BOOTTIME) - time.clock_gettime(time.CLOCK_MONOTONIC)


@dataclass(frozen=True)
class Share:
    """What one lane gave, as it comes back from its process.  Times are on the `perf_counter_ns` clock."""

    bytes: int
    requests: int
    latency: LatencyHistogram
    series: IntervalSeries
    start_ns: int
    last_ns: int
    flushed_ns: int | None
    cpu_seconds: float
    paused: bool = False

    @classmethod
    def of(cls, moved: Moved, flushed_ns: int | None, cpu_seconds: float, *, paused: bool = False) -> Share:
        """Join the recorders of one lane."""
        first, *others = moved.recorders
        for other in others:
            first.latency.merge(other.latency)
            first.series.merge(other.series)
        requests = sum(r.requests for r in moved.recorders)
        return cls(
            requests * first.block_bytes,
            requests,
            first.latency,
            first.series,
            moved.start_ns,
            moved.last_ns,
            flushed_ns,
            cpu_seconds,
            paused,
        )


def join(shares: Sequence[Share], block_bytes: int) -> PassResult:
    """Join the lanes of a pass: from the common start to the last completion, or to the end of the last flush."""
    first, *others = shares
    for other in others:
        first.latency.merge(other.latency)
        first.series.merge(other.series)
    last = max(s.last_ns for s in shares)
    flushed = [s.flushed_ns for s in shares if s.flushed_ns is not None]
    end = max([last, *flushed])
    requests = sum(s.requests for s in shares)
    return PassResult(
        bytes=requests * block_bytes,
        seconds=(end - min(s.start_ns for s in shares)) / 1e9,
        requests=requests,
        latency=first.latency,
        flush_seconds=(end - last) / 1e9 if flushed else None,
        cpu_seconds=sum(s.cpu_seconds for s in shares),
        lanes=len(shares),
        busy=min(1.0, max(s.cpu_seconds / max(s.last_ns - s.start_ns, 1) * 1e9 for s in shares)),
        interval=first.series.interval,
        interval_bytes=tuple(first.series.values),
    )
