"""A soak as it is written down: the plan, the sensors, and the series of each phase; and how it grows while it runs."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Field, model_validator

from ulterion.core.soak.trace import DRIVE, Counters, Phase, Row, Trace, trace_of
from ulterion.core.workload import DEEPEST, LARGEST_BLOCK, Workload
from ulterion.model.quantities import LONGEST, MOST, Count, Seconds, Spoken, Written

MOST_ROWS = 65536  # of a phase; above it pairs are joined and the interval doubles, so a document stays small
SETTLED = "the temperature had settled"  # why a rest ended
DIGITS = 4  # significant digits of latencies; their buckets are 1 % wide


def checked_workload(workload: Workload) -> Workload:
    """Refuse a workload that cannot have been run: what is judged divides by its sizes.  Raises ValueError."""
    share, place = workload.write_share, workload.place
    if not 1 <= workload.block_bytes <= LARGEST_BLOCK or not 1 <= workload.depth <= DEEPEST:
        raise ValueError("its request size or depth is none that can be run")
    if (workload.direction == "mixed") != (share is not None) or (share is not None and not 0 <= share <= 1):
        raise ValueError("a mixed one, and only that, has a share of writes from 0 to 1")
    if place is not None and not 1 <= place[0] <= place[1] <= MOST:
        raise ValueError("its place is none")
    for value in (workload.span_bytes or 0, workload.origin_bytes, workload.company, workload.seconds or 0):
        if not 0 <= value <= MOST:
            raise ValueError("a size or length of it is none")
    return workload


class SoakPlan(Written):
    """What was asked for; times in seconds."""

    idle: Seconds | None = Field(None, description="length of the idle phase; None: until settled")
    load_seconds: Seconds | None = None
    load_bytes: Count | None = None
    until_steady: bool = False
    cool: Seconds | None = Field(None, description="length of the cool-down; None: until settled")
    again: bool = Field(False, description="a second load after the cool-down, to see how well a cache recovered")
    interval: float = Field(1.0, ge=0.01, le=3600)


class Sensor(Written):
    """Where a series of values came from."""

    name: Spoken
    source: Spoken
    unit: str = "C"
    limit: float | None = Field(None, description="the temperature that the drive itself calls too hot")


class SoakPhase(Written):
    """A stretch of a soak with its series; lists have one value for each interval, the last may be shorter.

    Where nothing was moved (idle, cool) the lists of what was moved are empty.
    """

    part: int = Field(1, ge=1, description="2 and above when a soak that was cut off was taken up again")
    name: Literal["idle", "load", "cool", "again"]
    start: Seconds = Field(description="seconds since the soak began")
    end: Seconds
    ended: Spoken = Field("", description="why it ended")
    interval: float = Field(ge=0.01, le=LONGEST)
    bytes: list[Count] = []
    requests: list[Count] = []
    p50: list[Seconds | None] = Field([], description="median latency, seconds")
    p99: list[Seconds | None] = []
    worst: list[Seconds | None] = []
    sensors: dict[str, list[float | None]] = {}
    flush_seconds: float | None = Field(None, description="the flush at the end of a load that wrote")

    @property
    def seconds(self) -> float:
        """Length."""
        return self.end - self.start

    def rows(self) -> tuple[list[Row], list[float]]:
        """Return the rows and when each began."""
        count = max([len(self.bytes), *(len(v) for v in self.sensors.values())], default=0)
        rows, starts = [], []
        for index in range(count):
            begin = self.start + index * self.interval
            length = min(self.interval, self.end - begin)
            if length <= 0:
                break
            values = {name: _at(v, index) for name, v in self.sensors.items()}
            rows.append(Row(length, int(_at(self.bytes, index) or 0), int(_at(self.requests, index) or 0),
                            _at(self.p50, index), _at(self.p99, index), _at(self.worst, index), values))  # fmt: skip
            starts.append(begin)
        return rows, starts


def _at(values: Sequence[Any], index: int) -> Any:
    return values[index] if index < len(values) else None


class LoggedSeries(Written):
    """What another instrument logged, lined up with the soak."""

    name: Spoken
    source: Spoken
    unit: str = "C"
    at: list[float] = Field(description="seconds since the soak began")
    values: list[float]

    @model_validator(mode="after")
    def _as_many(self) -> LoggedSeries:
        if len(self.at) != len(self.values):
            raise ValueError("it has not as many moments as values")
        return self


class SoakRecord(Written):
    """A soak: idle, load, cool-down, with every sensor."""

    plan: SoakPlan
    workload: Annotated[Workload, AfterValidator(checked_workload)]
    text: str = Field(description="the load in words, by which soaks are matched")
    files: tuple[int, int] | None = Field(None, description="sizes of the files of a write-delete load, from and to")
    engine: str
    engine_why: str = ""
    sensors: list[Sensor] = []
    phases: list[SoakPhase] = []
    counters_before: dict[str, float] = Field({}, description="the drive's own counters")
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
        return Counters(None if transitions is None else int(transitions), moved.get("throttled_seconds"), warning)

    def done(self, name: str) -> tuple[float, int]:
        """Return the seconds and bytes that the phases of a name took so far."""
        mine = [p for p in self.phases if p.name == name]
        return sum(p.seconds for p in mine), sum(sum(p.bytes) for p in mine)

    def trace(self, *, rotational: bool = False) -> Trace:
        """Return the series as numbers, logs of other instruments lined up with the rows."""
        rows: list[Row] = []
        starts: list[float] = []
        for phase in self.phases:
            more, begins = phase.rows()
            rows += more
            starts += begins
        share = {"read": 0.0, "write": 1.0}.get(self.workload.direction, self.workload.write_share or 0.0)
        spans = [Phase(p.name, p.start, p.end) for p in _joined(self.phases)]
        trace = trace_of(rows, starts, spans, writes=share, limit=self.limit, counters=self.counters,
                         rotational=rotational)  # fmt: skip
        for log in self.logs:
            trace.sensors[log.name] = lined_up(trace, log)
        return trace


def _joined(phases: Sequence[SoakPhase]) -> list[Phase]:
    """Return the phases, those of one name that were cut in two by a crash joined."""
    found: dict[str, Phase] = {}
    for phase in phases:
        before = found.get(phase.name)
        found[phase.name] = Phase(phase.name, before.start if before else phase.start, phase.end)
    return list(found.values())


def lined_up(trace: Trace, log: LoggedSeries) -> Any:
    """Return a log's value for each row: the nearest in time, if it is no further than 1.5 times its usual step."""
    import numpy as np

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


