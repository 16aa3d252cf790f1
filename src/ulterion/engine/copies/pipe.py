"""Reading a stretch of a file ahead of its use: one thread reads and sums, the caller takes the pieces."""

from __future__ import annotations

import contextlib
import os
import queue
import threading
from collections.abc import Callable

PIECE = 2**20  # bytes
AHEAD = 4  # pieces that are read before they are taken


def moved_by(
    source: int,
    start: int,
    end: int,
    summed: Callable[[memoryview], None],
    take: Callable[[int, memoryview], None],
) -> int:
    """Read a stretch of an open file, hand every piece to `summed` and, with its place, to `take`; return the bytes there were.

    Raises OSError of the reading, and whatever `take` raises.
    """
    full: queue.Queue[tuple[memoryview, memoryview] | None] = queue.Queue()
    empty: queue.Queue[memoryview | None] = queue.Queue()
    for _ in range(AHEAD):
        empty.put(memoryview(bytearray(PIECE)))
    failed: list[OSError] = []

    def read() -> None:
        place = start
        try:
            while place < end and (buffer := empty.get()) is not None:
                count = os.preadv(source, [buffer[: min(PIECE, end - place)]], place)
                if not count:
                    break
                piece = buffer[:count]
                summed(piece)
                full.put((buffer, piece))
                place += count
        except OSError as error:
            failed.append(error)
        full.put(None)

    with contextlib.suppress(OSError):
        os.posix_fadvise(source, start, end - start, os.POSIX_FADV_SEQUENTIAL)
    reader = threading.Thread(target=read, daemon=True)
    reader.start()
    place = start
    try:
        while (item := full.get()) is not None:
            buffer, piece = item
            take(place, piece)
            place += len(piece)
            empty.put(buffer)
    finally:
        empty.put(None)
        reader.join()
    if failed:
        raise failed[0]
    return place - start


SIP = 2**18  # bytes that are read to be summed at a time: they stay in the processor's own cache


class Summing:
    """A stretch of a file read and summed by a thread of its own, beside the kernel's copying of it.

    It is read, not mapped: a mapped file that becomes shorter, or cannot be read, would end the process.
    """

    def __init__(self, source: int, start: int, end: int, summed: Callable[[memoryview], None]) -> None:
        self._source, self._start, self._end, self._summed = source, start, end, summed
        self._failed: OSError | None = None
        self._done = 0
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._thread.start()

    def _run(self) -> None:
        buffer = memoryview(bytearray(SIP))
        try:
            while (place := self._start + self._done) < self._end:
                count = os.preadv(self._source, [buffer[: min(SIP, self._end - place)]], place)
                if not count:
                    return
                self._summed(buffer[:count])
                self._done += count
        except OSError as error:
            self._failed = error

    def end(self) -> int:
        """Wait for it; return the bytes there were.  Raises OSError where the file could not be read."""
        self._thread.join()
        if self._failed is not None:
            raise self._failed
        return self._done
