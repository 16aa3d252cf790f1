"""A soak while it runs: its phases one after the other, every interval kept as it comes."""

from __future__ import annotations

import datetime
import time
from collections.abc import Callable

import numpy as np

from ulterion.conduct.benches import Bench, SimBenchSource, Source
from ulterion.conduct.bystanders import Bystanders
from ulterion.conduct.measure import AnyTarget, failure_of, timestamp
from ulterion.conduct.noting import parse_note
from ulterion.conduct.soakrequest import Soaked, SoakObserver, SoakRequest, seconds_since
from ulterion.core.errors import Interrupted, TargetFailed, UsageError
from ulterion.core.soak.falls import falls
from ulterion.core.soak.settling import SETTLED_OVER, is_settled
from ulterion.core.soak.steady import ROUND_SECONDS, ROUNDS, rounds_of, steady_round
from ulterion.core.soak.trace import AGAIN, COOL, DRIVE, IDLE, LOAD, Phase, Row, sensor_values, trace_of
from ulterion.core.units import show_duration, show_size
from ulterion.core.workload import Workload
from ulterion.engine.device import DeviceTarget
from ulterion.engine.load import set_room_aside
from ulterion.engine.target import FolderTarget
from ulterion.host import inuse, sensors
from ulterion.model.journal import SUFFIX, Journal, with_phases
from ulterion.model.runs.document import Note, Reading, RunDocument, State
from ulterion.model.runs.soak import SETTLED, GrowingPhase, SoakPhase, SoakPlan
from ulterion.model.store import run_name
from ulterion.sim.target import SimTarget

LONGEST_IDLE, LONGEST_COOL = 900.0, 3600.0  # seconds waited for a temperature to settle
IDLE_BLIND, COOL_BLIND = 10.0, 60.0  # seconds where there is no thermometer to wait for
AGAIN_MORE, LONGEST_AGAIN = 1.3, 900.0  # of the bytes that were fast the first time; seconds
NEXT = "next"  # typed, it ends the phase that is on
LOOK_EVERY = 5.0  # seconds between two searches for events while the load is on
SWAP_SECONDS = 120.0


def drive_counters(bench: Bench, run: RunDocument) -> dict[str, float]:
    """Return what the drive counts itself now; empty where it cannot be asked."""
    if isinstance(bench, SimBenchSource):
        return bench.counters()
    return sensors.counters_of(inuse.whole_disk(run.target.device)) if run.target.device else {}


