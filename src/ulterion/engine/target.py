"""A real target: a folder on a mounted drive, or a plain file that is only read."""

from __future__ import annotations

import contextlib
import errno
import os
import stat
import time
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from ulterion.core.errors import PassSpoiled, TargetFailed, UsageError
from ulterion.core.histogram import LatencyHistogram
from ulterion.core.passes import Laid, PassResult, Tick
from ulterion.core.series import IntervalSeries
from ulterion.core.units import show_block, show_size
from ulterion.core.workload import Workload
from ulterion.engine import crew, holder, testfile
from ulterion.engine.data import WriteData
from ulterion.engine.lane import failed
from ulterion.engine.movers import Job, Moved, choose

MIB = 2**20
DEFAULT_SPAN = 1024 * MIB
SMALLEST_SPAN = 16 * MIB
RESERVE_SHARE, RESERVE_LEAST, RESERVE_MOST = 0.05, 32 * MIB, 4096 * MIB
LAY_BLOCK = 4 * MIB
LONGEST_DOZE = 0.5  # seconds that the clocks of a machine that did not sleep may differ by
FULL = "(ENOSPC)"


def reserve(filesystem_bytes: int) -> int:
    """Return the bytes that stay free on a file system of this size: 5 %, at least 32 MiB, at most 4 GiB."""
    return round(min(max(filesystem_bytes * RESERVE_SHARE, RESERVE_LEAST), RESERVE_MOST))


def usable_span(folder: Path, wanted: int | None) -> int:
    """Return the span for a folder: what is wanted, or the default cut to what is free beyond the reserve.

    Raises UsageError when there is too little room.
    """
    try:
        room = os.statvfs(folder)
    except OSError as error:
        raise UsageError(f"{folder} cannot be looked at: {error.strerror}; check its name and permissions") from error
    free, kept = room.f_bavail * room.f_frsize, reserve(room.f_blocks * room.f_frsize)
    most = largest_span(folder)
    if wanted is None:
        wanted = min(DEFAULT_SPAN, max(most, SMALLEST_SPAN))
    if wanted > most:
        remedy = f"use --span '{show_block(most)}' or less, or make room" if most >= SMALLEST_SPAN else "make room"
        raise UsageError(
            f"{folder} has {show_size(free)} free, of which {show_size(kept)} stay free; "
            f"a test over {show_block(wanted)} does not fit: {remedy}"
        )
    return wanted


def largest_span(folder: Path) -> int:
    """Return the largest span that fits a folder beyond the reserve, in bytes; 0 when nothing does."""
    room = os.statvfs(folder)
    return max(0, room.f_bavail * room.f_frsize - reserve(room.f_blocks * room.f_frsize)) // LAY_BLOCK * LAY_BLOCK


class RealTarget:
    """What the folder and the file target share: passes on an open file."""

    simulated = False
    key: tuple[int, int] | None = None
    """What the folder or file is, whatever its name leads to later: device and inode."""

    def __init__(self, path: Path, opened: testfile.OpenFile, span_bytes: int) -> None:
        self.path = path
        self.span_bytes = span_bytes
        self.lanes = 1
        self.stall = crew.STALL
        self.pulse: crew.Pulse | None = None
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

    def run_pass(self, workload: Workload, seed: int, tick: Tick | None = None) -> PassResult:
        """Run one pass (length and span settled) in worker processes and return what it gave.

        Raises TargetFailed, and PassSpoiled when machine or program stood still meanwhile.
        """
        self._forget_cached(self._file.fd)
        asleep = seconds_asleep()
        jobs = [partial(self.lane_job, workload, seed, lane) for lane in range(self.lanes)]
        shares: list[Share] = crew.run(jobs, tick, self.stall, self.pulse)
        refuse_spoiled(shares, asleep)
        return join(shares, workload.block_bytes)

    def lane_job(self, workload: Workload, seed: int, lane: int, seat: crew.Seat) -> Share:
        """Do one lane's share, in a process of its own; a share that wrote ends with its data on the medium."""
        job = Job(self._file.fd, workload, seed, lane, self.lanes, seat.stop, seat.gate, seat.report)
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
        if FULL in str(error) and isinstance(target, FolderTarget):
            raise _no_room(target, error) from error
        raise


def _no_room(target: FolderTarget, error: TargetFailed) -> Exception:
    """Return what to raise when a device says that it is full: so it is, or it is smaller than its file system believes."""
    room = os.statvfs(target.path)
    free = room.f_bavail * room.f_frsize
    if free < LAY_BLOCK:
        return UsageError(testfile.unwritable(target.path, OSError(errno.ENOSPC, "")))
    words = f"the device says that it is full, while {show_size(free)} are free on its file system: it holds less than it states"
    return TargetFailed(f"{words}; {error}", offset=error.offset, moved=error.moved)


