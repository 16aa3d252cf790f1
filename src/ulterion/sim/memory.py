"""What a simulated medium keeps of what is written to it: honest, wrapping round, swallowing, bad in places.

Nothing is stored but which place's unit came to lie where, in stretches: written in order, a memory of any size takes a few of them.
"""

from __future__ import annotations

import bisect
from collections.abc import Iterator, Sequence
from typing import Literal

from ulterion.core.capacity import UNIT
from ulterion.core.records import dataclass

BAD: Literal["bad"] = "bad"
Owner = int | Literal["bad"] | None
"""The place whose unit lies there; that none of ours does, or that it is a bad area."""


@dataclass(frozen=True)
class Stretch:
    """Units side by side, as the host counts them: what lies there is `owner`'s, the next one's in the next, ..."""

    first: int
    count: int
    owner: Owner


class Memory:
    """Units of 4 KiB that a medium answers for.

    Args:
        capacity: bytes it answers for.
        real: bytes that are there, None for all of them.
        swallows: whether what is written beyond is lost; else it wraps round.
        bad: (place, length) in bytes of areas that keep nothing as it was.
    """

    def __init__(
        self, capacity: int, real: int | None = None, *, swallows: bool = False, bad: Sequence[tuple[int, int]] = ()
    ) -> None:
        self.units = capacity // UNIT
        self.real = min(self.units, real // UNIT) if real else self.units
        self._swallows = swallows
        self._bad = sorted((at // UNIT, -(-(at + length) // UNIT)) for at, length in bad)
        self._kept: list[tuple[int, int, int]] = []  # (first, end, owner of the first), sorted, apart from each other

    def write(self, first: int, count: int) -> None:
        """Keep the units of so many places in a row."""
        for place, cell, length in self._cells(first, count):
            if cell is not None:
                self._put(cell, cell + length, place)

    def read(self, first: int, count: int) -> Iterator[Stretch]:
        """Yield what lies at so many places in a row."""
        for place, cell, length in self._cells(first, count):
            if cell is None:
                yield Stretch(place, length, None)
                continue
            for start, end, owner in self._within(cell, cell + length):
                yield Stretch(place + start - cell, end - start, owner)

    def _cells(self, first: int, count: int) -> Iterator[tuple[int, int | None, int]]:
        """Yield (place, cell where it really lies or None, length) of places in a row."""
        place, end = first, first + count
        while place < end:
            if place < self.real or not self._swallows:
                cell: int | None = place % self.real
                length = min(end - place, self.real - place % self.real)
            else:
                cell, length = None, end - place
            yield place, cell, length
            place += length

    def _put(self, start: int, end: int, owner: int) -> None:
        at = bisect.bisect_left(self._kept, (start, 0, 0))
        if at and self._kept[at - 1][1] > start:
            at -= 1
        old = at
        parts: list[tuple[int, int, int]] = []
        while old < len(self._kept) and self._kept[old][0] < end:
            first, last, whose = self._kept[old]
            if first < start:
                parts.append((first, start, whose))
            if last > end:
                parts.append((end, last, whose + end - first))
            old += 1
        self._kept[at:old] = _joined(sorted([*parts, (start, end, owner)]))
        self._join_before(at)

    def _join_before(self, at: int) -> None:
        if at and at < len(self._kept):
            self._kept[at - 1 : at + 1] = _joined(self._kept[at - 1 : at + 1])

    def _within(self, start: int, end: int) -> Iterator[tuple[int, int, Owner]]:
        """Yield (first cell, end, owner) of what lies in cells, the bad areas cut out."""
        place = start
        for first, last in [*((f, e) for f, e in self._bad if e > start and f < end), (end, end)]:
            yield from self._owned(place, min(first, end))
            if max(first, place) < min(last, end):
                yield max(first, place), min(last, end), BAD
            place = max(place, min(last, end))

    def _owned(self, start: int, end: int) -> Iterator[tuple[int, int, int | None]]:
        place = start
        at = max(0, bisect.bisect_left(self._kept, (start, 0, 0)) - 1)
        for first, last, whose in self._kept[at:]:
            if first >= end or place >= end:
                break
            if last <= place:
                continue
            if first > place:
                yield place, first, None
                place = first
            yield place, min(last, end), whose + place - first
            place = min(last, end)
        if place < end:
            yield place, end, None


def _joined(stretches: Sequence[tuple[int, int, int]]) -> list[tuple[int, int, int]]:
    """Return stretches, those that go on from the one before taken together."""
    joined: list[tuple[int, int, int]] = []
    for first, end, owner in stretches:
        if joined and joined[-1][1] == first and joined[-1][2] + first - joined[-1][0] == owner:
            joined[-1] = (joined[-1][0], end, joined[-1][2])
        else:
            joined.append((first, end, owner))
    return joined
