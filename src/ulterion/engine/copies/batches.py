"""Jobs for the workers in pieces of a convenient size, and their progress."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import TypeVar

from ulterion.engine.copies.file_pool import JobRunner

FILES, BYTES = 64, 4 * 2**20  # that a worker takes at a time, at most
INTERVAL = 1.0  # seconds
Item = TypeVar("Item")


def batches(items: Iterable[Item], size_of: Callable[[Item], int]) -> Iterator[list[Item]]:
    """Yield items together until they are many or large; a large one so is alone."""
    batch: list[Item] = []
    size = 0
    for item in items:
        batch.append(item)
        size += size_of(item)
        if len(batch) >= FILES or size >= BYTES:
            yield batch
            batch, size = [], 0
    if batch:
        yield batch


class ProgressMeter:
    """Counts the bytes that workers move in each second from now on, and reports them; called again and again.

    What was written into the system's memory has not arrived.  Where a device counts what it writes (`written`, bytes so far), the
    lesser of both is told, and kept in `arrived`, which is empty without.
    """

    def __init__(
        self, pool: JobRunner, told: Callable[[float, int], None], written: Callable[[], int] | None = None
    ) -> None:
        self._workers, self._told, self._written = pool, told, written
        self._start, self._first, self._last, self._last_arrived = pool.now(), pool.moved, 0, 0
        self._first_written = written() if written is not None else 0
        self.intervals: list[int] = []
        self.arrived: list[int] = []

    def __call__(self) -> None:
        """Look at the progress."""
        now, moved, there = self.seconds, self.moved, self.there
        while now >= (len(self.intervals) + 1) * INTERVAL:
            self.intervals.append(moved - self._last)
            self._last = moved
            if self._written is not None:
                self.arrived.append(max(0, there - self._last_arrived))
                self._last_arrived = max(there, self._last_arrived)
        self._told(now, there)

    @property
    def there(self) -> int:
        """Bytes that have arrived since it began, as far as that is known; else those that were moved."""
        if self._written is None:
            return self.moved
        return min(self.moved, max(0, self._written() - self._first_written))

    @property
    def seconds(self) -> float:
        """Since it began."""
        return self._workers.now() - self._start

    @property
    def moved(self) -> int:
        """Bytes since it began."""
        return self._workers.moved - self._first

    def end(self) -> list[int]:
        """Return the bytes of each second, with what is left of the last."""
        rest = self.moved - self._last
        return [*self.intervals, rest] if rest else self.intervals
