"""A run of transfer tests: its suite, and the passes of each workload."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import reduce
from operator import add
from typing import Literal

from ulterion.core.arrays import np
from ulterion.core.documents.fields import Field
from ulterion.core.documents.written import Written
from ulterion.core.soak.cache_fill import Fill
from ulterion.core.stats.samples import Looked
from ulterion.core.workloads.histogram import LatencyHistogram
from ulterion.core.workloads.network import Datagrams
from ulterion.core.workloads.pass_states import AFTER, SLOW_STATES, CacheExhaustion, states_from_known_cache, states_of
from ulterion.core.workloads.suites import SWEEP
from ulterion.core.workloads.workload import DriveWorkload, PassState, on_drive
from ulterion.model.quantities import Count, Seconds, Spoken
from ulterion.model.runs.header import Header, RunScope, State, WriteStep
from ulterion.model.runs.passes import PassRecord
from ulterion.model.runs.upgrades import Raw
from ulterion.model.runs.workload import AnyWorkload


class WorkloadRecord(Written):
    """A workload as it was run, and its finished passes."""

    workload: AnyWorkload
    text: str = Field(description="the workload in words, by which runs are matched")
    engine: str = Field(description="how the requests were issued")
    engine_why: str = ""
    passes: list[PassRecord] = []
    ended: Spoken | None = Field(
        default=None, description="why no more passes were run, when that was left to the result"
    )
    suspect: Spoken | None = Field(default=None, description="why the figure cannot be the drive's")

    @property
    def counted(self) -> list[PassRecord]:
        """The passes that count: all but a warm-up."""
        return [p for p in self.passes if p.number > 0]

    @property
    def latency(self) -> LatencyHistogram:
        """The waits of all counted passes together; empty where none were taken."""
        merged = LatencyHistogram()
        for one in self.counted:
            if one.latency is not None:
                merged.merge(one.latency.read_back())
        return merged

    @property
    def datagrams(self) -> Datagrams | None:
        """What became of the datagrams of all counted passes, None where none were sent."""
        each = [d for p in self.counted if p.network is not None and (d := p.network.datagrams) is not None]
        return reduce(add, each) if each else None

    @property
    def figures(self) -> list[WorkloadRecord]:
        """A record for each state that was seen, with its passes alone, the cached first; mixed passes count for none.

        What was done in a slow state is named so: it is compared with its like alone.
        """
        order: tuple[PassState | None, ...] = (None, "cached", *SLOW_STATES)
        by_state = [(state, [p for p in self.counted if p.state == state]) for state in order]
        return [self._of_state(state, passes) for state, passes in by_state if passes]

    def key_in(self, state: PassState | None) -> str:
        """Return what its results in a state of the drive are known by: its words, and the state where that is a slow one."""
        return f"{self.text}, {state}" if state in SLOW_STATES else self.text

    def _of_state(self, state: PassState | None, passes: list[PassRecord]) -> WorkloadRecord:
        if state not in SLOW_STATES:
            return self.changed(passes=passes)
        workload = replace(on_drive(self.workload), state=state)
        return self.changed(passes=passes, text=self.key_in(state), workload=workload)

    @property
    def used_up(self) -> CacheExhaustion | None:
        """What its passes show of the write cache, where they are large sequential writes and saw both of its states."""
        cached, after = ([p for p in self.counted if p.state == state] for state in ("cached", AFTER))
        if not (cached and after and self.writes_in_order):
            return None
        slow = [p.number for p in self.counted if p.state != "cached"]
        return CacheExhaustion(_middle(cached), _middle(after), min(slow))

    @property
    def writes_in_order(self) -> bool:
        """Whether it is a sequential write: those alone have one rate before and one after a cache."""
        return self.workload.direction == "write" and self.workload.pattern == "sequential"

    def with_states(self) -> WorkloadRecord:
        """Return it with the state of each pass named, where two are told apart; of reads only heat is a state."""
        states = states_of([p.shape for p in self.counted])
        if not self.workload.writes and not any(p.hot for p in self.counted):
            return self
        return self._named(states)

    def with_states_from(self, known: Sequence[CacheExhaustion]) -> WorkloadRecord:
        """Return the record with the states of its passes taken from what is known of the cache elsewhere, where the passes show none themselves."""
        if not self.writes_in_order or any(p.state is not None for p in self.counted):
            return self
        return self._named(states_from_known_cache([(p.number, p.shape.rate) for p in self.counted], known))

    def _named(self, states: Sequence[PassState | None]) -> WorkloadRecord:
        of = dict(zip([p.number for p in self.counted], states, strict=True))
        return self.changed(passes=[p.changed(state=of.get(p.number)) for p in self.passes])


def _middle(passes: Sequence[PassRecord]) -> float:
    return float(np.median([p.shape.rate for p in passes]))


class Before(Written):
    """What was written to the drive shortly before the first pass, and what a soak of it says of its write cache."""

    recent_bytes: Count = Field(description="by runs that ended at most ten minutes before")
    prefilled_bytes: Count = Field(default=0, description="by laying the test file down")
    cache_bytes: Count | None = Field(default=None, gt=0, description="that it could write before it fell")
    cache_used: Count = Field(default=0, description="of them, that must still be in use")
    cache_fast: float | None = Field(default=None, gt=0, description="bytes per second before it fell")
    cache_slow: float | None = Field(default=None, gt=0, description="bytes per second after it")
    cache_run: str | None = Field(default=None, description="id of that soak")
    cache_here: bool = Field(default=False, description="whether that soak was of the same setup")

    @property
    def fill(self) -> Fill | None:
        """The cache when the first pass begins, the laying of the test file included; None where none is known."""
        if self.cache_bytes is None or self.cache_fast is None or self.cache_slow is None:
            return None
        begun = Fill(self.cache_bytes, self.cache_slow, self.cache_used)
        return begun.after(self.prefilled_bytes, self.prefilled_bytes / self.cache_fast)


class Settings(RunScope):
    """What was asked for."""

    passes: Count
    seconds: Seconds
    workers: int | None = Field(
        default=None, description="worker processes that were asked for, each with the workload's depth"
    )
    warm_up: bool | None = None
    rest_seconds: float | None = None
    cool_to: float | None = Field(default=None, description="degrees Celsius waited for between passes")
    relative_half_width: float | None = Field(
        default=None, description="half the relative interval asked for, as a ratio"
    )
    max_passes: Count | None = Field(default=None, description="passes after which that was given up")
    span_fitted: bool | None = Field(
        default=None, description="whether the span is what could be laid down in the time a test may take"
    )


class MeasureRun(Header):
    """A suite of workloads done on a setup."""

    kind: Literal["measure", "network"] = "measure"
    suite: str
    settings: Settings
    before: Before | None = None
    workloads: list[WorkloadRecord]

    @property
    def in_turn(self) -> list[tuple[WorkloadRecord, PassRecord]]:
        """Every pass with its workload, in the order they were run: round by round."""
        every = [(p.number, at, record, p) for at, record in enumerate(self.workloads) for p in record.passes]
        return [(record, p) for _, _, record, p in sorted(every, key=lambda e: e[:2])]

    @property
    def written(self) -> list[WriteStep]:
        """What it wrote to its medium: the test file, then pass by pass."""
        prefilled = 0 if self.before is None else self.before.prefilled_bytes
        return [
            WriteStep(prefilled, 0.0),
            *(WriteStep(p.bytes * r.workload.writes, p.seconds) for r, p in self.in_turn),
        ]

    @property
    def cache_lasted(self) -> int:
        """Bytes that the run had written, laying the test file included, before the first pass that was not into the cache alone."""
        written = 0.0 if self.before is None else float(self.before.prefilled_bytes)
        for record, one in self.in_turn:
            if record.workload.writes and one.state in ("mixed", AFTER):
                break
            written += one.bytes * record.workload.writes
        return int(written)

    def with_states(self) -> MeasureRun:
        """Return the run with the state of every pass named, as far as its passes and what is known of the cache tell."""
        records = [record.with_states() for record in self.workloads]
        used = [u for u in (record.used_up for record in records) if u is not None]
        stated = [r.with_states_from([*used, *self._from_soak(i, r)]) for i, r in enumerate(records)]
        return self.changed(workloads=stated)

    def _from_soak(self, index: int, record: WorkloadRecord) -> list[CacheExhaustion]:
        """Return what a soak says of the cache, from the first pass on at which it cannot have been fresh."""
        known, fill = self.before, None if self.before is None else self.before.fill
        if fill is None or known is None or not known.cache_here or self.settings.cool_to is not None:
            return []
        stale = []
        for of, one in self.in_turn:
            if of is self.workloads[index] and not fill.is_fresh:
                stale.append(one.number)
            fill = fill.after(one.bytes * of.workload.writes, one.seconds + (self.settings.rest_seconds or 0.0))
        return [CacheExhaustion(known.cache_fast or 0.0, known.cache_slow or 1.0, min(stale))] if stale else []

    def with_passes(self, passes: Sequence[tuple[int, PassRecord]], state: State) -> MeasureRun:
        """Return the run with its finished passes, given as (workload index, pass), and its state."""
        workloads = [
            record.changed(passes=[p for at, p in passes if at == index]) for index, record in enumerate(self.workloads)
        ]
        return self.changed(workloads=workloads, state=state)

    def on_span(self, span_bytes: int) -> MeasureRun:
        """Return the run with the stretch of the medium that was covered in the end."""
        records = [r.changed(workload=r.workload.within(span_bytes)) for r in self.workloads]
        settings = self.settings.changed(span_bytes=min(span_bytes, self.settings.span_bytes))
        return self.changed(workloads=records, settings=settings)

    def rates_of(self, record: WorkloadRecord) -> Sequence[float]:
        """Return the rates of a workload's passes that count, bytes per second, in their order."""
        rates = tuple(p.rate for p in record.counted)
        looked = self.settings.relative_half_width is not None or self.settings.max_passes is not None
        return Looked.of(rates, self.settings.passes) if looked else rates

    @property
    def is_sweep(self) -> bool:
        """Whether its workloads sweep sizes or depths."""
        return self.suite == SWEEP

    @property
    def at_places(self) -> bool:
        """Whether its workloads were run at places of the medium."""
        return any(isinstance(r.workload, DriveWorkload) and r.workload.place is not None for r in self.workloads)

    @property
    def kept_words(self) -> str:
        """What a cut-off run has, in words."""
        return f"its {sum(len(w.passes) for w in self.workloads)} finished passes are"


class Recovery:
    """The passes that the lines of a journal hold."""

    def __init__(self, run: MeasureRun) -> None:
        self._run = run
        self._passes: list[tuple[int, PassRecord]] = []

    def take(self, line: Raw) -> None:
        """Take a line; raise KeyError, TypeError or ValueError where it is not one of this kind."""
        if "span" in line:
            self._run = self._run.on_span(int(line["span"]))
            return
        index = int(line["workload"])
        if not 0 <= index < len(self._run.workloads):
            raise ValueError(f"no workload {index}")
        self._passes.append((index, PassRecord.from_data(line["pass"])))

    def run(self, state: State) -> MeasureRun:
        """Return the run with what was taken, the states of its passes named."""
        return self._run.with_passes(self._passes, state).with_states()
