"""A worker's slot in shared memory: how it starts with the others, reports, and is told to stop."""

from __future__ import annotations

import time
from dataclasses import field
from types import FrameType

from ulterion.core.records import dataclass

STOP, START, PAUSES, FIRST = 0, 1, 2, 3  # cells of the shared memory; then two for each child: its stage, bytes moved
READY, FLUSHING = 1, 2  # stages


class Flag:
    """A stop sign in shared memory, with the one method of an event that loops use."""

    def __init__(self, cells: memoryview[int]) -> None:
        self._cells = cells

    def is_set(self) -> bool:
        """Return whether the stop sign is up."""
        return bool(self._cells[STOP])

    def set(self) -> None:
        """Put the stop sign up for all children."""
        self._cells[STOP] = 1


@dataclass
class WorkerSlot:
    """A child's slot: its number, the stop sign, and its reports."""

    cells: memoryview[int]
    number: int
    stop: Flag = field(init=False)

    def __post_init__(self) -> None:
        self.stop = Flag(self.cells)

    def wait_for_start(self) -> int:
        """Say that this child is ready, wait for the others, and return the common start (`perf_counter_ns` clock)."""
        self.cells[FIRST + 2 * self.number] = READY
        while not (start := self.cells[START]):
            time.sleep(0.0002)
        while time.perf_counter_ns() < start:
            pass
        return int(start)

    @property
    def paused(self) -> bool:
        """Whether any child was stopped (Ctrl-Z) and continued since they began."""
        return bool(self.cells[PAUSES])

    def continued(self, number: int, frame: FrameType | None) -> None:
        """Take note that this child stood still (handler of SIGCONT)."""
        self.cells[PAUSES] += 1

    def flushing(self) -> None:
        """Say that a flush begins."""
        self.cells[FIRST + 2 * self.number] = FLUSHING

    def report(self, seconds: float, moved: int) -> None:
        """Report the bytes moved so far (a worker's tick)."""
        self.cells[FIRST + 2 * self.number + 1] = moved
