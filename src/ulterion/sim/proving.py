"""A proof of capacity on the simulated bench: units written and read in virtual time, on a memory that keeps places alone."""

from __future__ import annotations

from collections.abc import Callable

from ulterion.core.capacity import UNIT, Fault, Tally
from ulterion.core.workloads.workload import parse_workload
from ulterion.sim.memory import BAD, Memory
from ulterion.sim.target import SimTarget

WRITING, READING = (parse_workload(f"sequential {way} 4 MiB depth 4") for way in ("write", "read"))


class SimHand:
    """The hand of a proof (`ulterion.engine.capacity.proof.Hand`) on a simulated chain; `moved` hears of bytes, a second's at a time at most."""

    def __init__(self, chain: SimTarget, moved: Callable[[int], None]) -> None:
        medium = chain.chain[-1]
        self.chain, self._moved = chain, moved
        self.size = (medium.capacity or chain.span_bytes) // UNIT * UNIT
        bad = [(area.at, area.size) for area in medium.bad_areas]
        self.memory = Memory(self.size, medium.real_capacity, swallows=medium.swallows, bad=bad)

    def write(self, first: int, count: int) -> None:
        """Write units in a row."""
        self.chain.move(WRITING, first * UNIT, count * UNIT, self._moved)
        self.memory.write(first, count)

    def flush(self) -> None:
        """Let the time pass that a flush takes."""
        self.chain.rest(self.chain.state.truth(WRITING).flush)

    def check(self, first: int, count: int, tally: Tally) -> None:
        """Read units in a row and count what they hold."""
        self.chain.move(READING, first * UNIT, count * UNIT, self._moved)
        for one in self.memory.read(first, count):
            if one.owner == one.first:
                tally.add_sound(one.count)
            elif isinstance(one.owner, int):
                tally.add_wrong(one.first, one.count, "elsewhere", [one.owner - one.first])
            else:
                kind: Fault = "damaged" if one.owner == BAD else "nothing"
                tally.add_wrong(one.first, one.count, kind)

    def one(self, place: int) -> int | None:
        """Return the place whose unit is found at this place, or None where we did not write it."""
        self.chain.move(READING, place * UNIT, UNIT, self._moved)
        (there,) = self.memory.read(place, 1)
        return there.owner if isinstance(there.owner, int) else None

    def found(self, first: int, count: int) -> list[tuple[int, int]]:
        """Return (place, whose it is) of the units in a row that are ours and another place's."""
        self.chain.move(READING, first * UNIT, count * UNIT, self._moved)
        strange = [s for s in self.memory.read(first, count) if isinstance(s.owner, int) and s.owner != s.first]
        return [(s.first + i, int(s.owner or 0) + i) for s in strange for i in range(s.count)]
