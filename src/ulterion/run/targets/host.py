"""A target of this machine: the engine moves its bytes, the host says what it is."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from importlib.util import find_spec
from typing import TYPE_CHECKING

from ulterion.core.errors import TargetFailed, UsageError
from ulterion.core.facts.target import BenchFacts, TargetFacts
from ulterion.core.soak.warmth import Warmth
from ulterion.core.units import show_block
from ulterion.core.version import __version__
from ulterion.core.workloads.passes import EngineChoice, OnPrefill, PassResult, Tick
from ulterion.core.workloads.workload import Workload, on_drive
from ulterion.engine.requests import code_cache
from ulterion.engine.targets.base import RealTarget, refuse_spoiled, seconds_asleep
from ulterion.engine.targets.load import FileSizes
from ulterion.engine.workers import worker_pool
from ulterion.engine.workers.worker_results import WorkerResult, join
from ulterion.host import drives, sensors, stacks
from ulterion.host import facts as host
from ulterion.host.here import facts_of, facts_of_device, facts_of_machine
from ulterion.model.review import Bench as BenchWords
from ulterion.model.systems import System, is_portable, stops_held, system, untried
from ulterion.run.targets.protocol import Target
from ulterion.run.targets.real_clock import RealTime
from ulterion.run.targets.soak_sources import Bench, LoadSettings, RealBench

if TYPE_CHECKING:
    from ulterion.engine.requests.calibration import RequestCost


NO_SENSORS: dict[System, str] = {
    "linux": "no block device lies under it",
    "macos": "macOS shows an ordinary user no temperature of a drive",
    "windows": "Windows shows a drive's temperature to administrators only",
}


class HostTarget(RealTime):
    """A folder, a file or a device of this machine.

    Attributes:
        engine: what moves its bytes.
    """

    def __init__(self, engine: RealTarget) -> None:
        self.engine = engine
        self._device: str | None = None
        self._own: RequestCost | None = None
        self._tell: Callable[[str], None] = lambda words: None
        self._limit: tuple[float | None] | None = None

    @property
    def name(self) -> str:
        """Its path, links followed."""
        return str(self.engine.path.resolve())

    @property
    def span_bytes(self) -> int:
        """The stretch of the medium that is covered."""
        return self.engine.span_bytes

    @property
    def cache_bypassed(self) -> bool:
        """Whether the operating system's cache is out of the way."""
        return self.engine.cache_bypassed

    def make_ready(self, tell: Callable[[str], None], *, late: bool = False) -> None:
        """Load the timed loops, compile them if need be, and measure what they cost: now, or with `late` while `prepare` lays the test file down."""
        self._tell = tell
        if not late or is_portable() or find_spec("numba") is None:  # without it a run is begun as an uncompiled one
            self._load()

    def _load(self) -> None:
        if self._own is not None:
            return
        if not is_portable() and not code_cache.is_kept():
            self._tell("preparing the engine: its timed loops are compiled for this machine, once")
        with stops_held():
            from ulterion.engine.requests.calibration import own_cost

            self._own = own_cost()

    def with_own_cost(self, bench: BenchFacts) -> BenchFacts:
        """Return the facts of this machine with what a request costs us, as far as it is known."""
        own = self._own
        if own is None:
            return bench
        return replace(bench, request_cost=own.one, request_cost_deep=own.deep, uncompiled=own.uncompiled)

    def facts(self) -> TargetFacts:
        """Return the facts of what was opened; raise UsageError when its name leads elsewhere by now."""
        engine = self.engine
        if engine.device_name is not None:
            known = facts_of_device(engine.path, engine.device_name)
        else:
            known = facts_of(engine.path)
            if host.key_of(engine.path) != engine.key:
                raise UsageError(
                    f"{engine.path} was moved, or a link in it was changed, while it was being checked; try again"
                )
        self._device = known.device
        return known

    def bench_facts(self, words: BenchWords) -> BenchFacts:
        """Return the facts of this machine; what the review calls it goes before its own name."""
        import platform

        import numpy

        versions = {"ulterion": __version__, "python": platform.python_version(), "numpy": numpy.__version__}
        known = facts_of_machine(versions, words.room)
        return self.with_own_cost(replace(known, host=words.host or known.host))

    def cautions(self, facts: TargetFacts, bench: BenchFacts) -> list[str]:
        """Return what a reviewer should know before believing a figure."""
        sentences = [*filter(None, [untried()]), *host.cautions(facts)]
        if not self.cache_bypassed:
            sentences.append("the file system refuses to bypass the system's cache: reads may come from memory")
            memory = bench.memory_bytes or 0
            if self.span_bytes < 2 * memory:
                sentences.append(f"use a --span above {show_block(2 * memory)}, twice the memory, to measure the drive")
        if is_portable():
            sentences.append(_threads_cost(bench))
        return [*sentences, *uncompiled_words(bench), *self.engine.cautions()]

    def engine_of(self, workload: Workload) -> EngineChoice:
        """Return the way a workload's requests are issued, and why."""
        return self.engine.engine_of(on_drive(workload))

    def check(self, workload: Workload) -> None:
        """Raise UsageError when the workload cannot be run here."""
        self.engine.check(on_drive(workload))

    def check_files(self) -> None:
        """Raise UsageError when no files can be made here."""
        if is_portable():
            raise UsageError(
                "--files works with Linux's own engine only; leave it out for one file that is written over and over"
            )
        if not self.engine.holds_files:
            raise UsageError("--files writes files, which takes a folder; a device or a single file has none")

    def prepare(self, seed: int, on_prefill: OnPrefill | None = None) -> None:
        """Lay the test file down in child processes, and load the timed loops meanwhile if that is still to be done."""

        def told(done: int, total: int) -> None:
            self._load()
            if on_prefill is not None:
                on_prefill(done, total)

        self.engine.prepare(seed, told)
        self._load()

    def make_room(
        self, workload: Workload, seed: int, files: FileSizes | None, on_prefill: OnPrefill | None = None
    ) -> None:
        """Lay down what will be read; set aside the room of what will be written, without writing it."""
        if files is None:
            self.engine.make_room(on_drive(workload), seed, on_prefill)

    def run_pass(self, workload: Workload, seed: int, tick: Tick | None = None) -> PassResult:
        """Run one pass."""
        return self.engine.run_pass(on_drive(workload), seed, tick)

    def run_with(
        self, others: Sequence[Target], workloads: Sequence[Workload], seeds: Sequence[int], tick: Tick, stall: float
    ) -> list[PassResult | TargetFailed]:
        """Run one pass on several targets of this machine, all workers started together."""
        engines = [self.engine, *(o.engine for o in others if isinstance(o, HostTarget))]
        jobs, owners = [], []
        for owner, (engine, workload, seed) in enumerate(zip(engines, workloads, seeds, strict=True)):
            own = engine.jobs(on_drive(workload), seed)
            jobs += own
            owners += [owner] * len(own)
        asleep = seconds_asleep()
        outcomes = worker_pool.run_each(jobs, tick, stall, partial(_beats, engines), pool=self.engine.pool)
        refuse_spoiled([o for o in outcomes if isinstance(o, WorkerResult)], asleep)
        mine = [[o for o, at in zip(outcomes, owners, strict=True) if at == owner] for owner in range(len(engines))]
        return [_joined(shares, workload) for shares, workload in zip(mine, workloads, strict=True)]

    def _disk(self) -> str | None:
        return stacks.whole_disk(self._device) if self._device and system() == "linux" else None

    def temperature(self) -> float | None:
        """Return what the kernel's own sensor of the drive shows."""
        disk = self._disk()
        return drives.temperature(disk) if disk else None

    def warmth(self) -> Warmth:
        """Return what the drive says of its heat now, where the kernel has a sensor of it; its limit is asked for once.

        A drive behind a bridge is not asked through it between passes: some bridges do not take that well.
        """
        warm, disk = self.temperature(), self._disk()
        if warm is None or disk is None:
            return Warmth()
        if self._limit is None:
            known, _ = sensors.of_disk(disk)
            self._limit = (known[0].limit if known else None,)
        return Warmth(warm, self._limit[0], self.counters().get("throttled_seconds"))

    def counters(self) -> dict[str, float]:
        """Return what the drive's own log counts."""
        disk = self._disk()
        return sensors.counters_of(disk) if disk else {}

    def bench(self, load: LoadSettings) -> Bench:
        """Return the bench of a soak, with the drive's own sensors; what the reviewer names goes before what was found."""
        disk = self._disk()
        own, why = sensors.of_disk(disk) if disk else ([], NO_SENSORS[system()])
        named = {s.name for s in load.sensors}
        return RealBench(self.engine, [*(s for s in own if s.name not in named), *load.sensors], why, load)

    def is_gone(self) -> bool:
        """Return whether the device was pulled out."""
        if system() != "linux":
            return not self.engine.path.exists()
        return self._device is not None and drives.is_gone(self._device)

    def close(self) -> None:
        """Close and remove the test file."""
        self.engine.close()


