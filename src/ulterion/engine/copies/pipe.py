"""Reading a stretch of a file ahead of what is done with it: one thread reads and sums, the caller takes the pieces."""

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
