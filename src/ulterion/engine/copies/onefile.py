"""One file copied: read, summed and written into a folder of ours. A copy that did not become whole is removed.

The folder as a whole gets its final name when everything in it is whole (`ulterion.features.copy.run`): naming each file by itself would cost
what no other copy costs.

The sum is XXH3 of 128 bits (Y. Collet, the xxHash specification): fast beside any drive, and no protection against malice.
"""

from __future__ import annotations

import contextlib
import errno
import os
from collections.abc import Callable

import xxhash

from ulterion.engine.copies.pipe import Summing, moved_by
from ulterion.engine.copies.walk import Entry

BLOCK = 2**20  # bytes of a small file at most, and of a piece of zeros
STEP = 2**23  # bytes that the kernel copies at a time
ZEROS = bytes(BLOCK)
_CLOEXEC, _NOFOLLOW = getattr(os, "O_CLOEXEC", 0), getattr(os, "O_NOFOLLOW", 0)
READING = os.O_RDONLY | _NOFOLLOW | _CLOEXEC
WRITING = os.O_WRONLY | os.O_CREAT | os.O_EXCL | _CLOEXEC
TARGET_FAULTS = (errno.ENOSPC, errno.EDQUOT, errno.EIO, errno.EROFS, errno.ENODEV, errno.ENXIO, errno.ESHUTDOWN)
"""Errors of the target that no later file will be spared."""
SHORTER, CHANGED = "changed while it was copied: it became shorter", "changed while it was copied"


class LeftOutError(Exception):
    """This one file was not copied, and why."""


class TargetGoneError(Exception):
    """The target takes no more data: it is full, gone or failing."""

    def __init__(self, number: int | None, text: str) -> None:
        super().__init__(text)
        self.number = number


