"""Advisory locks on open files: who holds one is alive."""

from __future__ import annotations

import contextlib
import importlib
from collections.abc import Iterator
from pathlib import Path


def try_lock(fd: int) -> bool:
    """Lock an open file without waiting; return whether it could be had.  The lock ends with the file or the process."""
    try:
        try:
            posix = importlib.import_module("fcntl")
            posix.flock(fd, posix.LOCK_EX | posix.LOCK_NB)
        except ImportError:  # Windows
            windows = importlib.import_module("msvcrt")
            windows.locking(fd, windows.LK_NBLCK, 1)
    except OSError:
        return False
    return True


@contextlib.contextmanager
def unused(path: Path) -> Iterator[bool]:
    """Yield whether no living process holds the lock of a plain file; the lock is held meanwhile."""
    try:
        if not path.is_file():  # opening a FIFO would wait
            yield True
            return
        out = path.open("rb")
    except OSError:
        yield False
        return
    with out:
        yield try_lock(out.fileno())