def _lay(target: RealTarget, seed: int, seat: crew.Seat) -> None:
    done, buffers = 0, WriteData(LAY_BLOCK, seed).buffers()
    seat.gate()
    try:
        while done < target.span_bytes and not seat.stop.is_set():
            (block,) = next(buffers)
            done += os.pwritev(target.fd, [block[: target.span_bytes - done]], done)
            seat.report(0.0, done)
    except OSError as error:
        raise failed(error, done, done) from error
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
        return cls(requests * first.block_bytes, requests, first.latency, first.series, moved.start_ns,
                   moved.last_ns, flushed_ns, cpu_seconds, paused)  # fmt: skip


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
        interval=first.series.interval,
        interval_bytes=tuple(first.series.values),
    )


class FolderTarget(RealTarget):
    """A folder on a mounted drive; the tests run in a file of our own in it."""

    kind = "folder"

    def __init__(self, folder: Path, span_bytes: int | None = None, stall: float = crew.STALL) -> None:
        opened, (span, self.key) = holder.opened(partial(_open_folder, folder, span_bytes), str(folder), stall)
        super().__init__(folder, opened, span // 4096 * 4096)
        self.stall = stall

    def prepare(self, seed: int, laid: Laid | None = None) -> None:
        """Lay the whole test file down on the medium, so that reads find real data and writes allocate nothing."""
        lay_down(self, seed, laid)


def _open_folder(folder: Path, span_bytes: int | None) -> tuple[testfile.OpenFile, tuple[int, tuple[int, int]]]:
    """Return the test file, with the span that fits and what identifies the folder."""
    span = usable_span(folder, span_bytes)
    opened, key = testfile.create_in(folder)
    return opened, (span, key)


def refuse_what_is_no_file(path: Path) -> None:
    """Raise UsageError when a path leads to nothing, or to anything but a plain file."""
    try:
        facts = path.stat()
    except OSError as error:
        raise UsageError(f"{path} cannot be read: {error.strerror}; check its name and permissions") from error
    _refuse_others(path, facts)


def _refuse_others(path: Path, facts: os.stat_result) -> None:
    if not stat.S_ISREG(facts.st_mode):
        raise UsageError(f"{path} is neither a folder nor a plain file; name a folder on the drive")


class FileTarget(RealTarget):
    """A plain file of the reviewer's, which is read and never written."""

    kind = "file"

    def __init__(self, path: Path, span_bytes: int | None = None, stall: float = crew.STALL) -> None:
        refuse_what_is_no_file(path)  # opening some devices does something to them
        opened, _ = holder.opened(lambda: (testfile.open_existing(path), None), str(path), stall)
        facts = os.fstat(opened.fd)
        self.key = (facts.st_dev, facts.st_ino)
        size = facts.st_size // 4096 * 4096
        wanted = min(span_bytes or size, size)
        try:
            _refuse_others(path, facts)
            if size < SMALLEST_SPAN:
                raise UsageError(f"{path} is too small to test with; it takes at least {show_block(SMALLEST_SPAN)}")
            if span_bytes and span_bytes > facts.st_size:
                raise UsageError(f"{path} holds {show_size(facts.st_size)}; use a --span no larger than that")
        except UsageError:
            opened.close()
            raise
        super().__init__(path, opened, wanted)
        self.stall = stall
        self.holes = facts.st_blocks * 512 < size * 0.95

    def check(self, workload: Workload) -> None:
        """Refuse writes: the file is the reviewer's."""
        super().check(workload)
        if workload.direction == "write":
            raise UsageError(
                f"{self.path} is a file of yours and is only read; name its folder to test writing, "
                f"or choose workloads that read (--workload 'sequential read 4 MiB depth 4')"
            )

    def prepare(self, seed: int, laid: Laid | None = None) -> None:
        """Nothing is laid down; what the cache holds of the file is dropped."""
        with contextlib.suppress(OSError):
            os.posix_fadvise(self._file.fd, 0, 0, os.POSIX_FADV_DONTNEED)


def open_target(path: Path, span_bytes: int | None = None, stall: float = crew.STALL) -> FolderTarget | FileTarget:
    """Open a folder or a plain file for testing; raise UsageError that says what is wrong with it.

    Raises TargetFailed when it does not answer for `stall` seconds.
    """
    if not path.exists():
        near = "" if path.parent.exists() else f" (nor does {path.parent})"
        raise UsageError(f"{path} does not exist{near}; plug the drive in and mount it, or check the name")
    return FolderTarget(path, span_bytes, stall) if path.is_dir() else FileTarget(path, span_bytes, stall)
