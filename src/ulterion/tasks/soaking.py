"""One soak: idle, load, cool-down, every interval kept as it comes, and taken up again when it was cut off."""

from __future__ import annotations

import datetime
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from ulterion.core.causes import Fall, falls
from ulterion.core.errors import Interrupted, TargetFailed, UlterionError, UsageError
from ulterion.core.heat import is_settled
from ulterion.core.soak import AGAIN, COOL, DRIVE, IDLE, LOAD, Phase, Row, sensor_values, trace_of
from ulterion.core.steady import ROUND_SECONDS, rounds_of, steady_round
from ulterion.core.units import show_block, show_duration, show_size
from ulterion.core.workload import Workload
from ulterion.engine.crew import STALL
from ulterion.engine.device import DeviceTarget, is_device
from ulterion.engine.load import FileSizes, set_room_aside
from ulterion.engine.target import FileTarget, FolderTarget, largest_span
from ulterion.host import safety, sensors
from ulterion.host.facts import device_facts, target_facts
from ulterion.model.journal import SUFFIX, Journal, with_phases
from ulterion.model.run import Note, Reading, RunDocument, State
from ulterion.model.soak import SETTLED, GrowingPhase, Sensor, SoakPhase, SoakPlan, SoakRecord
from ulterion.model.store import ReviewFolder, notes_beside, run_name, take_notes
from ulterion.sim.bench import load_bench
from ulterion.sim.target import SimTarget
from ulterion.tasks.measuring import SIM, AnyTarget, Request, failure_of, marked, open_run, timestamp
from ulterion.tasks.noting import parse_note
from ulterion.tasks.permits import Overwrite
from ulterion.tasks.sources import Bench, RealBench, SimBenchSource, Source
from ulterion.tasks.thermometers import Thermometers

LONGEST_IDLE, LONGEST_COOL = 900.0, 3600.0  # seconds waited for a temperature to settle
IDLE_BLIND, COOL_BLIND = 10.0, 60.0  # seconds where there is no thermometer to wait for
AGAIN_MORE, LONGEST_AGAIN = 1.3, 900.0  # of the bytes that were fast the first time; seconds
READ_SPAN = 4 * 2**30  # bytes that a reading soak goes over, unless told otherwise
SYSTEM_SHARE = 0.10  # of what is free on the system disk; others need room too
LOOK_EVERY = 5.0  # seconds between two searches for events while the load is on
SWAP_SECONDS = 120.0


@dataclass(frozen=True)
class SoakRequest:
    """What the reviewer asked for.

    Attributes:
        review: where the run is kept.
        target: folder or device given on the command line, or None for the hookup's.
        hookup: name of the hookup, or None.
        workload: the load.
        plan: phases and when they end.
        files: sizes of the files of a write-delete load, or None for a load on one file.
        span_bytes: stretch of the medium, or None for the default.
        seed: of offsets, data and simulated noise; None to draw one.
        stall: seconds without an answer after which a device counts as stalled.
        overwrite: the permit to write to a raw device.
        sensors: further sensors, tried already.
        pace: virtual seconds for each real one on the simulated bench; None: as fast as it goes.
        previous: a soak that was cut off and is taken up again, or None.
    """

    review: ReviewFolder
    target: str | None
    hookup: str | None
    workload: Workload
    plan: SoakPlan
    files: FileSizes | None = None
    span_bytes: int | None = None
    seed: int | None = None
    stall: float = STALL
    overwrite: Overwrite = field(default_factory=Overwrite)
    sensors: Sequence[sensors.Sensor] = ()
    pace: float | None = None
    previous: RunDocument | None = None


class SoakObserver:
    """What a soak tells as it goes.  Every method may be left as it is."""

    def opened(self, run: RunDocument) -> None:
        """The target is open; nothing has been written to it yet."""

    def laying(self, done: int, total: int) -> None:
        """`done` of `total` bytes of a file to be read are on the medium."""

    def phase(self, name: str, until: str) -> None:
        """A phase begins; `until` says in words when it ends."""

    def row(self, name: str, row: Row, seconds: float, moved: int) -> None:
        """An interval of a phase is over; the phase took `seconds` and moved `moved` bytes so far."""

    def events(self, found: Sequence[Fall], load_start: float) -> None:
        """What happened to the rate so far."""

    def trouble(self, sensors: dict[str, str]) -> None:
        """What sensors without a value say."""

    def typed(self) -> list[str]:
        """Return the lines that the reviewer typed since the last call."""
        return []

    def noted(self, record: Reading | Note) -> None:
        """A reading or remark was kept."""


@dataclass(frozen=True)
class Soaked:
    """A finished soak: the document, where it is, and the failure that ended it, if any."""

    run: RunDocument
    path: Path
    failure: UlterionError | None


