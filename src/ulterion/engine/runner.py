"""Taking a target through a suite: rounds of passes, with an observer told of each step."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from ulterion.core.passes import Laid, PassResult, Tick
from ulterion.core.workload import Workload


class Target(Protocol):
    """Anything passes can be run on: a folder, a file, a simulated chain."""

    span_bytes: int

    def prepare(self, seed: int, laid: Laid | None = None) -> None:
        """Make ready, for instance by laying the test file down."""

    def run_pass(self, workload: Workload, seed: int, tick: Tick | None = None) -> PassResult:
        """Run one pass."""


class Observer:
    """What a run tells as it goes.  Every method may be left as it is."""

    def laying(self, done: int, total: int) -> None:
        """`done` of `total` bytes of the test file are on the medium."""

    def begin(self, index: int, workload: Workload, number: int) -> None:
        """Pass `number` (from 1) of the workload at `index` begins."""

    def tick(self, seconds: float, moved: int) -> None:
        """The pass has run for `seconds` and moved `moved` bytes."""

    def end(self, index: int, workload: Workload, number: int, result: PassResult) -> None:
        """The pass is over."""


@dataclass(frozen=True)
class Schedule:
    """What to run: settled workloads, how many passes of each, and the seed of offsets and data."""

    workloads: Sequence[Workload]
    passes: int
    seed: int


def pass_seed(seed: int, index: int, number: int) -> int:
    """Return the seed of one pass, so that no two passes of a run share offsets or data."""
    return (seed * 1_000_003 + index) * 1_000_003 + number


def run(target: Target, schedule: Schedule, observer: Observer) -> None:
    """Run the schedule in rounds: pass 1 of every workload, then pass 2 of every workload, and so on.

    Rounds spread a drift (a warming drive, a filling cache) over all workloads alike, and leave whole rounds behind
    when a run is stopped early.  Raises TargetFailed from the target; finished passes have been told to the observer.
    """
    target.prepare(pass_seed(schedule.seed, 0, 0), observer.laying)
    for number in range(1, schedule.passes + 1):
        for index, workload in enumerate(schedule.workloads):
            observer.begin(index, workload, number)
            result = target.run_pass(workload, pass_seed(schedule.seed, index, number), observer.tick)
            observer.end(index, workload, number, result)
