"""The test file: ours alone, without a name where the file system can do that, and removed on every way out.

A file created without a name cannot be left behind, whatever kills the program.  Where a file system offers none, the
file is created exclusively, never through a link, and its name removed at once.  Where even that cannot be done the
file keeps its name and an advisory lock while in use, and beside it lies a mark that says whose it is.  The next start
removes what bears our name *and* our mark and is locked by nobody; nothing else, whatever it is called.
"""

from __future__ import annotations

import contextlib
import ctypes
import errno
import os
import re
import secrets
import stat
from collections.abc import Callable
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.patterns import pattern
from ulterion.core.records import dataclass
from ulterion.engine.requests.buffers import aligned
from ulterion.model.lock import try_lock

PREFIX = ".ulterion-test-"
OURS = pattern(re.escape(PREFIX) + r"\d{1,10}-[0-9a-f]{8}")
MARK_ENDING = ".mark"
NO_NAMELESS = (errno.EISDIR, errno.EOPNOTSUPP, errno.ENOENT, errno.EINVAL)
PROBED = 1 << 20  # a multiple of what any file system aligns transfers to
O_DIRECT = getattr(os, "O_DIRECT", 0)
O_CLOEXEC, O_NOFOLLOW = getattr(os, "O_CLOEXEC", 0), getattr(os, "O_NOFOLLOW", 0)


@dataclass
class OpenFile:
    """An open file under test.

    Attributes:
        fd: descriptor, to be closed by `close`.
        direct: whether the operating system's cache is bypassed.
        names: what to remove on closing; empty when the file has no name any more.
        folder: descriptor of the folder in which those names are, or -1.
        let_go: called last on closing: who opened it lets go of it too.
    """

    fd: int
    direct: bool
    names: tuple[str, ...] = ()
    folder: int = -1
    let_go: Callable[[], None] | None = None

    def close(self) -> None:
        """Close the file and remove its name if it still has one; may be called twice."""
        fd, self.fd, folder, self.folder = self.fd, -1, self.folder, -1
        names, self.names, let_go, self.let_go = self.names, (), self.let_go, None
        for name in names:
            with contextlib.suppress(OSError):
                os.unlink(name, dir_fd=folder)
        for one in (fd, folder):
            if one >= 0:
                with contextlib.suppress(OSError):
                    os.close(one)
        if let_go is not None:
            let_go()


def _bypass_cache(opened: OpenFile) -> OpenFile:
    """Ask for transfers past the system's cache; `direct` tells whether the file system granted it.

    Asked for after opening, because an open that is refused for it may already have made the name.
    """
    if O_DIRECT:
        import fcntl

        with contextlib.suppress(OSError):
            flags = fcntl.fcntl(opened.fd, fcntl.F_GETFL)
            fcntl.fcntl(opened.fd, fcntl.F_SETFL, flags | O_DIRECT)
            opened.direct = _is_direct(opened.fd)
            if not opened.direct:
                fcntl.fcntl(opened.fd, fcntl.F_SETFL, flags)
    return opened