def uncompiled_words(bench: BenchFacts) -> list[str]:
    """Say that the timed loops ran uncompiled, where they did."""
    if is_portable() or bench.uncompiled is None:
        return []
    return [
        f"the timed loops run uncompiled ({bench.uncompiled}): small requests are slower than the drive; "
        "install the numba package, and measure again"
    ]


def _threads_cost(bench: BenchFacts) -> str:
    """Return what the portable engine's threads add to every request."""
    one, deep = (None if c is None else f"{c * 1e6:.0f} µs" for c in (bench.request_cost, bench.request_cost_deep))
    many = f"{deep} for each of many" if deep else "the cost of many at once is not known"
    return (
        f"the portable engine makes requests by threads, in Python, which costs {one or 'some us'} for one at a time, {many}: "
        "small requests are slower than the drive"
    )


def _beats(engines: Sequence[RealTarget]) -> object:
    """Return what changes as long as any of several devices works, None where none has counters."""
    return tuple(e.pulse() for e in engines if e.pulse is not None) or None


def _joined(shares: Sequence[object], workload: Workload) -> PassResult | TargetFailed:
    """Return the pass that the lanes of one target make, or the failure of one of them."""
    failed = next((s for s in shares if isinstance(s, TargetFailed)), None)
    return failed or join([s for s in shares if isinstance(s, WorkerResult)], workload.block_bytes)
