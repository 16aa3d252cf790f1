"""A soak as it is written down: the plan, the sensors, and the series of each phase."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from itertools import accumulate
from typing import Annotated, Any, Literal

from ulterion.core.arrays import Floats, np
from ulterion.core.documents.fields import After, Field
from ulterion.core.documents.written import Written
from ulterion.core.soak.trace import DRIVE, LOAD, Counters, Phase, Trace
from ulterion.core.transfers.course import Course
from ulterion.core.units import show_duration, show_size
from ulterion.core.workloads.workload import DriveWorkload
from ulterion.model.quantities import MAX_SECONDS, Count, Seconds, Spoken
from ulterion.model.runs.header import Header, RunScope, State, WriteStep
from ulterion.model.runs.workload import checked_workload

SETTLED = "the temperature had settled"  # why a rest ended


PhaseName = Literal["idle", "load", "cool", "again"]


class SoakPlan(Written):
    """What was asked for; times in seconds."""

    idle: Seconds | None = Field(default=None, description="length of the idle phase; None: until settled")
    load_seconds: Seconds | None = None
    load_bytes: Count | None = None
    until_steady: bool = False
    cool: Seconds | None = Field(default=None, description="length of the cool-down; None: until settled")
    again: bool = Field(
        default=False, description="a second load after the cool-down, to see how well a cache recovered"
    )
    interval: float = Field(default=1.0, ge=0.01, le=3600)


class Sensor(Written):
    """Where a series of values came from."""

    name: Spoken
    source: Spoken
    unit: str = "C"
    limit: float | None = Field(default=None, description="the temperature that the drive itself calls too hot")


class SoakPhase(Written):
    """A stretch of a soak with its series; lists have one value for each interval, the last may be shorter.

    Where nothing was moved (idle, cool) the lists of what was moved are empty.
    """

    part: int = Field(default=1, ge=1, description="2 and above when a soak that was cut off was taken up again")
    name: PhaseName
    start: Seconds = Field(description="seconds since the soak began")
    end: Seconds
    ended: Spoken = Field(default="", description="why it ended")
    interval: float = Field(ge=0.01, le=MAX_SECONDS)
    bytes: list[Count] = []
    requests: list[Count] = []
    p50: list[Seconds | None] = Field(default=[], description="median latency, seconds")
    p99: list[Seconds | None] = []
    worst: list[Seconds | None] = []
    sensors: dict[str, list[float | None]] = {}
    flush_seconds: float | None = Field(default=None, description="the flush at the end of a load that wrote")

    @property
    def seconds(self) -> float:
        """Length."""
        return self.end - self.start

    def row_count(self) -> int:
        """Return how many rows of its series begin before its end."""
        most = max([len(self.bytes), *(len(v) for v in self.sensors.values())], default=0)
        while most and self.start + (most - 1) * self.interval >= self.end:
            most -= 1
        return most


def _padded(values: Sequence[float | None], rows: int, missing: float) -> Floats:
    """Return a value for each of `rows` rows, `missing` where a row has none."""
    known = np.array(values[:rows], dtype=np.float64)  # None becomes NaN
    known[np.isnan(known)] = missing
    return np.concatenate([known, np.full(rows - known.size, missing)])


class LoggedSeries(Written):
    """What another instrument logged, lined up with the soak."""

    name: Spoken
    source: Spoken
    unit: str = "C"
    at: list[float] = Field(description="seconds since the soak began")
    values: list[float]

    def check_whole(self) -> None:
        """Raise ValueError unless each value has its moment."""
        if len(self.at) != len(self.values):
            raise ValueError("its number of times differs from its number of values")


class SoakRecord(Written):
    """A soak: idle, load, cool-down, with every sensor."""

    plan: SoakPlan
    workload: Annotated[DriveWorkload, After(checked_workload)]
    text: str = Field(description="the load in words, by which soaks are matched")
    files: tuple[int, int] | None = Field(
        default=None, description="sizes of the files of a write-delete load, from and to"
    )
    engine: str
    engine_why: str = ""
    sensors: list[Sensor] = []
    phases: list[SoakPhase] = []
    counters_before: dict[str, float] = Field(default={}, description="the drive's own counters")
    counters_after: dict[str, float] = {}
    logs: list[LoggedSeries] = []

    @property
    def limit(self) -> float | None:
        """The temperature that the drive calls too hot, C."""
        return next((s.limit for s in self.sensors if s.name == DRIVE and s.limit is not None), None)

    @property
    def counters(self) -> Counters:
        """How much the drive's own counters moved."""
        moved = {k: self.counters_after[k] - v for k, v in self.counters_before.items() if k in self.counters_after}
        transitions = moved.get("throttlings")
        warning = moved.get("warning_seconds")
        lived = any(counted.get(k) for counted in (self.counters_before, self.counters_after) for k in THERMAL)
        return Counters(
            None if transitions is None else int(transitions), moved.get("throttled_seconds"), warning, alive=lived
        )

    def done(self, name: str) -> tuple[float, int]:
        """Return the seconds and bytes that the phases of a name took so far."""
        mine = [p for p in self.phases if p.name == name]
        return sum(p.seconds for p in mine), sum(sum(p.bytes) for p in mine)

    def trace(self, **facts: Any) -> Trace:
        """Return the series as numbers, logs of other instruments lined up with the rows; `facts` are of the target."""
        counts = [p.row_count() for p in self.phases]
        starts = [p.start + np.arange(n) * p.interval for p, n in zip(self.phases, counts, strict=True)]
        seconds = np.minimum(
            np.repeat([p.interval for p in self.phases], counts),
            np.repeat([p.end for p in self.phases], counts) - _joined(starts),
        )
        moved = _joined([_padded(p.bytes, n, 0.0) for p, n in zip(self.phases, counts, strict=True)])
        worst = _joined([_padded(p.worst, n, math.nan) for p, n in zip(self.phases, counts, strict=True)])
        names = dict.fromkeys(name for p in self.phases for name in p.sensors)
        trace = Trace(
            at=_joined(starts),
            seconds=seconds,
            rate=moved / np.maximum(seconds, 1e-9),
            sensors={
                name: _joined(
                    [_padded(p.sensors.get(name, []), n, math.nan) for p, n in zip(self.phases, counts, strict=True)]
                )
                for name in names
            },
            phases=tuple(_whole(self.phases)),
            worst=worst,
            writes=self.workload.writes,
            limit=self.limit,
            counters=self.counters,
            **facts,
        )
        for log in self.logs:
            trace.sensors[log.name] = lined_up(trace, log)
        return trace


