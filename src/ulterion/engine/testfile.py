"""The test file: ours alone, without a name where that can be had, and gone on every way out.

A file created without a name cannot be left behind, whatever kills the program.  Where a file system offers none, the
file is created exclusively, never through a link, and its name removed at once.  Where even that cannot be done the
file keeps its name and an advisory lock while in use; the next start removes what no living process locks.
"""

from __future__ import annotations

import contextlib
import errno
import os
import secrets
from dataclasses import dataclass
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.model.lock import try_lock

PREFIX = ".ulterion-test-"
NO_NAMELESS = (errno.EISDIR, errno.EOPNOTSUPP, errno.ENOENT, errno.EINVAL)
O_DIRECT = getattr(os, "O_DIRECT", 0)


@dataclass
class OpenFile:
    """An open file under test.

    Attributes:
        fd: descriptor, to be closed by `close`.
        direct: whether the operating system's cache is bypassed.
        leftover: the path to remove on closing, or None when the file has no name any more.
    """

    fd: int
    direct: bool
    leftover: Path | None = None

    def close(self) -> None:
        """Close the file and remove its name if it still has one; may be called twice."""
        fd, self.fd = self.fd, -1
        if self.leftover is not None:
            with contextlib.suppress(OSError):
                self.leftover.unlink()
            self.leftover = None
        if fd >= 0:
            with contextlib.suppress(OSError):
                os.close(fd)


def _open(path: Path, flags: int) -> OpenFile:
    return OpenFile(os.open(path, flags | os.O_CLOEXEC, 0o600), direct=False)


def _bypass_cache(opened: OpenFile) -> OpenFile:
    """Ask for transfers past the system's cache; `direct` tells whether the file system granted it.

    Asked for after opening, because an open that is refused for it may already have made the name.
    """
    if O_DIRECT:
        import fcntl

        with contextlib.suppress(OSError):
            fcntl.fcntl(opened.fd, fcntl.F_SETFL, fcntl.fcntl(opened.fd, fcntl.F_GETFL) | O_DIRECT)
            opened.direct = True
    return opened


def _nameless(folder: Path) -> OpenFile | None:
    tmpfile = getattr(os, "O_TMPFILE", 0)
    if not tmpfile:
        return None
    try:
        return _open(folder, tmpfile | os.O_RDWR | os.O_EXCL)
    except OSError as error:
        if error.errno in NO_NAMELESS:
            return None
        raise


def _named(folder: Path) -> OpenFile:
    path = folder / f"{PREFIX}{os.getpid()}-{secrets.token_hex(4)}"
    flags = os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW
    opened = _open(path, flags)
    opened.leftover = path
    try_lock(opened.fd)
    with contextlib.suppress(OSError):
        path.unlink()
        opened.leftover = None
    return opened


def create(folder: Path) -> OpenFile:
    """Create the test file in a folder; raise UsageError when the folder cannot be written."""
    sweep(folder)
    try:
        return _bypass_cache(_nameless(folder) or _named(folder))
    except OSError as error:
        raise UsageError(unwritable(folder, error)) from error


def unwritable(folder: Path, error: OSError) -> str:
    """Say in one line why nothing can be created in a folder, and what to do."""
    remedies = {
        errno.EROFS: "is on a file system mounted read-only; remount it for writing or choose another folder",
        errno.EACCES: "cannot be written by you; choose a folder of yours on that drive",
        errno.EPERM: "cannot be written by you; choose a folder of yours on that drive",
        errno.ENOSPC: "is on a full file system; make room or choose another folder",
        errno.EDQUOT: "is over your quota; make room or choose another folder",
    }
    return f"{folder} {remedies.get(error.errno or 0, f'cannot hold a test file: {error.strerror}')}"


def open_past_cache(path: Path, flags: int) -> OpenFile:
    """Open something that exists, past the cache where that can be had; raise OSError."""
    return _bypass_cache(_open(path, flags))


def open_existing(path: Path) -> OpenFile:
    """Open a file of the reviewer's for reading only; raise UsageError."""
    try:
        return open_past_cache(path, os.O_RDONLY)
    except OSError as error:
        raise UsageError(f"{path} cannot be read: {error.strerror}; check its name and permissions") from error


def sweep(folder: Path) -> list[Path]:
    """Remove test files that a killed run left in a folder; return their paths.  Those in use are left alone."""
    removed = []
    with contextlib.suppress(OSError):
        for path in folder.glob(f"{PREFIX}*-*"):
            with contextlib.suppress(OSError):
                fd = os.open(path, os.O_RDWR | os.O_NOFOLLOW | os.O_CLOEXEC)
                try:
                    if try_lock(fd):
                        path.unlink()
                        removed.append(path)
                finally:
                    os.close(fd)
    return removed
