"""A folder on a mounted drive as a target: tested in a file of our own, with room left free."""

from __future__ import annotations

import errno
import os
from functools import partial
from pathlib import Path

from ulterion.core.errors import TargetFailed, UsageError
from ulterion.core.units import show_block, show_size
from ulterion.core.workloads.passes import OnPrefill
from ulterion.core.workloads.workload import DriveWorkload
from ulterion.engine.targets import test_file
from ulterion.engine.targets.base import DEFAULT_SPAN, LAY_BLOCK, MIB, MIN_SPAN, RealTarget, prefill
from ulterion.engine.workers import guarded_open, worker_pool

RESERVE_SHARE, RESERVE_LEAST, RESERVE_MOST = 0.05, 32 * MIB, 4096 * MIB


def reserve(filesystem_bytes: int) -> int:
    """Return the bytes that stay free on a file system of this size: 5%, at least 32 MiB, at most 4 GiB."""
    return round(min(max(filesystem_bytes * RESERVE_SHARE, RESERVE_LEAST), RESERVE_MOST))


def usable_span(folder: Path, wanted: int | None) -> int:
    """Return the span for a folder: as asked for, or the default, cut to the room beyond the reserve.

    Raises UsageError when there is too little room.
    """
    try:
        room = os.statvfs(folder)
    except OSError as error:
        raise UsageError(f"{folder} cannot be read: {error.strerror}; check its name and permissions") from error
    return fitting_span(folder, wanted, room.f_bavail * room.f_frsize, room.f_blocks * room.f_frsize)


def fitting_span(folder: Path, wanted: int | None, free: int, whole: int) -> int:
    """Return the span for a folder by the free and the whole bytes of its file system; raise UsageError where there is too little room."""
    kept = reserve(whole)
    most = max(0, free - kept) // LAY_BLOCK * LAY_BLOCK
    if wanted is None:
        wanted = min(DEFAULT_SPAN, max(most, MIN_SPAN))
    if wanted > most:
        remedy = f"use --span '{show_block(most)}' or less, or make room" if most >= MIN_SPAN else "make room"
        raise UsageError(
            f"{folder} has {show_size(free)} free, of which {show_size(kept)} stay free; "
            f"a test over {show_block(wanted)} does not fit: {remedy}"
        )
    return wanted


def largest_span(folder: Path) -> int:
    """Return the largest span that fits a folder beyond the reserve, in bytes; 0 when nothing does."""
    room = os.statvfs(folder)
    return max(0, room.f_bavail * room.f_frsize - reserve(room.f_blocks * room.f_frsize)) // LAY_BLOCK * LAY_BLOCK


def set_room_aside(target: RealTarget) -> bool:
    """Give the test file its whole size without writing it, so that a write load starts on a fresh cache.

    Returns False where the file system cannot; then the file grows as it is written.  Raises TargetFailed when it hangs.
    """

    def work(slot: worker_pool.WorkerSlot) -> bool:
        slot.wait_for_start()
        return target.preallocate()

    return target.run_jobs([work])[0]


class FolderTarget(RealTarget):
    """A folder on a mounted drive; the tests run in a file of our own in it."""

    holds_files = True

    def __init__(self, folder: Path, span_bytes: int | None = None, stall: float = worker_pool.STALL) -> None:
        opened, (span, self.key) = guarded_open.opened(partial(_open_folder, folder, span_bytes), str(folder), stall)
        super().__init__(folder, opened, span // 4096 * 4096)
        self.stall = stall

    def make_room(self, workload: DriveWorkload, seed: int, on_prefill: OnPrefill | None = None) -> None:
        """Allocate room for what will be written; lay down what will be read."""
        if workload.direction == "write" and (set_room_aside(self) or workload.pattern == "sequential"):
            return
        self.prepare(seed, on_prefill)

    def explained(self, error: TargetFailed) -> Exception:
        """Return the error to raise where a device is full: it is, or it is smaller than its file system believes."""
        if error.code != errno.ENOSPC:
            return error
        room = os.statvfs(self.path)
        free = room.f_bavail * room.f_frsize
        if free < LAY_BLOCK:
            return UsageError(test_file.unwritable(self.path, OSError(errno.ENOSPC, "")))
        words = f"the device says that it is full, while {show_size(free)} are free on its file system: it holds less than it states"
        return TargetFailed(f"{words}; {error}", offset=error.offset, moved=error.moved)

    def prepare(self, seed: int, on_prefill: OnPrefill | None = None) -> None:
        """Lay the whole test file down on the medium, so that reads find real data and writes allocate nothing."""
        prefill(self, seed, on_prefill)


def _open_folder(folder: Path, span_bytes: int | None) -> tuple[test_file.OpenFile, tuple[int, tuple[int, int]]]:
    """Return the test file, with the span that fits and what identifies the folder."""
    span = usable_span(folder, span_bytes)
    opened, key = test_file.create_in(folder)
    return opened, (span, key)
