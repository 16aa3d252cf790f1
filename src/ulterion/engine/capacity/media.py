"""The media of a capacity proof: a raw device, or files that fill the free room of a folder."""

from __future__ import annotations

import os
from typing import Protocol

from ulterion.core.errors import TargetFailed

PART = 2**30  # bytes of a file


class Medium(Protocol):
    """A medium of a known size, written and read at positions that are multiples of 4 KiB."""

    size: int

    def write(self, place: int, data: memoryview) -> None:
        """Write all of it; raise TargetFailed."""

    def read(self, place: int, into: memoryview) -> int:
        """Read; return the bytes there were.  Raises TargetFailed."""

    def flush(self) -> None:
        """Force everything onto the medium; raise TargetFailed."""


class DeviceMedium:
    """An open device."""

    def __init__(self, fd: int, size: int) -> None:
        self.fd, self.size = fd, size

    def write(self, place: int, data: memoryview) -> None:
        """Write all of it."""
        done = 0
        try:
            while done < len(data):
                done += os.pwrite(self.fd, data[done:], place + done)
        except OSError as error:
            raise TargetFailed.of_request(error, place + done, done) from error

    def read(self, place: int, into: memoryview) -> int:
        """Read all that is there."""
        done = 0
        try:
            while done < len(into):
                step = os.preadv(self.fd, [into[done:]], place + done)
                if not step:
                    break
                done += step
        except OSError as error:
            raise TargetFailed.of_request(error, place + done, done) from error
        return done

    def flush(self) -> None:
        """Force everything onto the medium."""
        try:
            os.fsync(self.fd)
        except OSError as error:
            raise TargetFailed(f"the flush failed: {error.strerror}", code=error.errno) from error


class FilesMedium:
    """Files of 1 GiB in a folder of ours, opened past the cache where the file system can; places run through all of them."""

    def __init__(self, folder: bytes, size: int) -> None:
        self._folder, self.size = folder, size
        self._fds: dict[int, int] = {}
        self.direct = True

    def bypasses(self) -> bool:
        """Return whether its files are opened past the cache; makes the first."""
        self._opened(0)
        return self.direct

    def _fd(self, number: int) -> int:
        fd = self._fds.get(number)
        if fd is None:
            path = b"%b/part%05d" % (self._folder, number)
            how = os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC
            try:
                fd = os.open(path, how | getattr(os, "O_DIRECT", 0), 0o600)
            except OSError:
                self.direct = False
                fd = os.open(path, how, 0o600)
            if len(self._fds) >= MAX_OPEN:
                os.close(self._fds.pop(next(iter(self._fds))))
            self._fds[number] = fd
        return fd

    def _pieces(self, place: int, length: int) -> list[tuple[int, int, int, int]]:
        """Return (file, place in it, start, end) of the parts that a stretch lies in."""
        pieces, done = [], 0
        while done < length:
            number, inside = divmod(place + done, PART)
            step = min(length - done, PART - inside)
            pieces.append((number, inside, done, done + step))
            done += step
        return pieces

    def write(self, place: int, data: memoryview) -> None:
        """Write all of it."""
        for number, inside, start, end in self._pieces(place, len(data)):
            DeviceMedium(self._opened(number), PART).write(inside, data[start:end])

    def read(self, place: int, into: memoryview) -> int:
        """Read all that is there."""
        done = 0
        for number, inside, start, end in self._pieces(place, len(into)):
            fd = self._opened(number)
            if not self.direct:
                os.posix_fadvise(fd, inside, end - start, os.POSIX_FADV_DONTNEED)
            step = DeviceMedium(fd, PART).read(inside, into[start:end])
            done += step
            if step < end - start:
                break
        return done

    def _opened(self, number: int) -> int:
        try:
            return self._fd(number)
        except OSError as error:
            raise TargetFailed(f"part {number} cannot be opened: {error.strerror}", code=error.errno) from error

    def flush(self) -> None:
        """Force everything onto the medium."""
        for fd in self._fds.values():
            DeviceMedium(fd, PART).flush()
        if hasattr(os, "sync") and len(self._fds) >= MAX_OPEN:
            os.sync()


MAX_OPEN = 64