class Copier:
    """Copies files one after the other; `moved` is told the bytes of each piece as it is written.

    `kernel`: the kernel moves the bytes of large files itself (copy_file_range), and the sum is taken of what was read beside it; else they go
    through our memory.  The process's umask is to be 0, so that a file is made with the permissions it is to have.
    """

    def __init__(self, moved: Callable[[int], None], *, kernel: bool = False) -> None:
        self.moved, self.kernel = moved, kernel

    def copy(self, entry: Entry, folder: int, name: bytes) -> str:
        """Copy a file into an open folder under a name that must not be there; return its sum.  Raises LeftOutError, TargetGoneError."""
        try:
            source = os.open(entry.source, READING)
        except OSError as error:
            raise LeftOutError(f"cannot be read: {error.strerror}") from error
        try:
            out = self._open(folder, name, entry.mode)
            try:
                summed = self._moved(source, out, entry)
                self._finish(source, out, entry)
            except BaseException:
                with contextlib.suppress(OSError):
                    os.unlink(name, dir_fd=folder)
                raise
            finally:
                os.close(out)
        finally:
            os.close(source)
        return summed

    def _open(self, folder: int, name: bytes, mode: int) -> int:
        """Make a file, never in the place of another (file systems may take two names for one)."""
        try:
            return os.open(name, WRITING, mode | 0o200, dir_fd=folder)
        except FileExistsError as error:
            raise LeftOutError("another file of the copy has that name on this file system") from error
        except OSError as error:
            raise of_target(error) from error

    def _moved(self, source: int, out: int, entry: Entry) -> str:
        """Move what is in a file; return its sum."""
        if entry.size <= BLOCK and not entry.sparse:
            data = _read(source, entry.size)
            if len(data) < entry.size:
                raise LeftOutError(SHORTER)
            _write(out, data)
            self.moved(len(data))
            return xxhash.xxh3_128_hexdigest(data)
        summed = xxhash.xxh3_128()
        if entry.sparse:
            self._move_with_holes(source, out, entry.size, summed)
        else:
            self._stretch(source, out, 0, entry.size, summed)
        return str(summed.hexdigest())

    def _stretch(self, source: int, out: int, start: int, end: int, summed: xxhash.xxh3_128) -> None:
        """Copy a stretch of both files; reading and summing go on beside the writing."""
        if self.kernel and self._by_kernel(source, out, start, end, summed):
            return

        def write(place: int, piece: memoryview) -> None:
            _write(out, piece, place)
            self.moved(len(piece))

        try:
            done = moved_by(source, start, end, summed.update, write)
        except OSError as error:
            raise LeftOutError(f"cannot be read: {error.strerror}") from error
        if done < end - start:
            raise LeftOutError(SHORTER)

    def _move_with_holes(self, source: int, out: int, size: int, summed: xxhash.xxh3_128) -> None:
        """Copy the data and leave holes as holes; the sum is of the whole file, zeros included."""
        place = 0
        while place < size:
            try:
                begin = min(size, os.lseek(source, place, os.SEEK_DATA))
            except OSError:
                begin = size  # nothing but a hole is left
            _sum_zeros(summed, begin - place)
            if begin < size:
                end = min(size, os.lseek(source, begin, os.SEEK_HOLE))
                self._stretch(source, out, begin, end, summed)
                begin = end
            place = begin
        try:
            os.ftruncate(out, size)
        except OSError as error:
            raise of_target(error) from error

    def _by_kernel(self, source: int, out: int, start: int, end: int, summed: xxhash.xxh3_128) -> bool:
        """Let the kernel copy a stretch, and sum it beside that; False where the kernel does not, and nothing was moved."""
        try:
            first = os.copy_file_range(source, out, min(STEP, end - start), start, start)
        except OSError as error:
            if error.errno in (errno.EXDEV, errno.EINVAL, errno.EOPNOTSUPP, errno.ENOSYS):
                self.kernel = False  # it will do no better with the next
                return False
            raise of_target(error) from error
        self.moved(first)
        summing, place, failed = Summing(source, start, end, summed.update), start + first, None
        try:
            while place < end and (step := os.copy_file_range(source, out, min(STEP, end - place), place, place)):
                self.moved(step)
                place += step
        except OSError as error:
            failed = error
        try:
            done = summing.end()
        except OSError as error:
            raise LeftOutError(f"cannot be read: {error.strerror}") from error
        if failed is not None:
            raise of_target(failed) from failed
        if min(place, start + done) < end:
            raise LeftOutError(SHORTER)
        return True

    def _finish(self, source: int, out: int, entry: Entry) -> None:
        """Check that the source has not changed, and set permissions and times."""
        now = os.fstat(source)
        if now.st_size != entry.size or now.st_mtime_ns != entry.modified:
            raise LeftOutError(CHANGED)
        try:
            if entry.mode != entry.mode | 0o200:  # what it could not be made with
                with contextlib.suppress(OSError):  # file systems without permissions
                    os.fchmod(out, entry.mode)
            os.utime(out, ns=(entry.modified, entry.modified))
        except OSError as error:
            raise of_target(error) from error


def _read(source: int, size: int) -> bytes:
    try:
        data = os.read(source, size)
        while len(data) < size:
            more = os.read(source, size - len(data))
            if not more:
                break
            data += more
    except OSError as error:
        raise LeftOutError(f"cannot be read: {error.strerror}") from error
    return data


def _write(out: int, piece: bytes | memoryview, place: int = 0) -> None:
    try:
        done = os.pwrite(out, piece, place)
        while done < len(piece):
            done += os.pwrite(out, piece[done:], place + done)
    except OSError as error:
        raise of_target(error) from error


def _sum_zeros(summed: xxhash.xxh3_128, count: int) -> None:
    while count > 0:
        step = min(count, BLOCK)
        summed.update(ZEROS[:step])
        count -= step


def of_target(error: OSError) -> Exception:
    """Return the error to raise for one on the target's side."""
    text = "the target is full" if error.errno in (errno.ENOSPC, errno.EDQUOT) else error.strerror or str(error)
    if error.errno in TARGET_FAULTS:
        return TargetGoneError(error.errno, text)
    return LeftOutError(f"cannot be written there: {text}")
