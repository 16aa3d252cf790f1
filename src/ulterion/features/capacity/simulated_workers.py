"""Workers of the simulated bench: they do the jobs of a proof of capacity in virtual time, at once."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from ulterion.core.capacity import Capacity, Tally
from ulterion.engine.capacity.proof import Recognised, quick_look
from ulterion.engine.copies.file_pool import Done, FileJob
from ulterion.sim.proving import SimHand
from ulterion.sim.target import SimTarget


class SimulatedPool:
    """Stands in for `ulterion.engine.copies.file_pool.FilePool` on a simulated chain; `moved` is in bytes."""

    def __init__(self, chain: SimTarget) -> None:
        self.moved = 0
        self._chain = chain
        self._watch: Callable[[], None] = lambda: None
        self._hand = SimHand(chain, self._heard)

    def _heard(self, count: int) -> None:
        self.moved += count
        self._watch()

    def now(self) -> float:
        """Return the virtual time."""
        return self._chain.elapsed

    def __enter__(self) -> SimulatedPool:
        return self

    def __exit__(self, *_: object) -> None:
        """There are no workers to end."""

    def run(self, work: Iterator[FileJob], watch: Callable[[], None] = lambda: None) -> Done:
        """Do jobs one after the other; raise TargetFailed at a fault of the bench."""
        self._watch = watch
        for name, given in work:
            yield (name, given), getattr(self, f"_{name}")(given)
            self._watch()

    def _medium(self, given: tuple[object, int, int, int]) -> bool:
        """Open the medium, with the units on it that an earlier part of the proof wrote."""
        self._hand.memory.write(0, given[3])
        return True

    def _recognise(self, given: tuple[object, int, int, int]) -> Recognised:
        """The bench knows its parts by their names; another medium cannot be put in the place of one."""
        return Recognised(given[3], None)

    def _write_units(self, given: tuple[int, int]) -> int:
        self._hand.write(*given)
        return given[1]

    def _flush_medium(self, given: object) -> None:
        self._hand.flush()

    def _read_units(self, given: tuple[int, int]) -> Tally:
        tally = Tally()
        self._hand.check(*given, tally)
        return tally

    def _quick_check(self, given: object) -> Capacity:
        return quick_look(self._hand)
