"""A target of the simulated bench, in virtual time; it gives the same facts as a host."""

from __future__ import annotations

import datetime
import hashlib
from collections.abc import Callable, Sequence
from pathlib import Path

from ulterion.core.errors import TargetFailed, UsageError
from ulterion.core.facts.target import BenchFacts, TargetFacts
from ulterion.core.soak.trace import DRIVE
from ulterion.core.soak.warmth import Warmth
from ulterion.core.version import __version__
from ulterion.core.workloads.passes import EngineChoice, OnPrefill, PassResult, Tick
from ulterion.core.workloads.workload import Workload
from ulterion.engine.targets.load import FileSizes
from ulterion.model.review import Bench as BenchWords
from ulterion.model.runs.header import run_id
from ulterion.run.targets.protocol import Identity, Target
from ulterion.run.targets.simulated_state import leave, take_up
from ulterion.run.targets.soak_sources import Bench, LoadSettings, SimBenchSource
from ulterion.sim.bench import SimBench
from ulterion.sim.sharing import ways_shared
from ulterion.sim.target import SimTarget

SWAP_SECONDS = 120  # virtual time between two simulated runs: a hand changes the cables


def epoch_of(bench: SimBench) -> datetime.datetime:
    """Return when a bench's virtual time begins, in UTC."""
    return bench.bench.epoch.astimezone(datetime.UTC)


def free_from(bench: SimBench, ends: Sequence[datetime.datetime]) -> float:
    """Return when the bench is free for a next run after those that ended so, in seconds since its epoch."""
    last = max([epoch_of(bench), *ends])
    return (last - epoch_of(bench)).total_seconds() + SWAP_SECONDS


def clock(bench: SimBench, at: float) -> str:
    """Return the time of day on the bench, `at` seconds after its epoch, as 09:15."""
    return f"{bench.bench.epoch + datetime.timedelta(seconds=at):%H:%M}"


class SimulatedTarget:
    """A chain of the simulated bench.

    Attributes:
        chain: what plays it.
        bench_file: where it is described.
        waited: virtual seconds that were waited for it to be plugged in.
    """

    simulated = True
    cache_bypassed = True

    def __init__(self, chain: SimTarget, bench_file: Path, waited: float = 0.0) -> None:
        self.chain, self.bench_file, self.waited = chain, bench_file, waited

    @property
    def name(self) -> str:
        """The setup's name."""
        return self.chain.setup or self.chain.path

    @property
    def span_bytes(self) -> int:
        """The stretch of the medium that is covered."""
        return self.chain.span_bytes

    def make_ready(self, tell: Callable[[str], None], *, late: bool = False) -> None:
        """Nothing is timed here."""

    def with_own_cost(self, bench: BenchFacts) -> BenchFacts:
        """Return the facts as they are: there is no such cost."""
        return bench

    def facts(self) -> TargetFacts:
        """Return what the bench shows, as a survey of real hardware would."""
        return self.chain.facts()

    def bench_facts(self, words: BenchWords) -> BenchFacts:
        """Return the simulated host and room; nothing that varies between machines, so that runs can be repeated."""
        return self.chain.bench_facts({"ulterion": __version__})

    def cautions(self, facts: TargetFacts, bench: BenchFacts) -> list[str]:
        """Return nothing: a bench in virtual time has no system disk and no cache in between."""
        return []

    def started(self, ends: Sequence[datetime.datetime]) -> datetime.datetime:
        """Return when the last simulated run is over and cables were changed; raise UsageError when it is not plugged in."""
        bench, setup = self.chain.bench, self.chain.setup
        self.chain.began = free_from(bench, ends) + self.waited
        if not bench.plugged_in(setup, self.chain.began):
            raise UsageError(
                f"setup '{setup}' is not plugged in at {clock(bench, self.chain.began)} on the simulated bench; "
                "wait for it with --wait, or change the bench's events"
            )
        take_up(self.chain, self.bench_file)
        return epoch_of(bench) + datetime.timedelta(seconds=self.chain.began)

    def seconds_since(self, started: datetime.datetime) -> float:
        """Return the virtual seconds since the run began."""
        return self.chain.elapsed

    def resumed_at(self, last: float, started: datetime.datetime) -> float:
        """Return when cables were changed."""
        return last + SWAP_SECONDS

    def seed_and_id(self, seed: int | None, told: str) -> Identity:
        """Return seed and id as they follow from the bench's seed and what was told."""
        digest = hashlib.sha256(f"{self.chain.bench.bench.seed}/{told}".encode()).digest()
        drawn = int.from_bytes(digest[:4], "big") >> 1
        return Identity(drawn if seed is None else seed, run_id(digest[4:7]))

    def engine_of(self, workload: Workload) -> EngineChoice:
        """Return how requests are issued."""
        return self.chain.engine_of(workload)

    def check(self, workload: Workload) -> None:
        """Raise UsageError when the workload cannot be run here."""
        self.chain.check(workload)

    def check_files(self) -> None:
        """Files cost nothing here."""

    def prepare(self, seed: int, on_prefill: OnPrefill | None = None) -> None:
        """See whether the chain is recognised, and lay the test file down in virtual time."""
        self.chain.prepare(seed, on_prefill)

    def make_room(
        self, workload: Workload, seed: int, files: FileSizes | None, on_prefill: OnPrefill | None = None
    ) -> None:
        """See whether the chain is recognised."""
        self.chain.recognised()

    def run_pass(self, workload: Workload, seed: int, tick: Tick | None = None) -> PassResult:
        """Run one pass in virtual time."""
        return self.chain.run_pass(workload, seed, tick)

    def run_with(
        self, others: Sequence[Target], workloads: Sequence[Workload], seeds: Sequence[int], tick: Tick, stall: float
    ) -> list[PassResult | TargetFailed]:
        """Play one pass on several chains, that share ports and hubs."""
        chains = [self.chain, *(o.chain for o in others if isinstance(o, SimulatedTarget))]
        ended: list[PassResult | TargetFailed] = []
        with ways_shared(chains, workloads):
            for chain, workload, seed in zip(chains, workloads, seeds, strict=True):
                try:
                    ended.append(chain.run_pass(workload, seed, tick))
                except TargetFailed as error:
                    ended.append(error)
        return ended

    def temperature(self) -> float | None:
        """Return what the drive's own sensor shows now, C, or None where it has none."""
        return self.chain.state.sensors().get(DRIVE)

    def warmth(self) -> Warmth:
        """Return what the drive says of its heat now."""
        heat = self.chain.chain[-1].heat
        return Warmth(self.temperature(), heat.limit if heat else None, self.counters().get("throttled_seconds"))

    def rest(self, seconds: float) -> None:
        """Let virtual time pass."""
        self.chain.rest(seconds)

    def counters(self) -> dict[str, float]:
        """Return what the simulated drive counts."""
        return self.chain.counters()

    def bench(self, load: LoadSettings) -> Bench:
        """Return the bench of a soak."""
        return SimBenchSource(self.chain, load)

    def is_gone(self) -> bool:
        """Return False: a simulated fault says itself what happened."""
        return False

    def close(self) -> None:
        """Leave the medium as it is now to the next run."""
        if self.chain.elapsed:
            leave(self.chain, self.bench_file)