def _is_direct(fd: int) -> bool:
    """Return whether a file opened for transfers past the cache really takes them.

    An overlay grants them and then refuses each one when the file system below it has none.  A read past the end shows
    it and moves nothing.
    """
    facts = os.fstat(fd)
    if stat.S_ISREG(facts.st_mode):
        try:
            os.preadv(fd, [aligned(PROBED)], -(-facts.st_size // PROBED) * PROBED)
        except OSError:
            return False
    return True


def _nameless(folder: int) -> OpenFile | None:
    tmpfile = getattr(os, "O_TMPFILE", 0)
    if not tmpfile:
        return None
    try:
        return OpenFile(os.open(".", tmpfile | os.O_RDWR | os.O_EXCL | O_CLOEXEC, 0o600, dir_fd=folder), False)
    except OSError as error:
        if error.errno in NO_NAMELESS:
            return None
        raise


def mark_of(name: str) -> bytes:
    """Return the mark in or beside a test file that proves that we made it."""
    return f"Ulterion's test file {name}; it may be removed when no measurement is going on.\n".encode()


def _create(name: str, folder: int) -> int:
    return os.open(name, os.O_RDWR | os.O_CREAT | os.O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0o600, dir_fd=folder)


def _named(folder: int) -> OpenFile:
    name = f"{PREFIX}{os.getpid()}-{secrets.token_hex(4)}"
    opened = OpenFile(_create(name, folder), False)
    try_lock(opened.fd)
    os.pwrite(opened.fd, mark_of(name), 0)
    try:
        os.unlink(name, dir_fd=folder)
        os.ftruncate(opened.fd, 0)
    except OSError:  # the name stays, and what is measured overwrites the mark: a second one goes beside it
        opened.names, opened.folder = (name, name + MARK_ENDING), os.dup(folder)
        with contextlib.suppress(OSError):
            beside = _create(name + MARK_ENDING, folder)
            os.write(beside, mark_of(name))
            os.close(beside)
    return opened


def create(folder: Path) -> OpenFile:
    """Create a test file in a folder that was swept already; raise UsageError when the folder cannot be written."""
    return create_in(folder, swept=True)[0]


def _open_folder(folder: Path) -> int:
    try:
        return os.open(folder, os.O_RDONLY | os.O_DIRECTORY | O_CLOEXEC)
    except PermissionError:  # one that may be written and not be listed
        return os.open(folder, getattr(os, "O_PATH", 0) | os.O_DIRECTORY | O_CLOEXEC)


def create_in(folder: Path, *, swept: bool = False) -> tuple[OpenFile, tuple[int, int]]:
    """Create the test file in a folder; return it with the folder's device and inode.  Raises UsageError."""
    try:
        inside = _open_folder(folder)
        try:
            facts = os.fstat(inside)
            if not swept:
                sweep(inside)
            return _bypass_cache(_nameless(inside) or _named(inside)), (facts.st_dev, facts.st_ino)
        finally:
            os.close(inside)
    except OSError as error:
        raise UsageError(unwritable(folder, error)) from error


def unwritable(folder: Path, error: OSError) -> str:
    """Say in one line why nothing can be created in a folder, and what to do."""
    remedies = {
        errno.EROFS: "is on a file system mounted read-only; remount it for writing or choose another folder",
        errno.EACCES: "cannot be written by you; choose a folder on that drive that you may write to",
        errno.EPERM: "cannot be written by you; choose a folder on that drive that you may write to",
        errno.ENOSPC: "is on a full file system; make room or choose another folder",
        errno.EDQUOT: "is over your quota; make room or choose another folder",
    }
    return f"{folder} {remedies.get(error.errno or 0, f'cannot hold a test file: {error.strerror}')}"


def preallocate(fd: int, size: int) -> bool:
    """Give an open file its size without writing it (fallocate(2)); return whether the file system can."""
    fallocate = getattr(ctypes.CDLL(None, use_errno=True), "fallocate", None)
    if fallocate is None:
        return False
    fallocate.argtypes = (ctypes.c_int, ctypes.c_int, ctypes.c_int64, ctypes.c_int64)
    return bool(fallocate(fd, 0, 0, size) == 0)


def open_past_cache(path: Path, flags: int) -> OpenFile:
    """Open something that exists, past the cache where possible; raise OSError."""
    return _bypass_cache(OpenFile(os.open(path, flags | O_CLOEXEC), direct=False))


def open_existing(path: Path) -> OpenFile:
    """Open a file of the reviewer's for reading only; raise UsageError."""
    try:
        return open_past_cache(path, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0))  # a pipe would wait for its other end
    except OSError as error:
        raise UsageError(f"{path} cannot be read: {error.strerror}; check its name and permissions") from error


def sweep(folder: int) -> list[str]:
    """Remove test files that a killed run left in an open folder; return their names.  Those in use are left alone."""
    removed: list[str] = []
    with contextlib.suppress(OSError):
        names = set(os.listdir(folder))
        for name in sorted(n for n in names if OURS.fullmatch(n)):
            with contextlib.suppress(OSError):
                removed += _removed(name, folder, marked=name + MARK_ENDING in names)
        for name in sorted(n for n in names if OURS.fullmatch(n.removesuffix(MARK_ENDING)) and n.endswith(MARK_ENDING)):
            if name.removesuffix(MARK_ENDING) not in names:  # its file is gone
                with contextlib.suppress(OSError):
                    removed += _removed(name, folder)
    return removed


def _removed(name: str, folder: int, *, marked: bool = False) -> list[str]:
    """Remove one test file of ours that nobody has locked, with the mark beside it; return the paths removed."""
    fd = os.open(name, os.O_RDWR | O_NOFOLLOW | O_CLOEXEC | getattr(os, "O_NONBLOCK", 0), dir_fd=folder)
    try:
        beside = name + MARK_ENDING
        ours = _bears_mark(fd, name.removesuffix(MARK_ENDING)) or (marked and _marked_beside(beside, name, folder))
        if not ours or not try_lock(fd):
            return []
        gone = [name, beside] if marked else [name]
        for one in gone:
            os.unlink(one, dir_fd=folder)
        return gone
    finally:
        os.close(fd)


def _bears_mark(fd: int, name: str) -> bool:
    mark, facts = mark_of(name), os.fstat(fd)
    return stat.S_ISREG(facts.st_mode) and facts.st_size == len(mark) and os.pread(fd, len(mark), 0) == mark


def _marked_beside(beside: str, name: str, folder: int) -> bool:
    fd = os.open(beside, os.O_RDONLY | O_NOFOLLOW | O_CLOEXEC | getattr(os, "O_NONBLOCK", 0), dir_fd=folder)
    try:
        return _bears_mark(fd, name)
    finally:
        os.close(fd)