def _joined(parts: Iterable[np.ndarray]) -> Floats:
    return np.concatenate([np.zeros(0), *parts])


def _whole(phases: Sequence[SoakPhase]) -> list[Phase]:
    """Return the phases, those of one name that were cut in two by a crash joined."""
    by_name: dict[str, Phase] = {}
    for phase in phases:
        before = by_name.get(phase.name)
        by_name[phase.name] = Phase(phase.name, before.start if before else phase.start, phase.end)
    return list(by_name.values())


def lined_up(trace: Trace, log: LoggedSeries) -> Floats:
    """Return a log's value for each row: the nearest in time, if it is no further than 1.5 times its usual step."""
    at, values = np.asarray(log.at), np.asarray(log.values)
    result = np.full(trace.at.size, math.nan)
    if at.size == 0 or trace.at.size == 0:
        return result
    middle = trace.at + trace.seconds / 2
    place = np.clip(np.searchsorted(at, middle), 1, max(at.size - 1, 1))
    left = np.maximum(place - 1, 0)
    right = np.minimum(place, at.size - 1)
    nearest = np.where(np.abs(at[left] - middle) <= np.abs(at[right] - middle), left, right)
    step = float(np.median(np.diff(at))) if at.size > 1 else 1.0
    near = np.abs(at[nearest] - middle) <= 1.5 * max(step, 1.0)
    result[near] = values[nearest][near]
    return result


THERMAL = ("throttlings", "throttled_seconds")  # counters of a drive that tell of heat
BRIDGED = ("USB", "USB4", "Thunderbolt")  # transports by which something stands between host and drive


class SoakRun(Header):
    """A soak done on a setup."""

    kind: Literal["soak"] = "soak"
    settings: RunScope
    soak: SoakRecord

    def trace(self) -> Trace:
        """Return its series as numbers: all findings of a soak, finished or in progress, start from here."""
        return self.soak.trace(**self.trace_facts)

    @property
    def trace_facts(self) -> Mapping[str, object]:
        """What its trace says of the target and the load, beside the series."""
        in_order = self.soak.workload.pattern == "sequential" and self.soak.files is None
        return {
            "rotational": bool(self.target.rotational),
            "bridged": len(self.chain) > 2 or self.target.transport in BRIDGED,
            "span": float(self.settings.span_bytes) if in_order else None,
            "block": 0.0 if self.soak.files else float(self.soak.workload.block_bytes),
            "depth": self.soak.workload.depth,
        }

    def with_phases(self, phases: Sequence[SoakPhase], state: State) -> SoakRun:
        """Return the soak with further phases and its state."""
        soak = self.soak.changed(phases=[*self.soak.phases, *phases])
        return self.changed(soak=soak, state=state)

    @property
    def written(self) -> list[WriteStep]:
        """What it wrote to its medium, phase by phase."""
        return [WriteStep(sum(p.bytes) * self.soak.workload.writes, p.seconds) for p in self.soak.phases]

    @property
    def course(self) -> Course | None:
        """How far its load was when."""
        load = next((p for p in self.soak.phases if p.name == LOAD and p.bytes), None)
        if load is None:
            return None
        return Course.of(
            [float(s) for s in accumulate(load.bytes)], load.interval, load.seconds, float(sum(load.bytes))
        )

    def supersedes(self, written: Header) -> bool:
        """A soak taken up again counts by its phases."""
        return not isinstance(written, SoakRun) or len(self.soak.phases) > len(written.soak.phases)

    @property
    def load_start(self) -> float:
        """When its load began, seconds since the run began; 0 when it never did."""
        return next((p.start for p in self.soak.phases if p.name == LOAD), 0.0)

    @property
    def load_end(self) -> float | None:
        """When its load ended, seconds since the run began; None when it never began."""
        return next((p.end for p in reversed(self.soak.phases) if p.name == LOAD), None)

    @property
    def last_moment(self) -> float | None:
        """When its last phase ended, seconds since the run began; None when it had none."""
        return self.soak.phases[-1].end if self.soak.phases else None

    @property
    def kept_words(self) -> str:
        """What a cut-off soak has, in words."""
        seconds, moved = self.soak.done(LOAD)
        return f"{show_duration(seconds) if seconds else '0 s'} of load and {show_size(moved)} are"
