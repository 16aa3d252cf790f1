"""The full proof, and the quick look.

The quick look finds a wrap-round of any size with few places: a beginning of W bytes is written whole, and behind it one unit at each multiple of W.
Is R the true size and p the first such multiple at or beyond it, then p - R is less than W: the unit written at p comes to lie in the beginning, where
it is found, and tells R (the small and the great steps of D. Shanks, 1971).  A unit that is swallowed does not come back from its own
place.  Between the two a stretch behind the beginning is written, so that what a device only keeps in its own memory for a while is driven out.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Protocol

import numpy as np

from ulterion.core.capacity import UNIT, Capacity, Tally, looked
from ulterion.core.errors import TargetFailed
from ulterion.core.records import dataclass
from ulterion.engine.capacity.blocks import Pattern, Words
from ulterion.engine.capacity.media import Medium
from ulterion.engine.requests.buffers import aligned

BLOCK = 2**22  # bytes written and read at a time
STEPS = 256  # places behind the beginning, of a quick look
MIN_BEGINNING, MAX_BEGINNING = 2**24, 2**32  # bytes
DRIVEN_OUT = 2**26  # bytes written to drive out what a device keeps in its memory


KNOWN_BY, KNOWN_AT_FIRST = 512, 64  # units that are read to know a medium again: all over, and at its beginning
TRIES = 2  # more readings of a piece that failed
PIECE = 2**16  # bytes; the least that an error of the medium is laid to


class Hand(Protocol):
    """Writes units that contain their position and checks them, on a real medium or the simulated bench.  All methods raise TargetFailed."""

    @property
    def size(self) -> int:
        """Bytes that the medium answers for."""

    def write(self, first: int, count: int) -> None:
        """Write units in a row."""

    def flush(self) -> None:
        """Force what was written onto the medium."""

    def check(self, first: int, count: int, tally: Tally) -> None:
        """Read units in a row and count what they hold."""

    def one(self, place: int) -> int | None:
        """Return the place whose unit is found at this place, or None where we did not write it."""

    def found(self, first: int, count: int) -> list[tuple[int, int]]:
        """Return (place, whose it is) of the units in a row that are ours and another place's."""


