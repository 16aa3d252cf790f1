"""A simulated target: passes in virtual time, with seeded noise and faults on order."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from ulterion.core.errors import TargetFailed, UsageError
from ulterion.core.facts import BenchFacts, TargetFacts
from ulterion.core.histogram import LatencyHistogram
from ulterion.core.links import Link
from ulterion.core.passes import Laid, PassResult, Tick
from ulterion.core.units import show_block, show_duration
from ulterion.core.workload import Workload
from ulterion.sim.bench import Fault, SimBench, SimPart
from ulterion.sim.physics import Truth, ceiling, truth

DEFAULT_SPAN = 1024 * 2**20
SERIES_NOISE = 0.3  # spread within a pass as a share of the spread between passes


def seen_link(chain: list[SimPart]) -> tuple[SimPart, Link | None]:
    """Return the device that the host would show (the bridge, or a medium plugged in alone) and its trained link.

    Two ends of one family train at the slower of both.
    """
    device = chain[-2] if len(chain) > 2 else chain[-1]
    if device.link is None:
        return device, None
    family = device.link.name.split()[0]
    upstream = chain[: chain.index(device) + 1]
    same = [p.link for p in upstream if p.link is not None and p.link.name.split()[0] == family]
    return device, min(same, key=lambda link: link.payload)


@dataclass
class SimTarget:
    """A chain of the simulated bench.

    Attributes:
        bench: the bench.
        names: names of the chain, port first.
        hookup: name of the hookup, or None.
        path: as the review names it.
        span_bytes: stretch of the medium that is covered.
        lanes: workers that share each pass; they add up to more requests in flight.
        elapsed: virtual seconds since the run began.
    """

    bench: SimBench
    names: list[str]
    hookup: str | None
    path: str
    span_bytes: int = DEFAULT_SPAN
    lanes: int = 1
    elapsed: float = field(default=0.0, init=False)
    simulated = True
    cache_bypassed = True

    def __post_init__(self) -> None:
        self.chain = self.bench.chain(self.names, Path(self.path.removeprefix("sim:")))
        capacity = self.chain[-1].capacity
        if capacity is not None and self.span_bytes > capacity:
            raise UsageError(f"{self.names[-1]} holds {show_block(capacity)}; use a --span no larger than that")
        if math.isinf(ceiling(self.chain, "read")) or math.isinf(ceiling(self.chain, "write")):
            raise UsageError(
                f"{self.path}: nothing in {' > '.join(self.names)} says how fast it is; give a part a rate"
            )

    def engine_of(self, workload: Workload) -> tuple[str, str]:
        """Return how requests are issued."""
        return "simulated", f"{workload.depth} in flight in virtual time"

    def check(self, workload: Workload) -> None:
        """Raise UsageError when the workload cannot be run here."""
        if workload.block_bytes > self.span_bytes:
            raise UsageError(f"a request of {show_block(workload.block_bytes)} does not fit into the span")

    def _faults(self) -> list[Fault]:
        mine = (f for f in self.bench.faults if f.part in self.names and f.hookup in (None, self.hookup))
        return sorted(mine, key=lambda f: f.after or 0.0)

    def prepare(self, seed: int, laid: Laid | None = None) -> None:
        """See whether the chain is recognised, and lay the test file down in virtual time."""
        for fault in self._faults():
            if fault.what == "not recognised":
                raise TargetFailed(f"{fault.part} is not recognised on {self.names[0]}")
        rate = ceiling(self.chain, "write")
        self._pass_time(self.span_bytes / rate, rate)
        if laid is not None:
            laid(self.span_bytes, self.span_bytes)

    def run_pass(self, workload: Workload, seed: int, tick: Tick | None = None) -> PassResult:
        """Run one pass (length and span settled) in virtual time."""
        rng = np.random.Generator(np.random.SFC64([seed, self.bench.bench.seed]))
        found = truth(self.chain, replace(workload, depth=workload.depth * self.lanes))
        rate = found.rate * math.exp(rng.normal(0.0, found.noise)) if found.noise else found.rate
        requests = max(1, round(rate * ((workload.seconds or 0.0) - found.flush) / workload.block_bytes))
        moving = requests * workload.block_bytes / rate
        interval, series = _series(requests, workload.block_bytes, moving, found.noise, rng)
        if tick is not None:
            tick(moving, requests * workload.block_bytes)
        self._pass_time(moving + found.flush, rate)
        return self._result(workload, found, rate, requests, interval, series)

    def _result(self, workload: Workload, found: Truth, rate: float, requests: int,
                interval: float, series: tuple[int, ...]) -> PassResult:  # fmt: skip
        moved = requests * workload.block_bytes
        latency = found.latency * found.rate / rate
        return PassResult(
            bytes=moved,
            seconds=moved / rate + found.flush,
            requests=requests,
            latency=LatencyHistogram.lognormal(latency, self.chain[-1].latency_spread, requests),
            flush_seconds=found.flush if workload.direction == "write" else None,
            cpu_seconds=None,
            interval=interval,
            interval_bytes=series,
        )

    def _pass_time(self, seconds: float, rate: float) -> None:
        """Let virtual time pass; raise TargetFailed at a fault that falls into it."""
        for fault in self._faults():
            if fault.after is not None and self.elapsed <= fault.after < self.elapsed + seconds:
                moved = int((fault.after - self.elapsed) * rate) // 4096 * 4096
                self.elapsed = fault.after
                offset = moved % self.span_bytes
                words = "was pulled out" if fault.what == "pulled out" else "reported an I/O error"
                when = show_duration(fault.after)
                raise TargetFailed(f"{fault.part} {words} after {when}, at offset {offset}", offset=offset, moved=moved)
        self.elapsed += seconds

    def rest(self, seconds: float) -> None:
        """Let virtual time pass without work."""
        self.elapsed += seconds

    def close(self) -> None:
        """Nothing to give back."""

    def facts(self) -> TargetFacts:
        """Return what the bench shows of the target, as a survey of real hardware would."""
        medium = self.chain[-1]
        device, link = seen_link(self.chain)
        return TargetFacts(
            path=self.path,
            kind="simulated",
            device="sim0",
            model=medium.model,
            serial=medium.serial,
            transport=device.transport or self.chain[0].transport,
            link=link.name if link else None,
            driver=device.driver or self.chain[0].driver,
            capacity_bytes=medium.capacity,
            filesystem="simulated",
            filesystem_bytes=medium.capacity,
            free_bytes=medium.capacity,
            system_disk=False,
            temperature=medium.temperature,
        )

    def bench_facts(self, versions: dict[str, str]) -> BenchFacts:
        """Return the host and room of the simulated bench; `versions` should not name what varies between machines."""
        about = self.bench.bench
        return BenchFacts(host=about.host, system=about.system, versions=versions, room_temperature=about.room)


def _series(requests: int, block: int, seconds: float, noise: float,
            rng: np.random.Generator) -> tuple[float, tuple[int, ...]]:  # fmt: skip
    """Spread whole requests over up to 100 intervals, with noise; return the interval and the bytes of each."""
    count = max(1, min(100, requests, int(seconds / 0.1)))
    weights = np.exp(rng.normal(0.0, noise * SERIES_NOISE, count)) if noise else np.ones(count)
    ends = np.round(np.cumsum(weights) / weights.sum() * requests).astype(np.int64)
    each = np.diff(ends, prepend=0) * block
    return seconds / count, tuple(int(b) for b in each)
