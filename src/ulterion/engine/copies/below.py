"""Folders below one of ours, opened step by step and never through a link.

On a file system that takes two names for one, a link that was copied can stand where a folder is to be.  Whoever follows it
writes outside the copy.
"""

from __future__ import annotations

import errno
import os
from types import TracebackType

FOLDER = os.O_RDONLY | getattr(os, "O_DIRECTORY", 0) | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_CLOEXEC", 0)
TOP = FOLDER & ~getattr(os, "O_NOFOLLOW", 0)


DEEP = 100  # folders on a way that stay open; those between them and the last are opened anew


class Below:
    """The folders below a top; those on the way to the last stay open, for files come folder by folder."""

    def __init__(self, top: bytes) -> None:
        """Open the top, which may be named by a link; raise OSError."""
        self._top = os.open(top, TOP)
        self._open: list[tuple[bytes, int]] = []

    def folder(self, path: bytes) -> int:
        """Return a descriptor of the folder at a path below the top, b'' for the top itself; raise OSError.

        It is good until the next call.  ELOOP or ENOTDIR: a link, or no folder, is in the way.
        """
        names = path.split(b"/") if path else []
        kept = 0
        while kept < min(len(names), len(self._open)) and self._open[kept][0] == names[kept]:
            kept += 1
        while kept and self._open[kept - 1][1] < 0:
            kept -= 1
        self._leave(kept)
        for name in names[kept:]:
            if name in (b"", b".", b".."):
                raise OSError(errno.EINVAL, os.strerror(errno.EINVAL))
            self._enter(name)
        return self._here

    def is_still(self, top: bytes) -> bool:
        """Return whether a path still leads to the folder that was opened as the top."""
        try:
            return os.path.samestat(os.stat(top), os.fstat(self._top))
        except OSError:
            return False

    def of_file(self, path: bytes) -> tuple[int, bytes]:
        """Return a descriptor of the folder that a file lies in, and the file's bare name; raise OSError."""
        parent, _, name = path.rpartition(b"/")
        return self.folder(parent), name

    @property
    def _here(self) -> int:
        return self._open[-1][1] if self._open else self._top

    def _enter(self, name: bytes) -> None:
        fd = os.open(name, FOLDER, dir_fd=self._here)
        if len(self._open) > DEEP:
            os.close(self._here)
            self._open[-1] = (self._open[-1][0], -1)
        self._open.append((name, fd))

    def _leave(self, count: int) -> None:
        while len(self._open) > count:
            _, fd = self._open.pop()
            if fd >= 0:
                os.close(fd)

    def close(self) -> None:
        """Close all of them."""
        self._leave(0)
        os.close(self._top)

    def __enter__(self) -> Below:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()
