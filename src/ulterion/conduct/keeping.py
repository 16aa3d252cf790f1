"""Keeping what a run gives: how it ended, in words and in its document; what loaded the machine meanwhile."""

from __future__ import annotations

import datetime

from ulterion.conduct.bystanders import Bystanders
from ulterion.conduct.targets import Target
from ulterion.core.errors import Interrupted, TargetFailed, UlterionError
from ulterion.core.ownshare import own_share
from ulterion.core.passes import PassResult
from ulterion.core.plausible import impossible, sinking
from ulterion.core.stats import estimate
from ulterion.core.units import show_size
from ulterion.core.workload import Workload
from ulterion.engine import runner
from ulterion.engine.lanes import SHALLOW
from ulterion.model.journal import SUFFIX, Journal
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.header import State
from ulterion.model.runs.measure import MeasureRun, WorkloadRecord
from ulterion.model.runs.passes import PassRecord
from ulterion.model.store import ReviewFolder, run_name


def open_journal(review: ReviewFolder, run: AnyRun) -> Journal:
    """Begin the journal of a run: from here on what is finished is kept, whatever happens to the program."""
    return Journal(review.make_runs_folder() / f"{run_name(run)}{SUFFIX}", run)


class Recorder(runner.Observer):
    """Passes every step on to the reviewer's observer, and every finished pass to the journal."""

    def __init__(self, observer: runner.Observer, journal: Journal) -> None:
        self._observer, self._journal = observer, journal
        self.passes: list[tuple[int, PassRecord]] = []
        self.reasons: dict[int, str] = {}
        self.dropped: list[str] = []
        self.unfinished = 0
        self.doing = "laying the test file down"

    def laying(self, done: int, total: int) -> None:
        """Pass it on."""
        self._observer.laying(done, total)

    def begin(self, index: int, workload: Workload, number: int) -> None:
        """Know what is being done."""
        self.unfinished, self.doing = 0, f"{workload.name}, pass {number}"
        self._observer.begin(index, workload, number)

    def tick(self, seconds: float, moved: int) -> None:
        """Know how much an unfinished pass moved."""
        self.unfinished = moved
        self._observer.tick(seconds, moved)

    def end(self, index: int, workload: Workload, number: int, result: PassResult) -> None:
        """Keep the pass before it is told."""
        record = PassRecord.of(number, result)
        self._journal.add(index, record)
        self.passes.append((index, record))
        self.unfinished = 0
        self._observer.end(index, workload, number, result)

    def spoiled(self, index: int, workload: Workload, number: int, why: str) -> None:
        """Take down that a pass was dropped."""
        self.dropped.append(f"pass {number} of {workload.name} was dropped and run again: {why}")
        self._observer.spoiled(index, workload, number, why)

    def ended(self, index: int, why: str) -> None:
        """Know why no more passes are run."""
        self.reasons[index] = why
        self._observer.ended(index, why)

    def resting(self, words: str) -> None:
        """Pass it on."""
        self._observer.resting(words)

    def rates(self, index: int) -> list[float]:
        """Return the rates of the finished passes of a workload."""
        return [p.rate for at, p in self.passes if at == index]

    def document(self, run: MeasureRun, state: State) -> MeasureRun:
        """Return a run with all that was recorded."""
        done = run.with_passes(self.passes, state).with_warnings(*self.dropped)
        records = [r.model_copy(update={"ended": self.reasons.get(i)}) for i, r in enumerate(done.workloads)]
        return done.model_copy(update={"workloads": records})


def finished(run: MeasureRun, target: Target, bystanders: Bystanders) -> MeasureRun:
    """Return a run whose passes and state are known with its end, and with doubtful figures marked."""
    run = run.with_warnings(*bystanders.warnings(run.target))
    stated = [record.with_states() for record in run.workloads]
    return _marked(run.model_copy(update={"ended": moment_of(run, target), "workloads": stated}))


def moment_of(run: AnyRun, target: Target) -> datetime.datetime:
    """Return the present moment on the clock of a run's target."""
    return run.started + datetime.timedelta(seconds=target.seconds_since(run.started))