class GrowingPhase:
    """A phase while it runs: rows are added, and pairs of them joined when there are too many."""

    def __init__(self, name: Any, start: float, interval: float, part: int) -> None:
        self.name, self.start, self.interval, self.part = name, start, interval, part
        self.rows: list[Row] = []
        self.seconds = 0.0
        self.bytes = 0
        self._waiting: list[Row] = []
        self._step = 1  # rows as they come that make one kept row

    def add(self, row: Row) -> None:
        """Take one interval."""
        self.seconds += row.seconds
        self.bytes += row.bytes
        self._waiting.append(row)
        if len(self._waiting) == self._step:
            self._take()
        if len(self.rows) >= MOST_ROWS:
            self.rows = [join_rows(self.rows[i : i + 2]) for i in range(0, len(self.rows), 2)]
            self._step *= 2

    def _take(self) -> None:
        self.rows.append(join_rows(self._waiting))
        self._waiting = []

    def written(self, end: float | None = None, ended: str = "", flush: float | None = None) -> SoakPhase:
        """Return the phase as it is written down."""
        rows = [*self.rows, *([join_rows(self._waiting)] if self._waiting else [])]
        moved = any(r.requests or r.bytes for r in rows)
        names = dict.fromkeys(name for r in rows for name in r.sensors)
        return SoakPhase(
            part=self.part,
            name=self.name,
            start=round(self.start, 3),
            end=round(self.start + self.seconds if end is None else end, 3),
            ended=ended,
            interval=self.interval * self._step,
            bytes=[r.bytes for r in rows] if moved else [],
            requests=[r.requests for r in rows] if moved else [],
            p50=[_short(r.p50) for r in rows] if moved else [],
            p99=[_short(r.p99) for r in rows] if moved else [],
            worst=[_short(r.worst) for r in rows] if moved else [],
            sensors={n: [None if (v := r.sensors.get(n)) is None else round(v, 2) for r in rows] for n in names},
            flush_seconds=flush,
        )


def _short(value: float | None) -> float | None:
    return None if value is None else float(f"{value:.{DIGITS}g}")


def join_rows(rows: Sequence[Row]) -> Row:
    """Return one row for several: sums, the mean of temperatures, the median weighted by requests, the worst latencies."""
    if len(rows) == 1:
        return rows[0]
    requests = sum(r.requests for r in rows)
    middles = [(r.p50, r.requests) for r in rows if r.p50 is not None]
    names = dict.fromkeys(name for r in rows for name in r.sensors)
    sensors: dict[str, float | None] = {}
    for name in names:
        known = [v for r in rows if (v := r.sensors.get(name)) is not None]
        sensors[name] = sum(known) / len(known) if known else None
    return Row(
        sum(r.seconds for r in rows), sum(r.bytes for r in rows), requests,
        sum(p * n for p, n in middles) / sum(n for _, n in middles) if middles else None,
        max((r.p99 for r in rows if r.p99 is not None), default=None),
        max((r.worst for r in rows if r.worst is not None), default=None), sensors,
    )  # fmt: skip
