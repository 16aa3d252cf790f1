"""A simulated target: passes in virtual time, with seeded noise and faults on order."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import field, replace
from pathlib import Path
from typing import Any

from ulterion.core.arrays import Floats, np
from ulterion.core.errors import TargetFailed, UsageError
from ulterion.core.facts.devices import as_target
from ulterion.core.facts.target import BenchFacts, TargetFacts
from ulterion.core.records import dataclass
from ulterion.core.soak.trace import DRIVE, TraceRow
from ulterion.core.units import show_block, show_duration
from ulterion.core.workloads.histogram import LatencyHistogram
from ulterion.core.workloads.passes import EngineChoice, OnPrefill, PassResult, Tick
from ulterion.core.workloads.workload import NetworkWorkload, Workload, parse_workload
from ulterion.sim import network
from ulterion.sim.bench import Fault, SimBench
from ulterion.sim.physics import ceiling
from ulterion.sim.shown import shown_drive
from ulterion.sim.state import ROOM, State

DEFAULT_SPAN = 4096 * 2**20
LAYING = parse_workload("sequential write 4 MiB depth 4")
EDGE = 64.0  # bytes of a request that are as good as moved: virtual time has no finer steps
SERIES_NOISE = 0.3  # spread within a pass as a share of the spread between passes


@dataclass
class SimTarget:
    """A chain of the simulated bench.

    Attributes:
        bench: the bench.
        names: names of the chain, port first.
        setup: name of the setup, or None.
        path: as the review names it.
        span_bytes: stretch of the medium that is covered.
        workers: workers that share each pass; they add up to more requests in flight.
        state: what time changes: heat, cache, throttling.
        began: when the run begins, in seconds since the bench's epoch.
    """

    bench: SimBench
    names: list[str]
    setup: str | None
    path: str
    span_bytes: int = DEFAULT_SPAN
    workers: int = 1
    began: float = 0.0
    state: State = field(init=False)
    _under_way: float = field(default=0.0, init=False)  # bytes of a soak's request that has not ended
    simulated = True
    cache_bypassed = True

    def __post_init__(self) -> None:
        self.chain = self.bench.chain(self.names, Path(self.path.removeprefix("sim:")))
        if self.chain[-1].peer and len(self.chain) < 2:
            raise UsageError(f"{self.path}: a peer needs a port or an adapter before it in the chain")
        capacity = self.chain[-1].capacity
        if capacity is not None and self.span_bytes > capacity:
            raise UsageError(f"{self.names[-1]} holds {show_block(capacity)}; use a --span no larger than that")
        if math.isinf(ceiling(self.chain, "read")) or math.isinf(ceiling(self.chain, "write")):
            raise UsageError(
                f"{self.path}: nothing in {' > '.join(self.names)} says how fast it is; give a part a rate"
            )
        room = self.bench.bench.room
        self.state = State(self.chain, ROOM if room is None else room)

    @property
    def elapsed(self) -> float:
        """Virtual seconds since the run began."""
        return self.state.elapsed

    def engine_of(self, workload: Workload) -> EngineChoice:
        """Return how requests are issued."""
        return EngineChoice("simulated", f"{workload.depth} in flight in virtual time")

    def check(self, workload: Workload) -> None:
        """Raise UsageError when the workload cannot be run here."""
        network = isinstance(workload, NetworkWorkload)
        if network != self.chain[-1].peer:
            what = "a peer, reached over a network" if self.chain[-1].peer else "a drive"
            raise UsageError(f"'{workload.text}' cannot be run on {self.names[-1]}, which is {what}")
        if network:
            return
        if workload.block_bytes > self.span_bytes:
            raise UsageError(f"a request of {show_block(workload.block_bytes)} does not fit into the span")

    def _faults(self) -> list[Fault]:
        mine = [f for f in self.bench.faults if f.part in self.names and f.setup in (None, self.setup)]
        gone = self.bench.next_event(self.setup, "unplugged", self.began)
        if gone is not None:
            mine.append(Fault.made_of(part=self.names[-1], what="pulled out", after=gone - self.began))
        return sorted(mine, key=lambda f: f.after or 0.0)

    def recognised(self) -> None:
        """Raise TargetFailed when the chain is not recognised."""
        for fault in self._faults():
            if fault.what == "not recognised":
                raise TargetFailed(f"{fault.part} is not recognised on {self.names[0]}")

    def prepare(self, seed: int, on_prefill: OnPrefill | None = None) -> None:
        """See whether the chain is recognised, and lay the test file down in virtual time."""
        self.recognised()
        if self.chain[-1].peer:
            return
        prefilling = replace(LAYING, span_bytes=self.span_bytes)
        self.move(prefilling, 0, self.span_bytes)
        if on_prefill is not None:
            on_prefill(self.span_bytes, self.span_bytes)

    def move(
        self, workload: Workload, place: int, count: int, told: Callable[[int], None] = lambda count: None
    ) -> None:
        """Let virtual time pass until so many bytes from a place on are moved; `told` hears of each second's.  Raises TargetFailed at a fault."""
        self.state.travelled = float(place)
        done, heard = 0.0, 0
        while done < count - 1.0:
            done += self._pass_time(workload, min(1.0, (count - done) / self.state.truth(workload).rate))
            now = count if done >= count - 1.0 else int(done)
            told(now - heard)
            heard = now

    def run_pass(self, workload: Workload, seed: int, tick: Tick | None = None) -> PassResult:
        """Run one pass (length and span settled) in virtual time; as on a real target it ends with its last request."""
        rng = np.random.Generator(np.random.SFC64([seed, self.bench.bench.seed]))
        deep = replace(workload, depth=workload.depth * self.workers)
        self.state.travelled = 0.0
        true = self.state.truth(deep)
        seconds = max((workload.seconds or 0.0) - true.flush, 1e-3)
        factor = math.exp(rng.normal(0.0, true.noise)) if true.noise else 1.0
        weights = _weights(seconds, true.noise, rng) * factor
        interval, before, each = seconds / weights.size, self.state.moved, []
        for weight in weights.tolist():
            each.append(self._pass_time(deep, interval, weight, before))
        while (over := _owed(sum(each), workload.block_bytes)) > EDGE:
            # the request under way is waited for: its time counts as its bytes do
            left = min(interval, over / (self.state.truth(deep).rate * weights[-1]))
            each.append(self._pass_time(deep, left, weights[-1], before))
            seconds += left
        series = _ended_requests(each, workload.block_bytes)
        if tick is not None:
            tick(seconds, sum(series))
        self.state.rest(true.flush)
        result = self._result(deep, true.flush, seconds, interval, series)
        return replace(result, **self._over_network(deep, result, rng)) if isinstance(deep, NetworkWorkload) else result

    def _over_network(self, workload: NetworkWorkload, result: PassResult, rng: np.random.Generator) -> dict[str, Any]:
        """Return what a pass over a network has besides, or otherwise."""
        counted = network.counts(self.chain, workload, result.bytes, result.seconds, rng)
        if counted.datagrams is None:
            return {"network": counted}
        moved = counted.datagrams.received * workload.block_bytes
        return {
            "network": counted,
            "bytes": moved,
            "requests": counted.datagrams.received,
            "latency": LatencyHistogram(),
        }

    def _result(
        self, workload: Workload, flush: float, seconds: float, interval: float, series: tuple[int, ...]
    ) -> PassResult:
        moved = sum(series)
        requests = moved // workload.block_bytes
        latency = workload.depth * workload.block_bytes / (moved / seconds)
        return PassResult(
            bytes=moved,
            seconds=seconds + flush,
            requests=requests,
            latency=LatencyHistogram.lognormal(latency, self.chain[-1].latency_spread, requests),
            flush_seconds=flush if workload.direction == "write" else None,
            cpu_seconds=None,
            interval=interval,
            interval_bytes=series,
        )

    def _pass_time(
        self, workload: Workload | None, seconds: float, noise: float = 1.0, before: float | None = None
    ) -> float:
        """Let virtual time pass, working or (without a workload) resting; return the bytes moved.

        Raises TargetFailed at a fault that falls into it, with the bytes moved since there were `before`.
        """
        start = self.state.moved if before is None else before
        fault = next(
            (f for f in self._faults() if f.after is not None and self.elapsed <= f.after < self.elapsed + seconds),
            None,
        )
        length = seconds if fault is None else (fault.after or 0.0) - self.elapsed
        moved = 0.0
        if workload is None:
            self.state.rest(length)
        else:
            moved = self.state.work(workload, length, noise)
        if fault is not None:
            offset = int(self.state.moved - start) // 4096 * 4096 % self.span_bytes
            words = "was pulled out" if fault.what == "pulled out" else "reported an I/O error"
            when = show_duration(fault.after or 0.0)
            raise TargetFailed(
                f"{fault.part} {words} after {when}, at offset {offset}",
                offset=offset,
                moved=int(self.state.moved - start) // 4096 * 4096,
            )
        return moved

    def rest(self, seconds: float) -> None:
        """Let virtual time pass without work."""
        self._pass_time(None, seconds)

    def begin_phase(self) -> None:
        """Begin a phase of a soak: at the start of the span, no request under way."""
        self.state.travelled, self._under_way = 0.0, 0.0

    def soak_row(self, workload: Workload | None, seconds: float, rng: np.random.Generator) -> TraceRow:
        """Let one interval of a soak pass, under a workload or at rest, and return what was seen; raise TargetFailed."""
        noise = 1.0
        if workload is not None:
            spread = self.state.truth(workload).noise
            noise = math.exp(rng.normal(0.0, spread)) if spread else 1.0
        moved = self._pass_time(workload, seconds, noise) + self._under_way
        sensors: dict[str, float | None] = dict(self.state.sensors())
        requests = 0 if workload is None else int(moved // workload.block_bytes)
        self._under_way = moved - requests * (workload.block_bytes if workload is not None else 0)
        if workload is None or requests == 0:
            return TraceRow(seconds, 0, 0, sensors=sensors)
        spread = self.chain[-1].latency_spread
        middle = workload.depth * seconds / requests * math.exp(-(spread**2) / 2)
        worst = middle * math.exp(spread * math.sqrt(2 * math.log(requests + 1)))
        return TraceRow(
            seconds=seconds,
            bytes=requests * workload.block_bytes,
            requests=requests,
            p50=middle,
            p99=middle * math.exp(2.326 * spread),
            worst=worst,
            sensors=sensors,
        )

    def counters(self) -> dict[str, float]:
        """Return what the drive counts, as its health log would show it; empty when it counts nothing."""
        heat = self.chain[-1].heat
        if heat is None or not heat.counters:
            return {}
        return {
            "throttlings": self.state.throttlings,
            "throttled_seconds": math.floor(self.state.throttled_seconds),
            "bytes_written": math.floor(self.state.written),
        }

    def close(self) -> None:
        """Nothing to give back."""

    def facts(self) -> TargetFacts:
        """Return what the bench shows of the target, as a survey of real hardware would."""
        capacity = self.chain[-1].capacity
        drive = shown_drive("sim0", self.names, self.chain, self.state.sensors().get(DRIVE, self.chain[-1].temperature))
        facts = as_target(
            drive,
            self.path,
            "simulated",
            "sim0",
            filesystem="simulated",
            filesystem_bytes=capacity,
            free_bytes=capacity,
        )
        if not self.chain[-1].peer:
            return facts
        seen = network.shown_network(self.bench.bench.host, self.names, self.chain)
        return replace(facts, filesystem=None, transport=None, network=seen)

    def bench_facts(self, versions: dict[str, str]) -> BenchFacts:
        """Return the host and room of the simulated bench; `versions` should not name what varies between machines."""
        about = self.bench.bench
        return BenchFacts(host=about.host, system=about.system, versions=versions, room_temperature=about.room)


def _weights(seconds: float, noise: float, rng: np.random.Generator) -> Floats:
    """Return the noise of up to 100 intervals of a pass around 1; their mean is 1."""
    count = max(1, min(100, int(seconds / 0.1)))
    weights: Floats = np.exp(rng.normal(0.0, noise * SERIES_NOISE, count))
    return np.asarray(weights / weights.mean())


def _owed(moved: float, block: int) -> float:
    """Return the bytes that the request under way still has to move; a whole one where none has ended."""
    return max(1, math.ceil((moved - EDGE) / block)) * block - moved


def _ended_requests(each: list[float], block: int) -> tuple[int, ...]:
    """Return the bytes of the requests that ended in each interval."""
    ends = np.floor((np.cumsum(each) + EDGE) / block).astype(np.int64)
    return tuple(int(b) for b in np.diff(ends, prepend=0) * block)