def failure_of(error: BaseException, doing: str, run: AnyRun, target: Target) -> tuple[UlterionError, State]:
    """Return what to raise and how the run ended, when a target failed or a stop was asked for while `doing`."""
    if isinstance(error, TargetFailed):
        where = "" if target.simulated else f"{run.target.path}: "
        if target.is_gone():
            where += "the device is gone (pulled out, or its link was lost): "
        after = f", after {show_size(error.moved)}" if error.moved else ""
        why = f"{where}{error} (during {doing}{after})"
        told: UlterionError = TargetFailed(why, offset=error.offset, moved=error.moved)
        return told, State(name="failed", why=why, offset=error.offset, unfinished_bytes=error.moved or None)
    why = f"{str(error) or 'stopped by hand'} during {doing}"
    return Interrupted(why), State(name="interrupted", why=why)


def _marked(run: MeasureRun) -> MeasureRun:
    """Mark the workloads whose figures cannot be the drive's, and warn of them."""
    records, warnings = [], []
    for record in run.workloads:
        why = _doubt(run, record)
        records.append(record.model_copy(update={"suspect": why}))
        if why:
            warnings.append(f"{record.workload.name}: {why}")
        warnings += [f"{record.workload.name}: {words}" for words in _own_part(run, record)]
        if any(p.state is not None for p in record.counted):
            warnings.append(f"{record.workload.name}: {_state_words(run, record)}")
        elif sinking([p.rate for p in record.counted]) and record.workload.direction != "read":
            warnings.append(
                f"{record.workload.name}: later passes were slower: a write cache ran out, or heat; use "
                "--rest or shorter passes, and look at it with 'ulterion soak'"
            )
    return run.model_copy(update={"workloads": records}).with_warnings(*warnings)


def _own_part(run: MeasureRun, record: WorkloadRecord) -> list[str]:
    """Return what is ours in a figure, where it is worth knowing."""
    if not record.counted or record.counted[0].lanes is None:
        return []
    cost = run.bench.request_cost if record.workload.depth == 1 else run.bench.request_cost_deep
    lanes = max(p.lanes or 1 for p in record.counted)
    busy = sorted(p.busy or 0.0 for p in record.counted)[len(record.counted) // 2]
    seconds = sum(p.seconds - (p.flush_seconds or 0.0) for p in record.counted)
    own = own_share(cost, busy, seconds, sum(p.requests for p in record.counted), lanes)
    words = []
    if own.is_limit:
        words.append(
            _limit_words(busy, lanes, fixed=run.settings.lanes is not None and record.workload.depth > SHALLOW)
        )
    if own.is_large:
        words.append(f"up to {(own.share or 0) * 100:.0f} % of the time of a request is the program's own")
    return words


def _state_words(run: MeasureRun, record: WorkloadRecord) -> str:
    """Say that the write cache was used up, after how much, and how to get one state alone; or that passes were slowed."""
    count = sum(p.state == "mixed" for p in record.counted)
    passes = f"{count} of {len(record.counted)} passes"
    if all(p.state in (None, "mixed") for p in record.counted):
        return f"{passes} became slow for a while and count for nothing: housekeeping, heat, or another program; see 'ulterion soak'"
    slow = next((p.number for p in record.counted if p.state != "cached"), record.counted[-1].number)
    before = sum(p.bytes for w in run.workloads for p in w.passes if w.workload.direction != "read" and p.number < slow)
    mixed = f"; {passes} saw both, and count for neither" if count else ""
    return (
        f"the write cache was used up after about {show_size(before + run.settings.span_bytes)}, so there are two figures{mixed}; "
        "for the cached one alone use a smaller --span, fewer passes, or --rest between them"
    )


def _limit_words(busy: float, lanes: int, *, fixed: bool) -> str:
    """Say that the workers were the limit; `fixed` when their number was asked for and could be left to the program."""
    who = "one worker was" if lanes == 1 else f"its {lanes} workers were"
    if fixed and lanes == 1:
        return f"{who} the limit, busy {busy * 100:.0f} % of the time: try --lanes auto"
    return f"{who} busy {busy * 100:.0f} % of the time: the processor was the limit, not the drive"


def _doubt(run: MeasureRun, record: WorkloadRecord) -> str | None:
    if not record.counted or run.target.kind == "simulated":
        return None
    rate = estimate([p.rate for p in record.counted]).rate
    return impossible(
        record.workload, rate, run.seen_link, cache_bypassed=run.cache_bypassed, memory_bytes=run.bench.memory_bytes
    )
