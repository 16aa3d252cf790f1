"""What can be tested, real or simulated: what every target has, and what only some have.

A drive has all of it.  A network has no heat to read, takes no soak, and shares a pass in a thread of its own.
"""

from __future__ import annotations

import datetime
from collections.abc import Callable, Sequence
from typing import NamedTuple, Protocol, runtime_checkable

from ulterion.core.errors import TargetFailed
from ulterion.core.facts.target import BenchFacts, TargetFacts
from ulterion.core.soak.warmth import Warmth
from ulterion.core.workloads.passes import EngineChoice, OnPrefill, PassResult, Tick
from ulterion.core.workloads.workload import Workload
from ulterion.engine.targets.load import FileSizes
from ulterion.model.review import Bench as BenchWords
from ulterion.run.targets.soak_sources import Bench, LoadSettings


class Identity(NamedTuple):
    """What a run is told by: the seed of its offsets and data, and its id."""

    seed: int
    id: str


class Target(Protocol):
    """A folder, a file, a device, or a chain of the simulated bench.  Times are seconds, sizes bytes."""

    @property
    def simulated(self) -> bool:
        """Whether it is on the simulated bench, where time is virtual."""

    @property
    def name(self) -> str:
        """What tells it from another: its path, or the setup's name on the simulated bench."""

    @property
    def span_bytes(self) -> int:
        """The stretch of the medium that is covered."""

    @property
    def cache_bypassed(self) -> bool:
        """Whether the operating system's cache is out of the way."""

    def make_ready(self, tell: Callable[[str], None], *, late: bool = False) -> None:
        """Prepare what measures, or do so while `prepare` lays the medium down (`late`); say in words what makes the reviewer wait."""

    def with_own_cost(self, bench: BenchFacts) -> BenchFacts:
        """Return the facts of the host with what a request costs us, which is known once all is ready."""

    def facts(self) -> TargetFacts:
        """Return what it is; raise UsageError when its name leads elsewhere by now."""

    def bench_facts(self, words: BenchWords) -> BenchFacts:
        """Return what host and room are, with what the review says of them."""

    def cautions(self, facts: TargetFacts, bench: BenchFacts) -> list[str]:
        """Return what a reviewer should know before believing a figure."""

    def started(self, ends: Sequence[datetime.datetime]) -> datetime.datetime:
        """Return when a run begins; `ends` are those of earlier simulated runs."""

    def seconds_since(self, started: datetime.datetime) -> float:
        """Return how long ago a run of this target began, on its clock."""

    def seed_and_id(self, seed: int | None, told: str) -> Identity:
        """Return the seed and the id of a run; on the simulated bench they follow from `told`."""

    def engine_of(self, workload: Workload) -> EngineChoice:
        """Return the way a workload's requests are issued, and why."""

    def check(self, workload: Workload) -> None:
        """Raise UsageError when the workload cannot be run here."""

    def prepare(self, seed: int, on_prefill: OnPrefill | None = None) -> None:
        """Make ready, for instance by laying the test file down."""

    def run_pass(self, workload: Workload, seed: int, tick: Tick | None = None) -> PassResult:
        """Run one pass; raise TargetFailed, or PassSpoiled when machine or program stood still."""

    def rest(self, seconds: float) -> None:
        """Let time pass."""

    def counters(self) -> dict[str, float]:
        """Return what the drive counts itself now; empty where it cannot be asked."""

    def is_gone(self) -> bool:
        """Return whether the device was pulled out."""

    def close(self) -> None:
        """Let go; may be called twice."""


@runtime_checkable
class HeatTarget(Target, Protocol):
    """A target whose heat can be read between passes."""

    def temperature(self) -> float | None:
        """Return the drive's temperature now, C, or None."""

    def warmth(self) -> Warmth:
        """Return what the drive says of its heat now."""


@runtime_checkable
class LoadTarget(Target, Protocol):
    """A target that takes a load for hours: what a soak needs."""

    def resumed_at(self, last: float, started: datetime.datetime) -> float:
        """Return when a soak that was cut off at `last` is taken up again, seconds since it began."""

    def check_files(self) -> None:
        """Raise UsageError when no files can be made here."""

    def make_room(
        self, workload: Workload, seed: int, files: FileSizes | None, on_prefill: OnPrefill | None = None
    ) -> None:
        """Make ready for a long load, without writing what it will write itself."""

    def bench(self, load: LoadSettings) -> Bench:
        """Return what the phases of a soak run on, its sensors being read."""


@runtime_checkable
class SharedTarget(Target, Protocol):
    """A target that runs a pass together with others of its kind."""

    def run_with(
        self, others: Sequence[Target], workloads: Sequence[Workload], seeds: Sequence[int], tick: Tick, stall: float
    ) -> list[PassResult | TargetFailed]:
        """Run one pass on this target and others of its kind at the same time; a failure stands in the place of its result.

        Raises PassSpoiled, and TargetFailed when none of them makes progress for `stall` seconds.
        """


def temperature_of(target: Target) -> float | None:
    """Return the drive's temperature now, C, or None where no sensor shows one."""
    return target.temperature() if isinstance(target, HeatTarget) else None


def warmth_of(target: Target) -> Warmth:
    """Return what the drive reports of its heat now; empty where it reports nothing."""
    return target.warmth() if isinstance(target, HeatTarget) else Warmth()
