"""Files of a system with positional reads and writes (POSIX.1-2017, pread and pwrite)."""

from __future__ import annotations

import os
from collections.abc import Callable

from ulterion.engine.requests.plain_calls import read_at, write_at


class PosixFile:
    """An open file by its descriptor; `flush` and `preallocate` as the system has them (`MediumFile`)."""

    def __init__(
        self,
        fd: int,
        *,
        direct: bool,
        flush: Callable[[int], None],
        preallocate: Callable[[int, int], bool],
        close: Callable[[], None],
        sector: int = 512,
    ) -> None:
        self.fd, self.direct, self.sector = fd, direct, sector
        self._flush, self._set_aside, self._close = flush, preallocate, close

    def read(self, address: int, size: int, offset: int) -> int:
        """Read into memory; return the bytes moved."""
        return _moved(read_at(self.fd, address, size, offset))

    def write(self, address: int, size: int, offset: int) -> int:
        """Write from memory; return the bytes moved."""
        return _moved(write_at(self.fd, address, size, offset))

    def preallocate(self, size: int) -> bool:
        """Give the file its whole size without writing it, where the system can."""
        return self._set_aside(self.fd, size)

    def flush(self) -> None:
        """Put what was written on the medium."""
        self._flush(self.fd)

    def close(self) -> None:
        """Close it; may be called twice."""
        fd, self.fd = self.fd, -1
        if fd >= 0:
            self._close()


def _moved(result: int) -> int:
    if result < 0:
        raise OSError(-result, os.strerror(-result))
    return result
