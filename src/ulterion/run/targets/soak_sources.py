"""Where the rows of a soak come from: a real target under load or at rest, or the simulated bench."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, NamedTuple, Protocol

from ulterion.core.arrays import np
from ulterion.core.records import dataclass
from ulterion.core.soak.trace import DRIVE, TraceRow
from ulterion.core.workloads.workload import Workload, on_drive
from ulterion.engine.targets.base import RealTarget
from ulterion.engine.targets.load import FileSizes, Load, LoadEnd
from ulterion.host.sensors import Sensor as Watched
from ulterion.model.runs.soak import Sensor
from ulterion.run.targets.sensor_process import Thermometers

if TYPE_CHECKING:
    from ulterion.sim.target import SimTarget

DOZE = 0.05  # seconds between two looks while nothing is loaded


@dataclass(frozen=True)
class LoadSettings:
    """How a load is run and watched.

    Attributes:
        interval: what is logged once in so many seconds.
        seed: of offsets, data and simulated noise.
        files: sizes of the files of a write-delete load, or None.
        sensors: further sensors that the reviewer named.
        since: how many seconds ago the soak is said to have begun.
        pace: virtual seconds for each real one on the simulated bench, or None.
    """

    interval: float
    seed: int
    files: FileSizes | None = None
    sensors: Sequence[Watched] = ()
    since: float = 0.0
    pace: float | None = None


class PhaseEnd(NamedTuple):
    """What is left when a phase ends: rows, and the seconds of the flush, if there was one."""

    rows: Sequence[TraceRow]
    flush: float | None = None


class Source(Protocol):
    """One phase's rows."""

    @property
    def start(self) -> float:
        """When it began, on the clock of its bench."""

    def look(self) -> Sequence[TraceRow]:
        """Return the rows that came since the last look, waiting a moment at most; raise TargetFailed."""

    def end(self) -> PhaseEnd:
        """End the phase; return the rows left over and the seconds of the flush, if there was one."""

    @property
    def ended(self) -> bool:
        """Whether the phase came to the end of the time it was begun for."""

    def stood_still(self) -> str | None:
        """Return in words, once each time, that the machine or the program stood still; None where neither did."""

    def remains(self) -> Sequence[TraceRow]:
        """Return the rows that are whole after `look` or `end` failed."""

    def close(self) -> None:
        """Let go whatever happens; may be called twice."""


class Bench(Protocol):
    """Something phases can be run on."""

    sensors: list[Sensor]
    """As they are written down."""
    why: str
    """Why the drive has none, where that is known."""

    @property
    def trouble(self) -> dict[str, str]:
        """What sensors without a value say."""

    def now(self) -> float:
        """Seconds since the soak, or this part of it, began."""

    def begin(self, workload: Workload | None, seconds: float | None = None) -> Source:
        """Begin a phase: a load, or rest without a workload."""

    def close(self) -> None:
        """Let go of sensors."""


class RealBench:
    """A real target with its thermometers."""

    def __init__(self, target: RealTarget, watched: Sequence[Watched], why: str, load: LoadSettings) -> None:
        self.target, self.why, self.interval = target, why, load.interval
        self.thermometers = Thermometers(watched, load.interval)
        self.sensors = [Sensor(name=s.name, source=s.source, unit=s.unit, limit=s.limit) for s in watched]
        self._seed, self._files = load.seed, load.files
        self._start = time.monotonic() - load.since

    @property
    def trouble(self) -> dict[str, str]:
        """What sensors without a value say."""
        return self.thermometers.trouble

    def now(self) -> float:
        """Seconds since this part of the soak began."""
        return time.monotonic() - self._start

    def begin(self, workload: Workload | None, seconds: float | None = None) -> Source:
        """Begin a phase."""
        if workload is None:
            return _Resting(self)
        self._seed += 1
        load = Load(
            target=self.target,
            workload=on_drive(workload),
            seed=self._seed,
            interval=self.interval,
            files=self._files,
            seconds=seconds,
        )
        try:
            while not load.begun:  # buffers are made first, which takes a moment
                load.look()
        except BaseException:
            load.abandon()
            raise
        return _Loading(self, load, load.begun - self._start)

    def with_values(self, rows: Sequence[TraceRow]) -> list[TraceRow]:
        """Return rows with the newest temperatures."""
        self.thermometers.look()
        return [replace(row, sensors=dict(self.thermometers.values)) for row in rows]

    def close(self) -> None:
        """Stop the thermometers."""
        self.thermometers.close()


