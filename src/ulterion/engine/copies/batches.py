"""Work for the workers in handy pieces, and how far it is."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import TypeVar

from ulterion.engine.copies.crew import Does

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


class Pulse:
    """Bytes that a crew moved in each second from now on, and whoever is told of them; called again and again."""

    def __init__(self, crew: Does, told: Callable[[float, int], None]) -> None:
        self._crew, self._told = crew, told
        self._start, self._first, self._last = crew.now(), crew.moved, 0
        self.intervals: list[int] = []

    def __call__(self) -> None:
        """Look how far it is."""
        now, moved = self.seconds, self.moved
        while now >= (len(self.intervals) + 1) * INTERVAL:
            self.intervals.append(moved - self._last)
            self._last = moved
        self._told(now, moved)

    @property
    def seconds(self) -> float:
        """Since it began."""
        return self._crew.now() - self._start

    @property
    def moved(self) -> int:
        """Bytes since it began."""
        return self._crew.moved - self._first

    def end(self) -> list[int]:
        """Return the bytes of each second, with what is left of the last."""
        rest = self.moved - self._last
        return [*self.intervals, rest] if rest else self.intervals
