"""Where the rows of a soak come from: a real target under load or at rest, or the simulated bench."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import replace
from typing import Protocol

import numpy as np

from ulterion.conduct.thermometers import Thermometers
from ulterion.core.soak.trace import Row
from ulterion.core.workload import Workload
from ulterion.engine.load import FileSizes, Load, LoadEnd
from ulterion.engine.target import RealTarget
from ulterion.sim.target import SimTarget

DOZE = 0.05  # seconds between two looks while nothing is loaded


class Source(Protocol):
    """One phase's rows."""

    @property
    def start(self) -> float:
        """When it began, on the clock of its bench."""

    def look(self) -> Sequence[Row]:
        """Return the rows that came since the last look, waiting a moment at most; raise TargetFailed."""

    def end(self) -> tuple[Sequence[Row], float | None]:
        """End the phase; return the rows left over and the seconds of the flush, if there was one."""

    def stood_still(self) -> str | None:
        """Return in words, once each time, that machine or program stood still; None when they did not."""

    def remains(self) -> Sequence[Row]:
        """Return the rows that are whole after `look` or `end` failed."""

    def close(self) -> None:
        """Let go whatever happens; may be called twice."""


class Bench(Protocol):
    """Something phases can be run on."""

    @property
    def trouble(self) -> dict[str, str]:
        """What sensors without a value say."""

    def now(self) -> float:
        """Seconds since the soak, or this part of it, began."""

    def begin(self, workload: Workload | None) -> Source:
        """Begin a phase: a load, or rest without a workload."""

    def close(self) -> None:
        """Let go of sensors."""


class RealBench:
    """A real target with its thermometers."""

    def __init__(self, target: RealTarget, thermometers: Thermometers, interval: float, seed: int,
                 files: FileSizes | None, since: float = 0.0) -> None:  # fmt: skip
        """`since` is how many seconds ago the soak, or its part, is said to have begun."""
        self.target, self.thermometers, self.interval = target, thermometers, interval
        self._seed, self._files = seed, files
        self._start = time.monotonic() - since

    @property
    def trouble(self) -> dict[str, str]:
        """What sensors without a value say."""
        return self.thermometers.trouble

    def now(self) -> float:
        """Seconds since this part of the soak began."""
        return time.monotonic() - self._start

    def begin(self, workload: Workload | None) -> Source:
        """Begin a phase."""
        if workload is None:
            return _Resting(self)
        self._seed += 1
        load = Load(self.target, workload, self._seed, self.interval, self._files)
        try:
            while not load.begun:  # buffers are made first, which takes a moment
                load.look()
        except BaseException:
            load.abandon()
            raise
        return _Loading(self, load, load.begun - self._start)

    def with_values(self, rows: Sequence[Row]) -> list[Row]:
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

    def look(self) -> Sequence[Row]:
        time.sleep(DOZE)
        rows = []
        while self._bench.now() - self._last >= self._bench.interval:
            rows.append(Row(self._bench.interval, 0, 0))
            self._last += self._bench.interval
        return self._bench.with_values(rows)

    def end(self) -> tuple[Sequence[Row], float | None]:
        left = self._bench.now() - self._last
        return self._bench.with_values([Row(left, 0, 0)]), None

    def stood_still(self) -> str | None:
        return None  # a rest is a rest

    def remains(self) -> Sequence[Row]:
        return []

    def close(self) -> None:
        return None


class _Loading:
    """A load in a worker process."""

    def __init__(self, bench: RealBench, load: Load, start: float) -> None:
        self._bench, self._load, self.start = bench, load, start

    def look(self) -> Sequence[Row]:
        return self._bench.with_values(self._load.look())

    def end(self) -> tuple[Sequence[Row], float | None]:
        rows, end = self._load.stop()
        assert isinstance(end, LoadEnd)
        return self._bench.with_values(rows), end.flush

    def stood_still(self) -> str | None:
        return self._load.stood_still()

    def remains(self) -> Sequence[Row]:
        return self._bench.with_values(self._load.remains())

    def close(self) -> None:
        self._load.abandon()


class SimBenchSource:
    """The simulated bench: rows in virtual time, at once or at a pace (virtual seconds for each real one)."""

    def __init__(self, target: SimTarget, interval: float, seed: int, pace: float | None) -> None:
        self.target, self.interval, self.pace = target, interval, pace
        self.rng = np.random.Generator(np.random.SFC64([seed, target.bench.bench.seed]))
        self.trouble: dict[str, str] = {}

    def now(self) -> float:
        """Virtual seconds."""
        return self.target.elapsed

    def begin(self, workload: Workload | None) -> Source:
        """Begin a phase."""
        return _Simulated(self, workload)

    def counters(self) -> dict[str, float]:
        """What the simulated drive counts."""
        return self.target.counters()

    def close(self) -> None:
        """Nothing to let go."""


class _Simulated:
    def __init__(self, bench: SimBenchSource, workload: Workload | None) -> None:
        self._bench, self._workload = bench, workload
        self.start = bench.now()

    def look(self) -> Sequence[Row]:
        bench = self._bench
        if bench.pace:
            time.sleep(bench.interval / bench.pace)
        return [bench.target.soak_row(self._workload, bench.interval, bench.rng)]

    def end(self) -> tuple[Sequence[Row], float | None]:
        if self._workload is None or self._workload.direction == "read":
            return [], None
        return [], self._bench.target.state.truth(self._workload).flush

    def stood_still(self) -> str | None:
        return None

    def remains(self) -> Sequence[Row]:
        return []

    def close(self) -> None:
        return None
