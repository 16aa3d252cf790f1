"""What a worker does with files: copying, flushing, reading back past the caches, and each end alone."""

from __future__ import annotations

import contextlib
import ctypes
import errno
import os
import time
from collections.abc import Callable, Sequence
from functools import partial
from multiprocessing.connection import Connection
from typing import Any

import xxhash

from ulterion.core.capacity import Capacity, Tally
from ulterion.core.errors import TargetFailed
from ulterion.engine.capacity.media import DeviceMedium, FilesMedium
from ulterion.engine.capacity.proof import Recognised, Scribe, quick_look, recognise, repeats
from ulterion.engine.copies.below import Below
from ulterion.engine.copies.manifest import Line
from ulterion.engine.copies.onefile import Copier, LeftOutError, TargetGoneError, of_target
from ulterion.engine.copies.readback import fault_of
from ulterion.engine.copies.trimming import trim
from ulterion.engine.copies.walk import Entry
from ulterion.engine.requests.buffers import aligned, random_words
from ulterion.engine.workers import children

BLOCK = 2**20
Done = tuple[str | None, str, float]
"""Of one file: its sum, or None and why it was left out; and the seconds it took."""


class Worker:
    """Does jobs by name; `moved` is told the bytes of each."""

    def __init__(self, moved: Callable[[int], None], number: int) -> None:
        self._moved, self._number = moved, number
        self._copier = Copier(moved)
        self._buffer = aligned(BLOCK)
        self._data: memoryview | None = None
        self._folders: Below | None = None

    def _below(self, top: bytes) -> Below:
        """Return the folders below a top; a folder of that name that was made anew is opened anew.  Raises OSError."""
        if self._folders is None or not self._folders.is_still(top):
            if self._folders is not None:
                self._folders.close()
                self._folders = None
            self._folders = Below(top)
        return self._folders

    def copy(self, given: tuple[bool, bytes, Sequence[Entry]]) -> list[Done]:
        """Copy files: (by the kernel, the folder that the copy goes to, files).  Raises TargetFailed when the target takes no more."""
        self._copier.kernel, top, files = given
        below = self._below(top)
        done: list[Done] = []
        for entry in files:
            start = time.perf_counter()
            summed, why = None, ""
            try:
                summed = self._copier.copy(entry, *_place_of(below, entry.name))
            except LeftOutError as error:
                why = str(error)
            except TargetGoneError as error:
                raise TargetFailed(f"{os.fsdecode(entry.name)}: {error}", code=error.number) from error
            done.append((summed, why, time.perf_counter() - start))
        return done

    def flush(self, folder: bytes) -> float:
        """Force everything of the folder's file system onto the medium; return the seconds."""
        start = time.perf_counter()
        fd = os.open(folder, os.O_RDONLY | os.O_CLOEXEC)
        try:
            call = getattr(ctypes.CDLL(None, use_errno=True), "syncfs", None)
            if call is None:
                os.sync()
            elif call(fd):
                number = ctypes.get_errno()
                raise TargetFailed(f"the flush failed: {os.strerror(number)}", code=number)
        finally:
            os.close(fd)
        return time.perf_counter() - start

    def trim(self, folder: bytes) -> tuple[int, str]:
        """Trim the folder's file system; return the bytes, and why it was not done."""
        return trim(folder)

    def drop_cache(self, paths: Sequence[bytes]) -> int:
        """Drop what the system's cache holds of files; return how many could not be opened."""
        missed = 0
        for path in paths:
            try:
                fd = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
            except OSError:
                missed += 1
                continue
            with contextlib.suppress(OSError):
                os.posix_fadvise(fd, 0, 0, os.POSIX_FADV_DONTNEED)
            os.close(fd)
            self._moved(1)
        return missed

    def read(self, files: Sequence[tuple[bytes, int]]) -> int:
        """Read files through the system's cache, as a copy does, and do nothing with them; return the bytes."""
        total = 0
        for path, _ in files:
            with contextlib.suppress(OSError):
                fd = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
                try:
                    while count := os.readv(fd, [self._buffer]):
                        total += count
                        self._moved(count)
                finally:
                    os.close(fd)
        return total

    def write(self, files: Sequence[tuple[bytes, int]]) -> int:
        """Write files of these sizes from memory; return the bytes.  Raises TargetFailed."""
        if self._data is None:
            self._data = memoryview(random_words(BLOCK, self._number).tobytes())  # eight blocks of it
        total = 0
        for path, size in files:
            try:
                fd = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600)
                try:
                    left = size
                    while left > 0:
                        start = (total % 7) * BLOCK
                        step = os.write(fd, self._data[start : start + min(BLOCK, left)])
                        left, total = left - step, total + step
                        self._moved(step)
                finally:
                    os.close(fd)
            except OSError as error:
                raise TargetFailed(f"{os.fsdecode(path)}: {error.strerror}", code=error.errno) from error
        return total

    def medium(self, given: tuple[int | bytes, int, int, int]) -> bool:
        """Open a medium for a capacity proof: (open device, or folder of files; bytes; key; units that are on it); return whether the cache is bypassed."""
        what, size, key, _ = given
        medium = DeviceMedium(what, size) if isinstance(what, int) else FilesMedium(what, size)
        self._scribe = Scribe(medium, key, self._moved)
        return not isinstance(medium, FilesMedium) or medium.bypasses()

    def recognise(self, given: tuple[int, int, int, int]) -> Recognised:
        """Look whether an open device of so many bytes is the one that units of a key were written to; raise TargetFailed."""
        fd, size, key, written = given
        return recognise(DeviceMedium(fd, size), key, written)

    def write_units(self, given: tuple[int, int]) -> int:
        """Write units in a row; return how many.  Raises TargetFailed."""
        self._scribe.write(*given)
        return given[1]

    def flush_medium(self, given: object) -> None:
        """Force what was written onto the medium; raise TargetFailed."""
        self._scribe.flush()

    def read_units(self, given: tuple[int, int]) -> Tally:
        """Read units in a row back; return what they hold.  Raises TargetFailed."""
        tally = Tally()
        self._scribe.check(*given, tally)
        return tally

    def quick_check(self, given: object) -> Capacity:
        """Look quickly at the medium; raise TargetFailed."""
        return quick_look(self._scribe)

    def sums(self, files: Sequence[tuple[bytes, int]]) -> list[str | None]:
        """Read files and return the sum of each, None where it cannot be read or is not as long as it was."""
        return [self._sum_of(path, size) for path, size in files]

    def _sum_of(self, path: bytes, size: int) -> str | None:
        summed, total = xxhash.xxh3_128(), 0
        try:
            fd = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
            try:
                while count := os.readv(fd, [self._buffer]):
                    summed.update(self._buffer[:count])
                    total += count
                    self._moved(count)
            finally:
                os.close(fd)
        except OSError:
            return None
        return str(summed.hexdigest()) if total == size else None

    def compare(self, given: tuple[int, int]) -> dict[int, tuple[int, int]]:
        """Read an open device of so many bytes for what repeats itself; raise TargetFailed."""
        return repeats(DeviceMedium(*given), 1, self._moved)

    def prove(self, given: tuple[bytes, Sequence[Line]]) -> list[str]:
        """Read files below a folder back past the caches and compare them with their lines of the manifest; return for each what is wrong, or ''."""
        top, lines = given
        below = self._below(top)
        return [fault_of(below, line, self._buffer, self._moved) for line in lines]


def _place_of(below: Below, path: bytes) -> tuple[int, bytes]:
    """Return the open folder that a file goes into, and its name there; raise LeftOutError, TargetGoneError."""
    try:
        return below.of_file(path)
    except OSError as error:
        if error.errno in (errno.ELOOP, errno.ENOTDIR):
            raise LeftOutError("the copy has something else under its folder's name") from error
        raise of_target(error) from error


def serve(line: Connection[Any, Any], moved: Callable[[int], None], number: int) -> None:
    """Do jobs from a line until it is closed."""
    os.umask(0)  # files are made with the permissions of what they are copies of
    worker = Worker(moved, number)
    while True:
        try:
            name, given = line.recv()
        except (EOFError, OSError):
            return
        answer = children.outcome(partial(getattr(worker, name), given))
        try:
            line.send(answer)
        except OSError:
            return
