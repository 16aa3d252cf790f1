"""What a memory gave back of what was written all over it, and what that says of its size.

Everything is counted in units of 4 KiB, each of which bears its own place.  A memory of R units that answers for more keeps a unit written
at place p at p mod R (it wraps), or nowhere (it swallows).  Where a place p gives back what was written for a later place q, R divides
q - p: R is the greatest common divisor of all such distances.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import field, replace
from typing import Literal

from ulterion.core.records import dataclass
from ulterion.core.units import show_block, show_percent, show_size_both

UNIT = 4096  # bytes
MAX_STRETCHES = 1000  # of places that were wrong
Finding = Literal["whole", "wraps", "swallows", "bad areas", "stopped", "suspected", "unproven"]
"""The last two come of reading alone."""
Fault = Literal["elsewhere", "nothing", "damaged", "unreadable"]
KINDS: tuple[Fault, ...] = ("elsewhere", "nothing", "damaged", "unreadable")


@dataclass
class Tally:
    """What was read back: units that were as they should be, and of which kind the others were.

    Attributes:
        sound: units.
        elsewhere: units that held what was written for another place; `nothing` those that held zeros; `damaged` others;
            `unreadable` those that the medium gave an error for.
        repeated: reads that failed at first, and gave everything when they were repeated.
        distance: the greatest common divisor of the distances to where they were written, 0 for none.
        stretches: (first, count, kind) of units that were wrong, side by side, the first thousand.
    """

    sound: int = 0
    elsewhere: int = 0
    nothing: int = 0
    damaged: int = 0
    unreadable: int = 0
    repeated: int = 0
    distance: int = 0
    stretches: list[tuple[int, int, Fault]] = field(default_factory=list)

    def add_sound(self, count: int) -> None:
        """Count units that are as they should be."""
        self.sound += count

    def add_wrong(self, first: int, count: int, kind: Fault, distances: Sequence[int] = ()) -> None:
        """Count adjacent units with the same fault.  `distances` says how far off each was written, if known."""
        setattr(self, kind, getattr(self, kind) + count)
        for distance in distances:
            self.distance = math.gcd(self.distance, abs(distance))
        last = self.stretches[-1] if self.stretches else None
        if last is not None and last[2] == kind and last[0] + last[1] == first:
            self.stretches[-1] = (last[0], last[1] + count, kind)
        elif len(self.stretches) < MAX_STRETCHES:
            self.stretches.append((first, count, kind))

    def merge(self, other: Tally) -> None:
        """Take in what was read further on."""
        self.sound += other.sound
        self.repeated += other.repeated
        for first, count, kind in other.stretches:
            self.add_wrong(first, count, kind, [other.distance] if kind == "elsewhere" else [])
        for kind in KINDS:  # what the other told no stretches of
            told = sum(count for _, count, what in other.stretches if what == kind)
            setattr(self, kind, getattr(self, kind) + getattr(other, kind) - told)

    @property
    def wrong(self) -> int:
        """Units that were wrong."""
        return sum(getattr(self, kind) for kind in KINDS)


@dataclass(frozen=True)
class Capacity:
    """What a memory turned out to be.

    Attributes:
        finding: 'whole'; it 'wraps' or 'swallows' what is beyond its true size; 'bad areas' inside it; or the look was 'stopped'.
        real: bytes that are really there, as far as the look tells; None where it does not tell.
        claimed: bytes that it answers for.
        words: the finding in a sentence.
    """

    finding: Finding
    real: int | None
    claimed: int
    words: str

    @property
    def lost(self) -> int:
        """Bytes that are not there."""
        return 0 if self.real is None else self.claimed - self.real


def proven(tally: Tally, claimed: int, units: int, *, where: str = "it") -> Capacity:
    """Return what reading everything back says, of `units` that were written on a memory of `claimed` bytes."""
    found = _proven(tally, claimed, units, where)
    if not tally.repeated:
        return found
    reads = "1 read" if tally.repeated == 1 else f"{tally.repeated} reads"
    return replace(found, words=f"{found.words}; {reads} failed at first and worked when retried")


def _proven(tally: Tally, claimed: int, units: int, where: str) -> Capacity:
    if tally.wrong == 0:
        left = claimed - units * UNIT
        rest = f"; {show_size_both(left)} not checked" if left >= UNIT else ""
        return Capacity(
            "whole",
            claimed - left,
            claimed,
            f"{show_size_both(units * UNIT)} written and read back intact: the capacity is real{rest}",
        )
    real = tally.sound * UNIT
    if tally.elsewhere > tally.wrong / 2 and tally.distance >= tally.sound:
        size = min(real, tally.distance * UNIT)  # bad areas leave fewer sound than there are
        return Capacity(
            "wraps",
            size,
            claimed,
            f"{where} is fake: only {show_size_both(size)} is real; writing past it overwrites the beginning",
        )
    if _all_at_the_end(tally, units):
        return Capacity(
            "swallows",
            real,
            claimed,
            f"{where} holds only {show_size_both(real)}: anything written beyond that is lost",
        )
    lost = tally.wrong * UNIT
    if tally.elsewhere > tally.wrong / 2:
        return Capacity(
            "bad areas",
            real,
            claimed,
            f"{show_size_both(real)} came back intact; {show_size_both(tally.elsewhere * UNIT)} returned what was written to other places, "
            "at no fixed distance: memory addresses are mirrored or crossed",
        )
    return Capacity(
        "bad areas",
        real,
        claimed,
        f"{show_size_both(lost)} in {len(tally.stretches)} places came back wrong",
    )


def _all_at_the_end(tally: Tally, units: int) -> bool:
    """Return whether the wrong units are one stretch at the end, or nearly all of it."""
    first = tally.stretches[0][0] if tally.stretches else units
    return tally.wrong >= 0.98 * (units - first) and units - first > 0


def looked(
    tally: Tally, claimed: int, filled: int, wraps_at: int | None, lost_from: int | None, *, driven: int = 0
) -> Capacity:
    """Return what a quick look says: a beginning of `filled` units written whole, single units over the rest.

    `wraps_at` is the size at which a unit of the rest came to lie in the beginning, `lost_from` the first place from which on all units of
    the rest were lost; `driven` how many were written after those; all in units.
    """
    if wraps_at is not None:
        size = wraps_at * UNIT
        return Capacity(
            "wraps",
            size,
            claimed,
            f"fake: only {show_size_both(size)} is real; writing past it overwrites the beginning",
        )
    if lost_from is not None:
        size = lost_from * UNIT
        return Capacity(
            "swallows",
            size,
            claimed,
            f"anything written beyond about {show_size_both(size)} is lost; the full proof finds the exact place",
        )
    if tally.wrong:
        return Capacity(
            "bad areas",
            None,
            claimed,
            f"{tally.wrong} of the places checked came back wrong; the full proof counts them all",
        )
    part = filled * UNIT / claimed
    rest = f"it checked the first {show_percent(part)} in full and only samples of the rest, so bad areas in between are possible"
    kept = (
        f"unless it buffers more than {show_block(driven * UNIT)} of the last writes"
        if driven
        else "unless it buffers the last writes"
    )
    words = f"a quick look found nothing wrong up to {show_size_both(claimed)}, {kept}; {rest}"
    return Capacity("whole", None, claimed, words)


ENOUGH, ALIKE = 8, 0.9  # units that hold something, from which on, and share of them that are alike, a repeat is told


def only_read(claimed: int, repeats: dict[int, tuple[int, int]]) -> Capacity:
    """Return what reading alone says: (units alike, units compared) by the distance in bytes at which they were compared."""
    told = {d: (alike, seen) for d, (alike, seen) in repeats.items() if seen >= ENOUGH and alike >= ALIKE * seen}
    if told:
        distance = min(told)
        alike, seen = told[distance]
        words = f"{alike} of {seen} places hold the same data as {show_size_both(distance)} further on, as on a medium of that size that wraps round; only writing to it proves it"
        return Capacity("suspected", distance, claimed, words)
    compared = max((seen for _, seen in repeats.values()), default=0)
    what = "no data repeats at a power-of-two distance" if compared >= ENOUGH else "it holds too little data to tell"
    return Capacity(
        "unproven",
        None,
        claimed,
        f"only read: {what}; proving the capacity means writing to it: name its serial number with --overwrite SERIAL",
    )
