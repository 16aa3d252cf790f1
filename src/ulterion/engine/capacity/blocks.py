"""Blocks that contain their own position, so that each is recognised wherever it turns up."""

from __future__ import annotations

import itertools

import numpy as np
import numpy.typing as npt

from ulterion.core.capacity import UNIT, Fault, Tally

WORDS = UNIT // 8
MIX = np.uint64(0x9E3779B97F4A7C15)  # the golden ratio in 64 bits (D. E. Knuth, The Art of Computer Programming 3, 6.4)
Words = npt.NDArray[np.uint64]


class Pattern:
    """The units of one key: word 0 is the key, word 1 the place, the others a random row turned by the place, so that nothing compresses."""

    def __init__(self, key: int) -> None:
        self.key = np.uint64(key)
        self._row = np.random.Generator(np.random.SFC64(key)).integers(0, 2**64, WORDS, dtype=np.uint64)

    def of(self, places: npt.NDArray[np.uint64]) -> Words:
        """Return the units of these places, a row each."""
        units = self._row ^ ((places + np.uint64(1)) * MIX)[:, None]
        units[:, 0], units[:, 1] = self.key, places
        return units

    def run(self, first: int, count: int) -> Words:
        """Return the units of so many places in a row."""
        return self.of(np.arange(first, first + count, dtype=np.uint64))

    def judge(self, read: Words, first: int, tally: Tally) -> None:
        """Count what was read at so many places in a row."""
        wanted = np.arange(first, first + len(read), dtype=np.uint64)
        sound = (read == self.of(wanted)).all(axis=1)
        if sound.all():
            tally.add_sound(len(read))
            return
        tally.add_sound(int(sound.sum()))
        kinds = self._kinds(read, sound)
        for kind, group in itertools.groupby(range(len(read)), key=lambda i: kinds[i]):
            if kind is None:
                continue
            run = list(group)
            far = [int(read[i, 1]) - (first + i) for i in run] if kind == "elsewhere" else []
            tally.add_wrong(first + run[0], len(run), kind, far)

    def _kinds(self, read: Words, sound: npt.NDArray[np.bool_]) -> list[Fault | None]:
        ours = read[:, 0] == self.key
        whole = np.zeros(len(read), dtype=bool)
        if ours.any():
            whole[ours] = (read[ours] == self.of(read[ours, 1])).all(axis=1)
        zeros = np.logical_not(read.any(axis=1))
        return [
            None if s else "elsewhere" if w else "nothing" if z else "damaged"
            for s, w, z in zip(sound.tolist(), whole.tolist(), zeros.tolist(), strict=True)
        ]

    def is_foreign(self, unit: Words, place: int) -> bool:
        """Return whether what lies at a place was written by somebody else: no unit of this key, damaged or not, and not blank."""
        blank = bool((unit == unit[0]).all())
        damaged = int((unit == self.of(np.array([place], dtype=np.uint64))[0]).sum()) >= WORDS // 2
        return not (blank or damaged or unit[0] == self.key)

    def place_in(self, unit: Words) -> int | None:
        """Return the place written in a unit, or None where we did not write it."""
        if unit[0] != self.key or not (unit == self.of(unit[1:2])[0]).all():
            return None
        return int(unit[1])