class _Resting:
    """Time passes and nothing is moved."""

    def __init__(self, bench: RealBench) -> None:
        self._bench = bench
        self.start = self._last = bench.now()

    def look(self) -> Sequence[TraceRow]:
        time.sleep(DOZE)
        rows = []
        while self._bench.now() - self._last >= self._bench.interval:
            rows.append(TraceRow(self._bench.interval, 0, 0))
            self._last += self._bench.interval
        return self._bench.with_values(rows)

    def end(self) -> PhaseEnd:
        left = self._bench.now() - self._last
        return PhaseEnd(self._bench.with_values([TraceRow(left, 0, 0)]))

    @property
    def ended(self) -> bool:
        return False

    def stood_still(self) -> str | None:
        return None  # a rest is a rest

    def remains(self) -> Sequence[TraceRow]:
        return []

    def close(self) -> None:
        return None


class _Loading:
    """A load in a worker process."""

    def __init__(self, bench: RealBench, load: Load, start: float) -> None:
        self._bench, self._load, self.start = bench, load, start

    def look(self) -> Sequence[TraceRow]:
        return self._bench.with_values(self._load.look())

    def end(self) -> PhaseEnd:
        rows, end = self._load.stop()
        assert isinstance(end, LoadEnd)
        return PhaseEnd(self._bench.with_values(rows), end.flush)

    @property
    def ended(self) -> bool:
        return self._load.ended

    def stood_still(self) -> str | None:
        return self._load.stood_still()

    def remains(self) -> Sequence[TraceRow]:
        return self._bench.with_values(self._load.remains())

    def close(self) -> None:
        self._load.abandon()


class SimBenchSource:
    """The simulated bench: rows in virtual time, at once or at a pace (virtual seconds for each real one)."""

    def __init__(self, target: SimTarget, load: LoadSettings) -> None:
        self.target, self.interval, self.pace, self.why = target, load.interval, load.pace, ""
        self.rng = np.random.Generator(np.random.SFC64([load.seed, target.bench.bench.seed]))
        self.trouble: dict[str, str] = {}
        heat = target.chain[-1].heat
        self.sensors = [
            Sensor(name=n, source="simulated", limit=heat.limit if heat and n == DRIVE else None)
            for n in target.state.sensors()
        ]

    def now(self) -> float:
        """Virtual seconds."""
        return self.target.elapsed

    def begin(self, workload: Workload | None, seconds: float | None = None) -> Source:
        """Begin a phase."""
        return _Simulated(self, workload)

    def close(self) -> None:
        """Nothing to let go."""


class _Simulated:
    def __init__(self, bench: SimBenchSource, workload: Workload | None) -> None:
        self._bench, self._workload = bench, workload
        self.start = bench.now()
        bench.target.begin_phase()

    def look(self) -> Sequence[TraceRow]:
        bench = self._bench
        if bench.pace:
            time.sleep(bench.interval / bench.pace)
        return [bench.target.soak_row(self._workload, bench.interval, bench.rng)]

    def end(self) -> PhaseEnd:
        if self._workload is None or self._workload.direction == "read":
            return PhaseEnd([])
        return PhaseEnd([], self._bench.target.state.truth(self._workload).flush)

    @property
    def ended(self) -> bool:
        return False  # its rows come by the interval, and the time is up with one

    def stood_still(self) -> str | None:
        return None

    def remains(self) -> Sequence[TraceRow]:
        return []

    def close(self) -> None:
        return None