class Scribe:
    """Writes and reads units of a key on a medium, a block at a time; `moved` hears the bytes of each.

    A request that fails is a bad area of the medium as long as it still reads what was the last to be written or read well; where it does not
    the medium itself is gone, and the failure is raised.
    """

    def __init__(self, medium: Medium, key: int, moved: Callable[[int], None] = lambda count: None) -> None:
        self.medium, self.pattern, self._moved = medium, Pattern(key), moved
        self._memory = aligned(BLOCK)
        self._words: Words = np.frombuffer(self._memory, dtype=np.uint64).reshape(-1, UNIT // 8)
        self._probe, self._well = aligned(UNIT), 0

    @property
    def size(self) -> int:
        """Bytes that the medium answers for."""
        return self.medium.size

    def flush(self) -> None:
        """Force what was written onto the medium; raise TargetFailed."""
        self.medium.flush()

    def write(self, first: int, count: int) -> None:
        """Write units in a row; what a medium refuses in places is told by reading it back.  Raises TargetFailed where it is gone."""
        for start in range(first, first + count, len(self._words)):
            step = min(len(self._words), first + count - start)
            self._words[:step] = self.pattern.run(start, step)
            try:
                self.medium.write(start * UNIT, self._memory[: step * UNIT])
                self._well = start
            except TargetFailed as error:
                self._lives_or_raise(error)
            self._moved(step * UNIT)

    def _lives_or_raise(self, error: TargetFailed) -> None:
        """Raise the error unless the last good position still answers."""
        try:
            alive = self.medium.read(self._well * UNIT, self._probe) == UNIT
        except TargetFailed:
            alive = False
        if not alive:
            raise error

    def check(self, first: int, count: int, tally: Tally) -> None:
        """Read units in a row and count what they hold; what is not there is damaged.  Raises TargetFailed where the medium is gone."""
        for start in range(first, first + count, len(self._words)):
            step = min(len(self._words), first + count - start)
            self._check_block(start, step, tally)
            self._moved(step * UNIT)

    def _check_block(self, start: int, step: int, tally: Tally) -> None:
        """Count a block; one that cannot be read in halves of it, down to the least piece."""
        try:
            read = self.medium.read(start * UNIT, self._memory[: step * UNIT]) // UNIT
        except TargetFailed as error:
            self._lives_or_raise(error)
            before, again = tally.unreadable, tally.repeated
            if step * UNIT <= PIECE:
                self._check_again(start, step, tally)
            else:
                half = step // 2
                self._check_block(start, half, tally)
                self._check_block(start + half, step - half, tally)
            tally.repeated += tally.unreadable == before and tally.repeated == again
            return
        self._well = start
        self.pattern.judge(self._words[:read], start, tally)
        if read < step:
            tally.add_wrong(start + read, step - read, "damaged")

    def _check_again(self, start: int, step: int, tally: Tally) -> None:
        """Count the least piece, of which reading failed: it is a bad area where it fails again."""
        for _ in range(TRIES):
            try:
                read = self.medium.read(start * UNIT, self._memory[: step * UNIT]) // UNIT
            except TargetFailed as error:
                self._lives_or_raise(error)
                continue
            self.pattern.judge(self._words[:read], start, tally)
            if read < step:
                tally.add_wrong(start + read, step - read, "damaged")
            return
        tally.add_wrong(start, step, "unreadable")

    def one(self, place: int) -> int | None:
        """Return the place whose unit is found at this place, or None where we did not write it or it cannot be read."""
        try:
            if self.medium.read(place * UNIT, self._memory[:UNIT]) < UNIT:
                return None
        except TargetFailed as error:
            self._lives_or_raise(error)
            return None
        return self.pattern.place_in(self._words[0])

    def found(self, first: int, count: int) -> list[tuple[int, int]]:
        """Return (place, whose it is) of the units in a row that are ours and another place's."""
        strange = []
        for start in range(first, first + count, len(self._words)):
            step = min(len(self._words), first + count - start)
            words = self._words[: self._read_there_is(start, step)]
            for index in np.flatnonzero(
                (words[:, 0] == self.pattern.key) & (words[:, 1] != np.arange(start, start + len(words)))
            ):
                whose = self.pattern.place_in(words[index])
                if whose is not None:
                    strange.append((start + int(index), whose))
            self._moved(step * UNIT)
        return strange

    def _read_there_is(self, start: int, step: int) -> int:
        """Read a block and return its units, 0 where it cannot be read."""
        try:
            return self.medium.read(start * UNIT, self._memory[: step * UNIT]) // UNIT
        except TargetFailed as error:
            self._lives_or_raise(error)
            return 0


@dataclass(frozen=True)
class Recognised:
    """The result of checking the units that an earlier part of a proof wrote.

    Attributes:
        ours: places that hold a unit of the proof's key, whole.
        foreign: the first place that holds somebody else's data, None where none does.
    """

    ours: int
    foreign: int | None


def recognise(medium: Medium, key: int, written: int) -> Recognised:
    """Read some of the first `written` units, the beginning and all over; nothing is written.  Raises TargetFailed.

    The key is random and of one proof.  A place of another medium holds no unit of it, and a medium that was used since holds something else
    where its file system begins.
    """
    pattern, buffer = Pattern(key), aligned(UNIT)
    words: Words = np.frombuffer(buffer, dtype=np.uint64)
    spread = np.linspace(0, written - 1, min(written, KNOWN_BY)).astype(np.int64).tolist()
    ours, failed, places = 0, None, sorted({*range(min(written, KNOWN_AT_FIRST)), *spread})
    for place in places:
        try:
            if medium.read(place * UNIT, buffer) < UNIT:
                continue
        except TargetFailed as error:
            failed = error
            continue
        if pattern.place_in(words) is not None:
            ours += 1
        elif pattern.is_foreign(words, place):
            return Recognised(ours, place)
    if failed is not None and not ours:
        raise failed
    return Recognised(ours, None)


def quick_units(size: int) -> tuple[int, int]:
    """Return the units of the beginning of a quick look, and of all of a medium of so many bytes."""
    units = size // UNIT
    wanted = min(max(size // STEPS, MIN_BEGINNING), MAX_BEGINNING, size)
    return max(1, wanted // UNIT), units


def quick_look(scribe: Hand) -> Capacity:
    """Look at a medium that may be overwritten; raise TargetFailed.

    The beginning and one unit in each stretch of its length are overwritten.
    """
    beginning, units = quick_units(scribe.size)
    places = [*range(beginning, units, beginning), units - 1] if units > beginning else []
    scribe.write(0, beginning)
    scribe.flush()
    # the first beyond the true size last, so that no later one lies where it came to lie
    for place in reversed(places):
        scribe.write(place, 1)
    scribe.flush()
    driven = min(DRIVEN_OUT // UNIT, max(0, min(beginning, units - beginning - 1) - 1))
    if driven:
        scribe.write(beginning + 1, driven)
        scribe.flush()
    strange = scribe.found(0, beginning)
    later = [(whose - place) for place, whose in strange if whose > place]
    wraps_at = math.gcd(*later) if later else None
    tally = Tally()
    scribe.check(0, beginning, tally) if not later else None
    kept = [place for place in places if scribe.one(place) == place]
    lost = [place for place in places if place not in set(kept)]
    for place in lost:
        tally.add_wrong(place, 1, "nothing")
    lost_from = lost[0] if lost and not [k for k in kept if k > lost[0]] else None
    return looked(tally, scribe.size, beginning, wraps_at=wraps_at, lost_from=lost_from, driven=driven)


PLACES = 48  # that are compared at each distance
MIN_DISTANCE = 2**22  # bytes


def repeats(medium: Medium, seed: int, moved: Callable[[int], None] = lambda count: None) -> dict[int, tuple[int, int]]:
    """Compare what is on a medium with what is a power of two further on, reading alone; return (alike, compared) by distance in bytes.

    Only units that hold something, and not one word over and over, are compared.  Raises TargetFailed.
    """
    one, other = aligned(UNIT), aligned(UNIT)
    rng, found = np.random.Generator(np.random.SFC64(seed)), {}
    distance = MIN_DISTANCE
    while distance <= medium.size // 2:
        alike = seen = 0
        within = min(distance, medium.size - distance) // UNIT
        # where something is likely to be, the beginning, and all over
        places = [*range(min(PLACES // 2, within)), *(int(p) for p in rng.integers(0, within, PLACES))]
        for place in dict.fromkeys(places):
            if medium.read(place * UNIT, one) < UNIT or medium.read(place * UNIT + distance, other) < UNIT:
                continue
            moved(2 * UNIT)
            if np.unique(np.frombuffer(one, dtype=np.uint64)).size > 2:
                seen += 1
                alike += bytes(one) == bytes(other)
        found[distance] = (alike, seen)
        distance *= 2
    return found
