"""A plain file of the reviewer's as a target, read and never written; and the opening of a path to a folder or a file."""

from __future__ import annotations

import contextlib
import os
import stat
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.units import show_block, show_size
from ulterion.core.workloads.passes import OnPrefill
from ulterion.core.workloads.workload import DriveWorkload
from ulterion.engine.targets import test_file
from ulterion.engine.targets.base import MIN_SPAN, RealTarget
from ulterion.engine.targets.folder import FolderTarget
from ulterion.engine.workers import guarded_open, worker_pool


def refuse_what_is_no_file(path: Path) -> None:
    """Raise UsageError unless a path leads to a plain file."""
    try:
        facts = path.stat()
    except OSError as error:
        raise UsageError(f"{path} cannot be read: {error.strerror}; check its name and permissions") from error
    _refuse_others(path, facts)


def _refuse_others(path: Path, facts: os.stat_result) -> None:
    if not stat.S_ISREG(facts.st_mode):
        raise UsageError(f"{path} is neither a folder nor a plain file; name a folder on the drive")


def only_reads(path: Path, workload: DriveWorkload) -> None:
    """Raise UsageError for a workload that would write to a file of the reviewer's."""
    if workload.direction != "read":
        raise UsageError(
            f"{path} is your own file and is only read; name its folder to test writing, "
            f"or choose workloads that read (--workload 'sequential read 4 MiB depth 4')"
        )


def span_within(path: Path, size: int, wanted: int | None) -> int:
    """Return the span for a file or device of a size, in bytes: as asked for, or all of it; raise UsageError where it does not fit."""
    if size < MIN_SPAN:
        raise UsageError(f"{path} is too small to test with; it takes at least {show_block(MIN_SPAN)}")
    if wanted is not None and wanted > size:
        raise UsageError(f"{path} holds {show_size(size)}; use a --span no larger than that")
    return (wanted or size) // 4096 * 4096


class FileTarget(RealTarget):
    """A plain file of the reviewer's, which is read and never written."""

    def __init__(self, path: Path, span_bytes: int | None = None, stall: float = worker_pool.STALL) -> None:
        refuse_what_is_no_file(path)  # opening some devices does something to them
        opened, _ = guarded_open.opened(lambda: (test_file.open_existing(path), None), str(path), stall)
        facts = os.fstat(opened.fd)
        self.key = (facts.st_dev, facts.st_ino)
        try:
            _refuse_others(path, facts)
            wanted = span_within(path, facts.st_size, span_bytes)
        except UsageError:
            opened.close()
            raise
        super().__init__(path, opened, wanted)
        self.stall = stall
        self.holes = facts.st_blocks * 512 < facts.st_size * 0.95

    def check(self, workload: DriveWorkload) -> None:
        """Refuse writes: the file is the reviewer's."""
        super().check(workload)
        only_reads(self.path, workload)

    def cautions(self) -> list[str]:
        """Tell of holes."""
        return [f"{self.path.name} has holes: reading them measures memory, not the drive"] if self.holes else []

    def prepare(self, seed: int, on_prefill: OnPrefill | None = None) -> None:
        """Nothing is laid down; what the cache holds of the file is dropped."""
        with contextlib.suppress(OSError):
            os.posix_fadvise(self._file.fd, 0, 0, os.POSIX_FADV_DONTNEED)


def open_target(
    path: Path, span_bytes: int | None = None, stall: float = worker_pool.STALL
) -> FolderTarget | FileTarget:
    """Open a folder or a plain file for testing; raise UsageError that says what is wrong with it.

    Raises TargetFailed when it does not answer for `stall` seconds.
    """
    if not path.exists():
        near = "" if path.parent.exists() else f" (nor does {path.parent})"
        raise UsageError(f"{path} does not exist{near}; plug the drive in and mount it, or check the name")
    return FolderTarget(path, span_bytes, stall) if path.is_dir() else FileTarget(path, span_bytes, stall)