def soak(request: SoakRequest, observer: SoakObserver) -> Soaked:
    """Run a soak and keep it; a target that fails, or a stop by hand, is a soak too.  Raises UsageError before it."""
    target, run, workload = _open(request)
    try:
        bench, run = _bench(request, target, run)
        try:
            observer.opened(run)
            return _Soak(request, target, bench, run, workload, observer).keep()
        finally:
            bench.close()
    finally:
        target.close()


def _open(request: SoakRequest) -> tuple[AnyTarget, RunDocument, Workload]:
    asked = Request(
        review=request.review, target=request.target, hookup=request.hookup, suite="soak",
        workloads=[request.workload], passes=1, seconds=request.plan.load_seconds or 1.0,
        span_bytes=_span(request), seed=request.seed, stall=request.stall, overwrite=request.overwrite,
    )  # fmt: skip
    target, run, (workload,) = open_run(asked)
    try:
        if request.files is not None and not isinstance(target, FolderTarget | SimTarget):
            raise UsageError("--files writes files, which takes a folder; a device or a single file has none")
        if isinstance(target, FileTarget) and workload.direction != "read":
            raise UsageError(f"{target.path} is a file of yours and is only read; name a folder to write in")
        record = run.workloads[0]
        soaked = SoakRecord(plan=request.plan, workload=workload, text=_words(request, record.text),
                            files=(request.files.low, request.files.high) if request.files else None,
                            engine=record.engine, engine_why=record.engine_why)  # fmt: skip
        run = run.model_copy(update={"kind": "soak", "workloads": [], "soak": soaked})
        return target, _taken_up(request.previous, run), workload
    except BaseException:
        target.close()
        raise


def _words(request: SoakRequest, text: str) -> str:
    if request.files is None:
        return text
    low, high = show_size(request.files.low), show_size(request.files.high)
    return f"files of {low if low == high else f'{low} to {high}'}, written and deleted"


def _span(request: SoakRequest) -> int | None:
    """Return the span: what is asked for, else for writes all that may be used, so that no cache is spared."""
    hookup = request.review.review.hookup(request.hookup) if request.hookup else None
    where = request.target or (hookup.target if hookup else None)
    if request.span_bytes is not None or where is None or where.startswith(SIM):
        return request.span_bytes
    path = (Path.cwd() if request.target else request.review.path) / Path(where).expanduser()
    if is_device(path) or not path.is_dir():
        return None
    most = largest_span(path)
    if target_facts(path).system_disk:
        most = int(most * SYSTEM_SHARE) // 2**20 * 2**20
    if request.workload.direction == "read":
        most = min(most, READ_SPAN)
    return most or None


def _taken_up(previous: RunDocument | None, run: RunDocument) -> RunDocument:
    """Return the run to go on with: the new one, or a soak that was cut off, if this is the same drive."""
    if previous is None:
        return run
    if previous.target.serial != run.target.serial:
        raise UsageError(
            f"the soak {previous.id} was on {previous.target.serial or 'a drive without a serial number'}, and here is "
            f"{run.target.serial or 'one without'}: plug the first in to go on, or start a new soak"
        )
    return previous.model_copy(update={"state": State(name="interrupted", why="in progress")})


def _bench(request: SoakRequest, target: AnyTarget, run: RunDocument) -> tuple[Bench, RunDocument]:
    """Return what phases run on, and the run with its sensors and the drive's counters."""
    assert run.soak is not None
    seed, interval = run.settings.seed, request.plan.interval
    if isinstance(target, SimTarget):
        bench: Bench = SimBenchSource(target, interval, seed, request.pace)
        heat = target.chain[-1].heat
        found = [Sensor(name=n, source="simulated", limit=heat.limit if heat and n == DRIVE else None)
                 for n in target.state.sensors()]  # fmt: skip
        why = ""
    else:
        device = run.target.device
        own, why = sensors.of_disk(safety.whole_disk(device)) if device else ([], "no block device lies under it")
        every = [*own, *(s for s in request.sensors if s.name not in {o.name for o in own})]
        every += [s for s in request.sensors if s not in every]
        bench = RealBench(target, Thermometers(every, interval), interval, seed, request.files,
                          _since(run) if request.previous is None else 0.0)  # fmt: skip
        found = [Sensor(name=s.name, source=s.source, unit=s.unit, limit=s.limit) for s in every]
    warnings = [*run.warnings]
    if not any(s.name == DRIVE for s in found):
        warnings.append(f"no temperature of the drive{f': {why}' if why else ''}")
    kept = {"sensors": found or run.soak.sensors}
    if not run.soak.counters_before:
        kept["counters_before"] = _counters(bench, run)  # type: ignore[assignment]
    update = {"soak": run.soak.model_copy(update=kept), "warnings": list(dict.fromkeys(warnings))}
    return bench, run.model_copy(update=update)


