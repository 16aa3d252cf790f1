"""A phase of a soak while it grows: row by row, live or from the lines of a journal."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ulterion.core.soak.trace import TraceRow
from ulterion.model.quantities import MAX_COUNT, MAX_SECONDS
from ulterion.model.runs.header import State
from ulterion.model.runs.soak import PhaseName, SoakPhase, SoakRun
from ulterion.model.runs.upgrades import Raw

MAX_ROWS = 65536  # of a phase; above it pairs are joined and the interval doubles, so a document stays small
DIGITS = 4  # significant digits of latencies; their buckets are 1% wide
CUT_OFF = "the program ended"


class PhaseBuilder:
    """A phase while it runs: rows are added, and pairs of them joined when there are too many."""

    def __init__(self, name: PhaseName, start: float, interval: float, part: int) -> None:
        self.name, self.start, self.interval, self.part = name, start, interval, part
        self.rows: list[TraceRow] = []
        self.seconds = 0.0
        self.bytes = 0
        self._waiting: list[TraceRow] = []
        self._step = 1  # rows as they come that make one kept row

    def add(self, row: TraceRow) -> None:
        """Take one interval."""
        self.seconds += row.seconds
        self.bytes += row.bytes
        self._waiting.append(row)
        if len(self._waiting) == self._step:
            self._take()
        if len(self.rows) >= MAX_ROWS:
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


def join_rows(rows: Sequence[TraceRow]) -> TraceRow:
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
    return TraceRow(
        seconds=sum(r.seconds for r in rows),
        bytes=sum(r.bytes for r in rows),
        requests=requests,
        p50=sum(p * n for p, n in middles) / sum(n for _, n in middles) if middles else None,
        p99=max((r.p99 for r in rows if r.p99 is not None), default=None),
        worst=max((r.worst for r in rows if r.worst is not None), default=None),
        sensors=sensors,
    )


class Recovery:
    """The phases that the lines of a journal hold, the one that was on when the program ended included."""

    def __init__(self, run: SoakRun) -> None:
        self._run = run
        self._phases: list[SoakPhase] = []
        self._on: PhaseBuilder | None = None

    def take(self, line: Raw) -> None:
        """Take a line; raise KeyError, TypeError or ValueError where it is not one of this kind."""
        if "row" in line and self._on is not None:
            self._on.add(_row(line["row"]))
        elif "phase" in line:
            self._close()
            start = line["phase"]
            self._on = PhaseBuilder(start["name"], float(start["start"]), float(start["interval"]), start["part"])
            self._on.written()  # what is no phase is told here, not when the last of its rows is in
        elif "end" in line and self._on is not None:
            end, ended, flush = line["end"]
            self._phases.append(self._on.written(end, ended, flush))
            self._on = None
        else:
            raise ValueError("no line of a soak")

    def _close(self) -> None:
        if self._on is not None and self._on.seconds:
            self._phases.append(self._on.written(ended=CUT_OFF))
        self._on = None

    def run(self, state: State) -> SoakRun:
        """Return the soak with what was taken."""
        self._close()
        return self._run.with_phases(self._phases, state)


def _row(line: Sequence[Any]) -> TraceRow:
    """Return a row whose values can be written down; raise ValueError or TypeError."""
    seconds, moved, requests, p50, p99, worst, sensors = line
    row = TraceRow(
        seconds=float(seconds),
        bytes=int(moved),
        requests=int(requests),
        p50=p50,
        p99=p99,
        worst=worst,
        sensors=dict(sensors),
    )
    for value in (row.seconds, p50, p99, worst, *row.sensors.values()):
        if value is not None and not abs(value) < MAX_SECONDS:
            raise ValueError("no number")
    if row.seconds <= 0 or not 0 <= row.bytes <= MAX_COUNT or not 0 <= row.requests <= MAX_COUNT:
        raise ValueError("no row")
    return row
