"""A real target: a folder on a mounted drive, or a plain file that is only read."""

from __future__ import annotations

import contextlib
import errno
import os
import stat
import time
from pathlib import Path

from ulterion.core.errors import TargetFailed, UsageError
from ulterion.core.passes import Laid, PassResult, Tick
from ulterion.core.units import show_block, show_size
from ulterion.core.workload import Workload
from ulterion.engine import testfile
from ulterion.engine.data import WriteData
from ulterion.engine.lane import failed
from ulterion.engine.movers import Moved, choose

MIB = 2**20
DEFAULT_SPAN = 1024 * MIB
SMALLEST_SPAN = 16 * MIB
RESERVE_SHARE, RESERVE_LEAST, RESERVE_MOST = 0.05, 32 * MIB, 4096 * MIB
LAY_BLOCK = 4 * MIB


def reserve(filesystem_bytes: int) -> int:
    """Return the bytes that stay free on a file system of this size: 5 %, at least 32 MiB, at most 4 GiB."""
    return round(min(max(filesystem_bytes * RESERVE_SHARE, RESERVE_LEAST), RESERVE_MOST))


def usable_span(folder: Path, wanted: int | None) -> int:
    """Return the span for a folder: what is wanted, or the default cut to what is free beyond the reserve.

    Raises UsageError when there is too little room.
    """
    room = os.statvfs(folder)
    free = room.f_bavail * room.f_frsize
    kept = reserve(room.f_blocks * room.f_frsize)
    most = max(0, free - kept) // LAY_BLOCK * LAY_BLOCK
    if wanted is None:
        wanted = min(DEFAULT_SPAN, max(most, SMALLEST_SPAN))
    if wanted > most:
        remedy = f"use --span '{show_block(most)}' or less, or make room" if most >= SMALLEST_SPAN else "make room"
        raise UsageError(
            f"{folder} has {show_size(free)} free, of which {show_size(kept)} stay free; "
            f"a test over {show_block(wanted)} does not fit: {remedy}"
        )
    return wanted


class RealTarget:
    """What the folder and the file target share: passes on an open file."""

    simulated = False

    def __init__(self, path: Path, opened: testfile.OpenFile, span_bytes: int) -> None:
        self.path = path
        self.span_bytes = span_bytes
        self._file = opened

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
        """Run one pass (length and span settled) and return what it gave; raise TargetFailed."""
        fd = self._file.fd
        self._forget_cached(fd)
        cpu = time.process_time()
        moved = choose(workload.depth).move(fd, workload, seed, tick)
        end_ns, flush = moved.last_ns, None
        if workload.direction == "write":
            begin = time.perf_counter_ns()
            self._flush(fd)
            end_ns = time.perf_counter_ns()
            flush = (end_ns - begin) / 1e9
        return _result(moved, end_ns, flush, time.process_time() - cpu)

    def _forget_cached(self, fd: int) -> None:
        """Where the cache cannot be bypassed, at least drop what it holds of the file."""
        if not self._file.direct and hasattr(os, "posix_fadvise"):
            os.posix_fadvise(fd, 0, 0, os.POSIX_FADV_DONTNEED)

    def _flush(self, fd: int) -> None:
        try:
            os.fdatasync(fd)
        except OSError as error:
            raise TargetFailed(f"{self.path}: the flush failed: {error.strerror}") from error

    def close(self) -> None:
        """Close and remove the test file; may be called twice."""
        self._file.close()


def _result(moved: Moved, end_ns: int, flush: float | None, cpu: float) -> PassResult:
    first, *others = moved.recorders
    for other in others:
        first.latency.merge(other.latency)
        first.series.merge(other.series)
    requests = sum(r.requests for r in moved.recorders)
    return PassResult(
        bytes=requests * first.block_bytes,
        seconds=(end_ns - moved.start_ns) / 1e9,
        requests=requests,
        latency=first.latency,
        flush_seconds=flush,
        cpu_seconds=cpu,
        interval=first.series.interval,
        interval_bytes=tuple(first.series.values),
    )


class FolderTarget(RealTarget):
    """A folder on a mounted drive; the tests run in a file of our own in it."""

    kind = "folder"

    def __init__(self, folder: Path, span_bytes: int | None = None) -> None:
        span = usable_span(folder, span_bytes)
        super().__init__(folder, testfile.create(folder), span // 4096 * 4096)

    def prepare(self, seed: int, laid: Laid | None = None) -> None:
        """Lay the whole test file down on the medium, so that reads find real data and writes allocate nothing."""
        done, buffers = 0, WriteData(LAY_BLOCK, seed).buffers()
        try:
            while done < self.span_bytes:
                (block,) = next(buffers)
                done += os.pwritev(self._file.fd, [block[: self.span_bytes - done]], done)
                if laid is not None:
                    laid(done, self.span_bytes)
            self._flush(self._file.fd)
        except OSError as error:
            if isinstance(error, TargetFailed):
                raise
            if error.errno in (errno.ENOSPC, errno.EDQUOT):
                raise UsageError(f"{testfile.unwritable(self.path, error)}") from error
            raise failed(error, done, done) from error


class FileTarget(RealTarget):
    """A plain file of the reviewer's, which is read and never written."""

    kind = "file"

    def __init__(self, path: Path, span_bytes: int | None = None) -> None:
        opened = testfile.open_existing(path)
        facts = os.fstat(opened.fd)
        size = facts.st_size // 4096 * 4096
        wanted = min(span_bytes or size, size)
        try:
            if not stat.S_ISREG(facts.st_mode):
                raise UsageError(f"{path} is neither a folder nor a plain file; name a folder on the drive")
            if size < SMALLEST_SPAN:
                raise UsageError(f"{path} is too small to test with; it takes at least {show_block(SMALLEST_SPAN)}")
            if span_bytes and span_bytes > facts.st_size:
                raise UsageError(f"{path} holds {show_size(facts.st_size)}; use a --span no larger than that")
        except UsageError:
            opened.close()
            raise
        super().__init__(path, opened, wanted)
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


def open_target(path: Path, span_bytes: int | None = None) -> FolderTarget | FileTarget:
    """Open a folder or a plain file for testing; raise UsageError that says what is wrong with it."""
    if not path.exists():
        near = "" if path.parent.exists() else f" (nor does {path.parent})"
        raise UsageError(f"{path} does not exist{near}; plug the drive in and mount it, or check the name")
    return FolderTarget(path, span_bytes) if path.is_dir() else FileTarget(path, span_bytes)