def _since(run: RunDocument) -> float:
    """Return how many seconds ago a run was said to have started."""
    return (datetime.datetime.now(datetime.UTC) - datetime.datetime.fromisoformat(run.started)).total_seconds()


def _counters(bench: Bench, run: RunDocument) -> dict[str, float]:
    if isinstance(bench, SimBenchSource):
        return bench.counters()
    return sensors.counters_of(safety.whole_disk(run.target.device)) if run.target.device else {}


class _Soak:
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
        self.unsaved: Journal | None = None
        self._looked = time.monotonic()

    def _offset(self) -> float:
        """Return how long after the soak's beginning this part begins."""
        if self.part == 1:
            return 0.0
        last = max(p.end for p in self.record.phases)
        if isinstance(self.target, SimTarget):
            return last + SWAP_SECONDS
        return max(last, _since(self.run))

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
            done = self._document(path, state)
            document = self.request.review.save(done)
            saved = True
            notes_beside(path).unlink(missing_ok=True)
            return Soaked(done, document, failure)
        finally:
            self.journal.close(remove=saved)

    def _document(self, journal: Path, state: State) -> RunDocument:
        after = _counters(self.bench, self.run)
        soaked = self.record.model_copy(update={"counters_after": after})
        run = with_phases(self.run.model_copy(update={"soak": soaked}), self.phases, state)
        run = run.model_copy(update={"readings": [*run.readings, *self.readings], "notes": [*run.notes, *self.notes],
                                     "ended": self._moment()})  # fmt: skip
        return take_notes(journal, marked(run))

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
                lengths = phase.interval * np.arange(len(phase.rows))
                trace = trace_of(phase.rows, lengths.tolist(), [Phase(LOAD, 0.0, phase.seconds)])
                found = rounds_of(trace)
                if steady_round(found[-5:].tolist() if found.size >= 5 else []) is not None:
                    return "the rate was steady"
            return None

        return done


def _waiting(seconds: float | None, blind: float, longest: float) -> Callable[[GrowingPhase], str | None]:
    """Return when a rest is over: after its time, or once the drive's temperature has settled."""

    def done(phase: GrowingPhase) -> str | None:
        if seconds is not None:
            return "the time was up" if phase.seconds >= seconds - 1e-6 else None
        values = sensor_values(phase.rows, DRIVE)
        if not np.isfinite(values).any():
            return "no thermometer to wait for" if phase.seconds >= blind else None
        starts = np.asarray(np.arange(values.size) * phase.interval, dtype=np.float64)
        if is_settled(starts, values, phase.seconds):
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


def capacity_of(review: ReviewFolder, target: str | None, hookup: str | None) -> int | None:
    """Return the capacity (bytes) of the drive that is meant, None where it cannot be told beforehand."""
    known = review.review.hookup(hookup) if hookup else None
    where = target or (known.target if known else None)
    if where is None:
        return None
    if where.startswith(SIM) and known is not None:
        bench = load_bench(review.path / where.removeprefix(SIM))
        return bench.chain(known.chain, review.path)[-1].capacity
    path = (Path.cwd() if target else review.path) / Path(where).expanduser()
    if is_device(path):
        return device_facts(path).capacity_bytes
    return target_facts(path).capacity_bytes if path.exists() else None


def find_cut_off(review: ReviewFolder, hookup: str | None, target: str | None) -> RunDocument:
    """Return the newest soak of a hookup (or target) that was cut off; raise UsageError when there is none."""
    where = str((Path.cwd() / Path(target).expanduser()).resolve()) if target else None
    for run in reversed(review.runs()):
        mine = run.hookup == hookup and (hookup is not None or run.target.path == where)
        if run.soak is not None and mine and run.state.name != "complete":
            return run
        if run.soak is not None and mine:
            break
    raise UsageError(f"no soak of {hookup or target} was cut off; leave --resume out to start one")


def request_again(request: SoakRequest, previous: RunDocument) -> SoakRequest:
    """Return a request that goes on with a soak that was cut off: the same load, span and seed."""
    assert previous.soak is not None
    return replace(
        request, workload=replace(previous.soak.workload, seconds=None, span_bytes=None), plan=previous.soak.plan,
        files=FileSizes(*previous.soak.files) if previous.soak.files else None,
        span_bytes=previous.settings.span_bytes, seed=previous.settings.seed, previous=previous,
    )  # fmt: skip


def what_was_done(run: RunDocument) -> str:
    """Return in words how far a soak that was cut off had come."""
    assert run.soak is not None
    seconds, moved = run.soak.done(LOAD)
    return f"{show_duration(seconds)} of load and {show_size(moved)} over {show_block(run.settings.span_bytes)}"
