"""Writing files so that nothing is lost: whole or not at all, under a lock, with the rights and the place they had.

A file is written beside its place as `.NAME.PID.new` and renamed into it.  What a killed program left of that is swept by
the next.
"""

from __future__ import annotations

import contextlib
import os
import re
import time
from collections.abc import Iterator
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.patterns import pattern
from ulterion.model.lock import try_lock

LOCK = ".lock"
LOCK_SECONDS = 30.0  # a lock is held for milliseconds; one that is held longer is held by a program that stands still
_SCRATCH = pattern(r"\.(.+)\.(\d+)\.new")


def scratch_of(path: Path) -> Path:
    """Return the name under which this process writes a file before it gets its own."""
    return path.with_name(f".{path.name}.{os.getpid()}.new")


def write_atomically(path: Path, data: bytes | str) -> None:
    """Write a file so that after a crash the old or the new one is there, whole; raise UsageError."""
    with _written(path, data.encode() if isinstance(data, str) else data, path):
        pass


def replace_in_place(path: Path, data: bytes) -> None:
    """Write an existing file of the reviewer's anew: through a link to where it lies, with its rights, owner and marks."""
    real = path.resolve()
    with _written(real, data, path) as scratch:
        facts = real.stat()
        from shutil import copystat  # takes longer to load than most answers may

        copystat(real, scratch)
        os.utime(scratch)
        with contextlib.suppress(OSError):  # giving a file away takes root
            os.chown(scratch, facts.st_uid, facts.st_gid)


@contextlib.contextmanager
def _written(path: Path, data: bytes, named: Path) -> Iterator[Path]:
    """Write a file beside its place, yield that, then put it there; raise UsageError, about the path as it was `named`."""
    scratch = scratch_of(path)
    try:
        _write_through(scratch, data)
        yield scratch
        scratch.replace(path)
        sync_folder(path.parent)
    except OSError as error:
        with contextlib.suppress(OSError):
            scratch.unlink()
        raise UsageError(f"{named} cannot be written: {error.strerror}; nothing was changed") from error


def _write_through(path: Path, data: bytes) -> None:
    with contextlib.suppress(FileNotFoundError):
        path.unlink()  # of a process with our number that was killed
    with path.open("xb") as out:
        out.write(data)
        out.flush()
        os.fsync(out.fileno())


def sync_folder(folder: Path) -> None:
    """Put a folder's entries on the medium; elsewhere than on POSIX a rename is durable by itself."""
    if not hasattr(os, "O_DIRECTORY"):
        return
    fd = os.open(folder, os.O_RDONLY | getattr(os, "O_CLOEXEC", 0))
    try:
        with contextlib.suppress(OSError):  # some network file systems know no such thing
            os.fsync(fd)
    finally:
        os.close(fd)


def sweep_scratch(folder: Path, ours: re.Pattern[str]) -> list[Path]:
    """Remove what killed programs left half-written of files whose names match `ours`; return what was removed."""
    removed = []
    with contextlib.suppress(OSError):
        for name in sorted(os.listdir(folder)):  # noqa: PTH208 - most have no need of a path
            match = _SCRATCH.fullmatch(name)
            if match is None or not ours.fullmatch(match[1]) or is_alive(int(match[2][:9])):
                continue
            path = folder / name
            with contextlib.suppress(OSError):
                if path.is_symlink() or not path.is_file():
                    continue
                path.unlink()
                removed.append(path)
    return removed


def is_alive(pid: int) -> bool:
    """Return whether a process with this number runs on this machine (True where that is unknown)."""
    if os.name != "posix" or pid == os.getpid():
        return True
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except (OSError, OverflowError):
        return True
    return True


def open_lock(path: Path) -> int:
    """Open a file in order to lock it, creating it if need be; never through a link, and without waiting at a FIFO.  Raises OSError."""
    flags = os.O_RDWR | os.O_CREAT | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_NONBLOCK", 0)
    return os.open(path, flags | getattr(os, "O_CLOEXEC", 0), 0o666)


@contextlib.contextmanager
def locked(folder: Path, *, must: bool = True, seconds: float = LOCK_SECONDS) -> Iterator[None]:
    """Hold the folder's lock within the block, so that what is read and written there is one step for others.

    Raises UsageError when it cannot be had within `seconds`; without `must` the block is entered all the same.
    """
    fd = -1
    try:
        fd = open_lock(folder / LOCK)
        until = time.monotonic() + seconds
        while not try_lock(fd):
            if time.monotonic() > until:
                if must:
                    raise UsageError(
                        f"another Ulterion has held {folder / LOCK} for {seconds:.0f} s; end it, and try again"
                    )
                break
            time.sleep(0.01)
    except OSError as error:
        if must:
            raise UsageError(f"{folder / LOCK} cannot be opened: {error.strerror}; nothing was changed") from error
    try:
        yield
    finally:
        if fd >= 0:
            os.close(fd)
