"""Files read back past the caches and compared with what they were. Only plain files are opened, and no link is followed."""

from __future__ import annotations

import contextlib
import errno
import os
import stat
from collections.abc import Callable

import xxhash

from ulterion.engine.copies.below import Below
from ulterion.engine.copies.manifest import Line
from ulterion.engine.requests.buffers import aligned

BLOCK = 2**20
DIFFERS = "differs"
NO_FOLDER = "its parent is no longer a folder"
CLOCK_STEP = 2_000_000_000  # nanoseconds; the coarsest times that file systems keep (FAT: two seconds)


class NoFileError(Exception):
    """What was to be read is not a plain file. Opening a FIFO, for one, would wait for ever."""


def fault_of(below: Below, line: Line, buffer: memoryview, moved: Callable[[int], None]) -> str:
    """Return what is wrong with a file of a copy, '' for nothing; `moved` is told the bytes of each piece that is read."""
    try:
        fd, direct = opened_past_cache(*below.of_file(line.path))
    except OSError as error:
        return NO_FOLDER if error.errno in (errno.ELOOP, errno.ENOTDIR) else f"cannot be read back: {error.strerror}"
    except NoFileError:
        return "is no longer a file"
    try:
        facts = os.fstat(fd)
        if facts.st_size != line.size:
            return f"is {facts.st_size} bytes long, and was {line.size}"
        if _summed(fd, line.size, buffer, moved, direct=direct) != line.sum:
            return DIFFERS
        return "" if abs(facts.st_mtime_ns - line.modified) <= CLOCK_STEP else "has a different modification time"
    except OSError as error:
        return f"cannot be read back: {error.strerror}"
    finally:
        os.close(fd)


def _summed(fd: int, size: int, buffer: memoryview, moved: Callable[[int], None], *, direct: bool) -> str:
    summed, place = xxhash.xxh3_128(), 0
    while place < size:
        try:
            count = os.preadv(fd, [buffer], place)
        except OSError as error:
            if not direct or error.errno != errno.EINVAL:
                raise
            direct = _without_direct(fd)
            continue
        if not count:
            break
        summed.update(buffer[:count])
        place += count
        moved(count)
    return str(summed.hexdigest())


def opened_past_cache(folder: int, name: bytes) -> tuple[int, bool]:
    """Open a file of an open folder past the caches; where its file system cannot, what the cache holds is dropped first.

    Returns the descriptor, and whether it bypasses the cache.  Raises OSError, and NoFileError for what is none.
    """
    if not stat.S_ISREG(os.stat(name, dir_fd=folder, follow_symlinks=False).st_mode):
        raise NoFileError
    how = os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC | os.O_NONBLOCK  # a FIFO that came in between keeps nobody
    with contextlib.suppress(OSError):
        return os.open(name, how | getattr(os, "O_DIRECT", 0), dir_fd=folder), True
    fd = os.open(name, how, dir_fd=folder)
    with contextlib.suppress(OSError):
        os.posix_fadvise(fd, 0, 0, os.POSIX_FADV_DONTNEED)
    return fd, False


def _without_direct(fd: int) -> bool:
    """Go on through the cache, emptied of the file before; return False."""
    import fcntl

    flags = fcntl.fcntl(fd, fcntl.F_GETFL)
    fcntl.fcntl(fd, fcntl.F_SETFL, flags & ~getattr(os, "O_DIRECT", 0))
    with contextlib.suppress(OSError):
        os.posix_fadvise(fd, 0, 0, os.POSIX_FADV_DONTNEED)
    return False


def first_difference(one: bytes, folder: bytes, path: bytes) -> int | None:
    """Return the first place at which a file and one at a path below a folder differ, None where they do not, or one cannot be read."""
    buffers = aligned(BLOCK), aligned(BLOCK)
    fds: list[int] = []
    try:
        fds.append(os.open(one, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC))
        with Below(folder) as below:
            fds.append(opened_past_cache(*below.of_file(path))[0])
        place = 0
        while True:
            counts = [os.preadv(fd, [b], place) for fd, b in zip(fds, buffers, strict=True)]
            mine, theirs = (bytes(b[:n]) for b, n in zip(buffers, counts, strict=True))
            if mine != theirs:
                short = min(counts)
                return place + next((i for i in range(short) if mine[i] != theirs[i]), short)
            if not counts[0]:
                return None
            place += counts[0]
    except (OSError, NoFileError):
        return None
    finally:
        for fd in fds:
            os.close(fd)
