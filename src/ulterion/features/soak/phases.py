"""A soak while it runs: its phases one after the other, every interval kept as it comes."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence

from ulterion.core.errors import Interrupted, TargetFailed, UsageError
from ulterion.core.soak.findings import events
from ulterion.core.soak.trace import AGAIN, COOL, IDLE, LOAD, TraceRow
from ulterion.core.units import show_size
from ulterion.core.workloads.workload import Workload
from ulterion.features.notes.parsing import parse_note
from ulterion.features.soak.phase_ends import (
    TIME_UP,
    cool_done,
    idle_done,
    load_done,
    load_words,
    rest_words,
    work_left,
)
from ulterion.model.runs.header import State
from ulterion.model.runs.notes import Note, Reading
from ulterion.model.runs.phase_builder import PhaseBuilder
from ulterion.model.runs.soak import PhaseName, SoakPhase, SoakRun
from ulterion.run.background_load import BackgroundLoad
from ulterion.run.observers import Kept, Observer
from ulterion.run.opening import Opened
from ulterion.run.requests import SoakRequest
from ulterion.run.session import RunSession, moment_of
from ulterion.run.targets.soak_sources import Bench, Source

AGAIN_MORE, MAX_AGAIN = 1.3, 900.0  # of the bytes that were fast the first time; seconds
NEXT = "next"  # typed, it ends the phase that is on
LOOK_EVERY = 5.0  # seconds between two searches for events while the load is on


class Soaking:
    """A soak while it runs."""

    def __init__(
        self,
        request: SoakRequest,
        opening: Opened,
        bench: Bench,
        run: SoakRun,
        observer: Observer,
    ) -> None:
        self.request, self.opening, self.bench, self.run = request, opening, bench, run
        self.target, self.workload = opening.load_target, opening.workloads[0]
        self.observer, self.record = observer, run.soak
        self.part = max((p.part for p in self.record.phases), default=0) + 1
        self.offset = self._offset()
        self.phases: list[SoakPhase] = []
        self.readings: list[Reading] = []
        self.notes: list[Note] = []
        self.on: PhaseBuilder | None = None
        self._next = False
        self._looked = time.monotonic()
        self._bystanders = BackgroundLoad()

    def _offset(self) -> float:
        """Return how long after the soak's beginning this part begins."""
        if self.part == 1:
            return 0.0
        last = max(p.end for p in self.record.phases)
        return self.target.resumed_at(last, self.run.started)

    def keep(self) -> Kept[SoakRun]:
        """Run the phases with a journal, then write the document whatever happened."""
        with RunSession(self.request.place.review, self.run, self.target) as session:
            self.journal = session.journal
            with session.guarded(lambda: f"the {self.on.name} phase" if self.on else "preparing"):
                self._phases()
            self._close_phase("cut off")
            return session.finish(self._document(session.state))

    def _document(self, state: State) -> SoakRun:
        # a drive that failed may be silent, and asking it could hang
        after = {} if state.name == "failed" else self.target.counters()
        run = self._with(self.phases, after, state)
        run = self.opening.with_links_under_load(run.changed(ended=moment_of(run, self.target)))
        noted: list[Reading | Note] = [*self.readings, *self.notes]
        for record in noted:
            run = run.with_record(record)
        return run.with_warnings(*self._bystanders.warnings(run.target))

    def _with(self, phases: Sequence[SoakPhase], counters: dict[str, float], state: State) -> SoakRun:
        """Return the run with phases and what the drive counted by now."""
        soaked = self.record.changed(counters_after=counters)
        return self.run.changed(soak=soaked).with_phases(phases, state)

    def _phases(self) -> None:
        plan = self.record.plan
        seconds, moved = self.record.done(LOAD)
        self.target.make_room(self.workload, self.run.settings.seed, self.request.files, self.observer.prefilling)
        if not seconds and plan.idle != 0.0:
            self._phase(IDLE, None, idle_done(plan.idle), rest_words(plan.idle))
        if work_left(plan, seconds, moved):
            left = None if plan.load_seconds is None else plan.load_seconds - seconds
            self._phase(LOAD, self.workload, load_done(plan, seconds, moved), load_words(plan), left)
        if plan.cool != 0.0 and not self.record.done(COOL)[0]:
            self._phase(COOL, None, cool_done(plan.cool), rest_words(plan.cool))
        if plan.again:
            self._again()

    def _again(self) -> None:
        """Load a second time, long enough to see how much of the write cache came back."""
        falls = events(self._so_far().trace())
        used_up = [
            f for f in falls if f.cause == "write cache" or (f.until is None and f.heat is None and f.cause != "zones")
        ]
        if not used_up:
            self._remark("no second load: the first showed no write cache that could recover")
            return
        enough = used_up[0].written * AGAIN_MORE

        def done(phase: PhaseBuilder) -> str | None:
            if phase.bytes >= enough:
                return f"{AGAIN_MORE:g} times the bytes that were fast the first time"
            return "long enough" if phase.seconds >= MAX_AGAIN else None

        self._phase(AGAIN, self.workload, done, f"{show_size(enough)} are written")

    def _phase(
        self,
        name: PhaseName,
        workload: Workload | None,
        done: Callable[[PhaseBuilder], str | None],
        until: str,
        seconds: float | None = None,
    ) -> None:
        """Run one phase until `done` says why it is over, or for `seconds`."""
        self.observer.phase(name, until)
        source = self.bench.begin(workload, seconds)
        try:
            self.on = PhaseBuilder(name, round(self.offset + source.start, 3), self.record.plan.interval, self.part)
            self.journal.phase(self.on)
            why = None
            while why is None:
                for row in source.look():
                    self._take(row)
                    why = why or done(self.on)
                why = why or (TIME_UP if source.ended else None)
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

    def _take(self, row: TraceRow) -> None:
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

    def _remark(self, text: str) -> None:
        self._note(Note(kind="remark", text=text, at_seconds=self._now(), noted=moment_of(self.run, self.target)))

    def _note(self, record: Reading | Note) -> None:
        if isinstance(record, Reading):
            self.readings.append(record)
        else:
            self.notes.append(record)
        self.journal.note(record)
        self.observer.noted(record)

    def _so_far(self) -> SoakRun:
        """Return the run as it would be written now: what is told while it goes on rests on the same as what is told at the end."""
        on = [self.on.written()] if self.on is not None and self.on.seconds else []
        return self._with([*self.phases, *on], self.target.counters(), self.run.state)

    def _find_events(self) -> None:
        """Tell what happened to the rate, every few seconds: a search takes longer the longer the load."""
        phase = self.on
        if phase is None or phase.name != LOAD or time.monotonic() - self._looked < LOOK_EVERY:
            return
        if not phase.rows or not phase.rows[-1].bytes:
            return  # the drive may be silent, and asking it for its counters could hang
        begin = time.monotonic()
        self.observer.events(events(self._so_far().trace()), phase.start)
        self._looked = time.monotonic() + 20 * (time.monotonic() - begin)