class Soaking:
    """A soak while it runs."""

    def __init__(self, request: SoakRequest, target: AnyTarget, bench: Bench, run: RunDocument, workload: Workload,
                 observer: SoakObserver) -> None:  # fmt: skip
        assert run.soak is not None
        self.request, self.target, self.bench, self.run = request, target, bench, run
        self.workload, self.observer, self.record = workload, observer, run.soak
        self.part = max((p.part for p in self.record.phases), default=0) + 1
        self.offset = self._offset()
        self.phases: list[SoakPhase] = []
        self.readings: list[Reading] = []
        self.notes: list[Note] = []
        self.on: GrowingPhase | None = None
        self._next = False
        self._looked = time.monotonic()
        self._bystanders = Bystanders()

    def _offset(self) -> float:
        """Return how long after the soak's beginning this part begins."""
        if self.part == 1:
            return 0.0
        last = max(p.end for p in self.record.phases)
        if isinstance(self.target, SimTarget):
            return last + SWAP_SECONDS
        return max(last, seconds_since(self.run))

    def keep(self) -> Soaked:
        """Run the phases with a journal, then write the document whatever happened."""
        folder = self.request.review.make_runs_folder()
        path = folder / f"{run_name(self.run)}{SUFFIX}"
        self.journal = Journal(path, self.run)
        saved, failure = False, None
        try:
            state = State(name="complete")
            try:
                self._phases()
            except (TargetFailed, Interrupted, KeyboardInterrupt) as error:
                doing = f"the {self.on.name} phase" if self.on else "preparing"
                failure, state = failure_of(error, doing, self.run.target)
            self._close_phase("cut off")
            done, document = self.request.review.finish(self._document(state), path)
            saved = True
            return Soaked(done, document, failure)
        finally:
            self.journal.close(remove=saved or not (self.phases or self.on))

    def _document(self, state: State) -> RunDocument:
        # a drive that failed may be silent, and asking it could hang
        after = {} if state.name == "failed" else drive_counters(self.bench, self.run)
        soaked = self.record.model_copy(update={"counters_after": after})
        run = with_phases(self.run.model_copy(update={"soak": soaked}), self.phases, state)
        run = run.model_copy(update={"readings": [*run.readings, *self.readings], "notes": [*run.notes, *self.notes],
                                     "ended": self._moment()})  # fmt: skip
        warnings = [*run.warnings, *self._bystanders.warnings(run.target)]
        return run.model_copy(update={"warnings": warnings})

    def _phases(self) -> None:
        plan = self.record.plan
        seconds, moved = self.record.done(LOAD)
        self._prepare()
        if not seconds and plan.idle != 0.0:
            self._phase(IDLE, None, _waiting(plan.idle, IDLE_BLIND, LONGEST_IDLE), _until(plan.idle))
        if _left(plan, seconds, moved):
            self._phase(LOAD, self.workload, self._load_done(seconds, moved), _load_words(plan))
        if plan.cool != 0.0 and not self.record.done(COOL)[0]:
            self._phase(COOL, None, _waiting(plan.cool, COOL_BLIND, LONGEST_COOL), _until(plan.cool))
        if plan.again:
            self._again()

    def _prepare(self) -> None:
        """Lay down what will be read; set aside the room of what will be written, without writing it."""
        target = self.target
        if isinstance(target, SimTarget):
            target.recognised()
            return
        if self.request.files is not None:
            return
        if self.workload.direction == "write" and isinstance(target, FolderTarget):
            if set_room_aside(target) or self.workload.pattern == "sequential":
                return
        elif self.workload.direction == "write" and isinstance(target, DeviceTarget):
            return
        target.prepare(self.run.settings.seed, self.observer.laying)

    def _again(self) -> None:
        """Load a second time, long enough to see how much of the write cache came back."""
        phases = [*self.record.phases, *self.phases]
        trace = self.record.model_copy(update={"phases": phases}).trace()
        load = trace.phase(LOAD)
        found = [f for f in falls(trace.during(load)) if f.cause == "write cache"] if load else []
        if not found:
            self._remark("no second load: the first showed no write cache whose recovery could be seen")
            return
        enough = found[0].written * AGAIN_MORE

        def done(phase: GrowingPhase) -> str | None:
            if phase.bytes >= enough:
                return f"{AGAIN_MORE:g} times the bytes that were fast the first time"
            return "long enough" if phase.seconds >= LONGEST_AGAIN else None

        self._phase(AGAIN, self.workload, done, f"{show_size(enough)} are written")

    def _phase(self, name: str, workload: Workload | None, done: Callable[[GrowingPhase], str | None],
               until: str) -> None:  # fmt: skip
        """Run one phase until `done` says why it is over."""
        self.observer.phase(name, until)
        source = self.bench.begin(workload)
        try:
            self.on = GrowingPhase(name, round(self.offset + source.start, 3), self.record.plan.interval, self.part)
            self.journal.phase(self.on)
            why = None
            while why is None:
                for row in source.look():
                    self._take(row)
                    why = why or done(self.on)
                self._between()
                self._note_standstill(source)
                if self._next:
                    why, self._next = why or "ended by hand", False
            rows, flush = source.end()
            for row in rows:
                self._take(row)
            self._close_phase(why, flush)
        except TargetFailed:
            self._take_remains(source)
            raise
        except (Interrupted, KeyboardInterrupt):
            self._end_in_order(source)
            raise
        finally:
            source.close()
        self._find_events(now=True)

    def _note_standstill(self, source: Source) -> None:
        """A load that stood still for another reason than the drive's is said to have."""
        why = source.stood_still()
        if why is not None:
            self._remark(f"{why}: the rate just before this moment is not the drive's")

    def _take_remains(self, source: Source) -> None:
        for row in source.remains():
            self._take(row)

    def _end_in_order(self, source: Source) -> None:
        """A stop by hand: take what there is, the last short interval included."""
        try:
            rows, flush = source.end()
        except TargetFailed:
            rows, flush = source.remains(), None
        for row in rows:
            self._take(row)
        self._close_phase("stopped", flush)

    def _close_phase(self, why: str, flush: float | None = None) -> None:
        if self.on is None:
            return
        if self.on.seconds:
            phase = self.on.written(ended=why, flush=flush)
            self.phases.append(phase)
            self.journal.phase_end(phase.end, why, flush)
        self.on = None

    def _take(self, row: Row) -> None:
        assert self.on is not None
        if row.seconds <= 1e-6:
            return
        self.on.add(row)
        self.journal.row(row)
        self.observer.row(self.on.name, row, self.on.seconds, self.on.bytes)

    def _between(self) -> None:
        """Between rows: what was typed, what sensors say, what happened to the rate."""
        for line in self.observer.typed():
            if line.strip().casefold() == NEXT:
                self._next = True
                continue
            try:
                self._note(parse_note(line, self._now()))
            except UsageError as error:
                self._remark(f"{line} ({error})")
        if self.bench.trouble:
            self.observer.trouble(dict(self.bench.trouble))
        self._find_events()

    def _now(self) -> float:
        return round(self.offset + self.bench.now(), 1)

    def _moment(self) -> str:
        """Return the present moment, or that of the simulated bench."""
        if not isinstance(self.target, SimTarget):
            return timestamp(datetime.datetime.now(datetime.UTC))
        began = datetime.datetime.fromisoformat(self.run.started)
        return timestamp(began + datetime.timedelta(seconds=self._now()))

    def _remark(self, text: str) -> None:
        self._note(Note(kind="remark", text=text, at_seconds=self._now(), noted=self._moment()))

    def _note(self, record: Reading | Note) -> None:
        (self.readings if isinstance(record, Reading) else self.notes).append(record)  # type: ignore[arg-type]
        self.journal.note(record)
        self.observer.noted(record)

    def _find_events(self, *, now: bool = False) -> None:
        """Tell what happened to the rate, every few seconds: a search takes longer the longer the load."""
        phase = self.on
        if phase is None or phase.name != LOAD or time.monotonic() - self._looked < LOOK_EVERY:
            return
        begin = time.monotonic()
        starts = phase.start + phase.interval * np.arange(len(phase.rows))
        trace = trace_of(phase.rows, starts.tolist(), [Phase(LOAD, phase.start, phase.start + phase.seconds)],
                         limit=self.record.limit)  # fmt: skip
        self.observer.events(falls(trace.joined()), phase.start)
        self._looked = time.monotonic() + 20 * (time.monotonic() - begin)

    def _load_done(self, seconds: float, moved: int) -> Callable[[GrowingPhase], str | None]:
        plan = self.record.plan
        rounds_seen = 0

        def done(phase: GrowingPhase) -> str | None:
            nonlocal rounds_seen
            if plan.load_seconds is not None and seconds + phase.seconds >= plan.load_seconds - 1e-6:
                return "the time was up"
            if plan.load_bytes is not None and moved + phase.bytes >= plan.load_bytes:
                return f"{show_size(plan.load_bytes)} were moved"
            if plan.until_steady and phase.seconds // ROUND_SECONDS > rounds_seen:
                rounds_seen = int(phase.seconds // ROUND_SECONDS)
                found = _last_rounds(phase)
                if steady_round(found) is not None:
                    return "the rate was steady"
            return None

        return done


def _last_rounds(phase: GrowingPhase) -> list[float]:
    """Return the rates of the last five rounds of a phase, fewer when it is shorter."""
    interval = phase.seconds / max(len(phase.rows), 1)
    rows = phase.rows[-round(ROUNDS * ROUND_SECONDS / interval) :]
    starts = [interval * i for i in range(len(rows))]
    trace = trace_of(rows, starts, [Phase(LOAD, 0.0, interval * len(rows))])
    return [float(r) for r in rounds_of(trace)]


def _waiting(seconds: float | None, blind: float, longest: float) -> Callable[[GrowingPhase], str | None]:
    """Return when a rest is over: after its time, or once the drive's temperature has settled."""

    def done(phase: GrowingPhase) -> str | None:
        if seconds is not None:
            return "the time was up" if phase.seconds >= seconds - 1e-6 else None
        rows = phase.rows[-round(2 * SETTLED_OVER / phase.interval) :]
        values = sensor_values(rows, DRIVE)
        if not np.isfinite(values).any():
            return "no thermometer to wait for" if phase.seconds >= blind else None
        starts = np.asarray(np.arange(values.size) * phase.interval, dtype=np.float64)
        if is_settled(starts, values, float(values.size * phase.interval)):
            return SETTLED
        return f"not settled after {show_duration(longest)}" if phase.seconds >= longest else None

    return done


def _until(seconds: float | None) -> str:
    return "until its temperature has settled" if seconds is None else f"for {show_duration(seconds)}"


def _load_words(plan: SoakPlan) -> str:
    words = [f"for {show_duration(plan.load_seconds)}"] if plan.load_seconds is not None else []
    words += [f"until {show_size(plan.load_bytes)} are moved"] if plan.load_bytes is not None else []
    words += ["until the rate is steady"] if plan.until_steady else []
    return " or ".join(words)


def _left(plan: SoakPlan, seconds: float, moved: int) -> bool:
    """Return whether a load that ran for `seconds` and moved `moved` bytes before it was cut off has any left."""
    if plan.load_seconds is not None and seconds >= plan.load_seconds - 1e-6:
        return False
    return plan.load_bytes is None or moved < plan.load_bytes
