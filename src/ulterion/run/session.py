"""Keeping what a run gives: how it ended, in words and in its document; what loaded the machine meanwhile."""

from __future__ import annotations

import contextlib
import datetime
from collections.abc import Callable, Iterator
from typing import Generic, Self

from ulterion.core.errors import Interrupted, TargetFailed, UlterionError
from ulterion.core.links.standards import known_link
from ulterion.core.soak.cache_fill import Fill
from ulterion.core.soak.warmth import Warmth
from ulterion.core.stats.estimates import estimate
from ulterion.core.units import show_size
from ulterion.core.workloads.passes import PassResult
from ulterion.core.workloads.sanity_limits import impossible
from ulterion.core.workloads.workload import NetworkWorkload, Workload
from ulterion.engine import runner
from ulterion.model.journal import SUFFIX, Journal
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.header import State
from ulterion.model.runs.measure import Before, MeasureRun, WorkloadRecord
from ulterion.model.runs.passes import PassRecord
from ulterion.model.store import ReviewFolder, run_name
from ulterion.run import warnings
from ulterion.run.background_load import BackgroundLoad
from ulterion.run.observers import Kept, Run
from ulterion.run.opening import Opened
from ulterion.run.targets.protocol import Target


class RunSession(Generic[Run]):
    """A run while it is carried out: its journal, how it ended, its document whatever happens.  Used in a `with`.

    Attributes:
        journal: from the beginning on, what is finished is kept there, whatever happens to the program.
        state: how the run ended; `failure` what is to be raised for it, if anything.
    """

    def __init__(self, review: ReviewFolder, run: Run, target: Target | None = None) -> None:
        self._review, self._run, self._target = review, run, target
        self.journal = Journal(review.make_runs_folder() / f"{run_name(run)}{SUFFIX}", run)
        self.state = State(name="complete")
        self.failure: UlterionError | None = None
        self._saved = False

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        """A journal in which nothing was kept holds nothing worth recovering."""
        self.journal.close(remove=self._saved or not self.journal.kept)

    @contextlib.contextmanager
    def guarded(
        self, doing: Callable[[], str], also: type[OSError] = TargetFailed, unfinished: Callable[[], int] = int
    ) -> Iterator[None]:
        """Take note of a target that fails, a stop by hand, or `also` another error within the block.

        `doing` says in words during what it was; `unfinished` how many bytes of that were moved.
        """
        try:
            yield
        except (also, Interrupted, KeyboardInterrupt) as error:
            self.failure, self.state = failure_of(error, doing(), self._run.target.path, self._target)
            if isinstance(self.failure, Interrupted):
                self.state = self.state.changed(unfinished_bytes=unfinished() or None)

    def finish(self, run: Run) -> Kept[Run]:
        """Write the document, with the notes that were left for it."""
        done, path = self._review.finish(run, self.journal.path)
        self._saved = True
        return Kept(done, path, self.failure)


class RunRecorder(runner.Observer):
    """Passes every step on to the reviewer's observer, and every finished pass to the journal."""

    def __init__(
        self, observer: runner.Observer, journal: Journal, warmth: Callable[[], Warmth], before: Before, span: int = 0
    ) -> None:
        self._span = span
        self.span_bytes: int | None = None  # where less was laid down than that
        self._observer, self._journal, self._warmth = observer, journal, warmth
        self._warm: Warmth | None = None
        self.before, self._told = before, False
        self._fill: Fill | None = None
        self.passes: list[tuple[int, PassRecord]] = []
        self.reasons: dict[int, str] = {}
        self.cautions: list[str] = []
        self.unfinished = 0
        self.doing = "the preparation of the test file"

    def prefilling(self, done: int, total: int) -> None:
        """Know how much was laid down, and pass it on."""
        self.before = self.before.changed(prefilled_bytes=done)
        self._observer.prefilling(done, total)

    def prepared(self, span_bytes: int) -> None:
        """Know and keep how much of the medium is covered, and pass it on."""
        if span_bytes < self._span:
            self.span_bytes = span_bytes
            self._journal.span(span_bytes)
        self._observer.prepared(span_bytes)

    def begin(self, index: int, workload: Workload, number: int) -> None:
        """Know what is being done, and how warm the drive is; say once that its cache cannot be fresh."""
        self.unfinished, self.doing = 0, f"{workload.name}, pass {number}"
        if self._warm is None:
            self._warm = self._warmth()
            self._fill = self.before.fill
        if workload.writes and not self._told:
            self._told = True
            self._say_whether_fresh()
        self._observer.begin(index, workload, number)

    def _say_whether_fresh(self) -> None:
        """Before the first write: say, and keep, that a write cache cannot be fresh."""
        if self._fill is not None and not self._fill.is_fresh:
            words = warnings.not_fresh(self.before.cache_run, self._fill)
            self.cautions.append(words)
            self._observer.remark(words)

    def tick(self, seconds: float, moved: int) -> None:
        """Know how much an unfinished pass moved."""
        self.unfinished = moved
        self._observer.tick(seconds, moved)

    def end(self, index: int, workload: Workload, number: int, result: PassResult) -> None:
        """Keep the pass before it is told."""
        before, self._warm = self._warm or Warmth(), self._warmth()
        record = PassRecord.of(number, result, before, self._warm)
        if self._fill is not None:
            self._fill = self._fill.after(result.bytes * workload.writes, result.seconds)
        self._journal.add(index, record)
        self.passes.append((index, record))
        self.unfinished = 0
        self._observer.end(index, workload, number, result)

    def spoiled(self, index: int, workload: Workload, number: int, why: str) -> None:
        """Take down that a pass was dropped."""
        self.cautions.append(f"pass {number} of {workload.name} was dropped and run again: {why}")
        self._observer.spoiled(index, workload, number, why)

    def ended(self, index: int, why: str) -> None:
        """Know why no more passes are run."""
        self.reasons[index] = why
        self._observer.ended(index, why)

    def resting(self, words: str) -> None:
        """Pass it on."""
        self._observer.resting(words)

    def remark(self, words: str) -> None:
        """Pass it on."""
        self._observer.remark(words)

    def rates(self, index: int) -> list[float]:
        """Return the rates of the finished passes of a workload."""
        return [p.rate for at, p in self.passes if at == index]

    def document(self, run: MeasureRun, state: State) -> MeasureRun:
        """Return a run with all that was recorded."""
        done = run.with_passes(self.passes, state).with_warnings(*self.cautions)
        if self.span_bytes is not None:
            done = done.on_span(self.span_bytes)
        records = [r.changed(ended=self.reasons.get(i)) for i, r in enumerate(done.workloads)]
        return done.changed(workloads=records, before=self.before)


def finished(run: MeasureRun, opening: Opened, bystanders: BackgroundLoad) -> MeasureRun:
    """Return a run whose passes and state are known with its end, the states of its passes, and doubtful figures marked."""
    run = opening.with_own_cost(opening.with_links_under_load(run)).with_warnings(*bystanders.warnings(run.target))
    return _marked(run.changed(ended=moment_of(run, opening.target)).with_states())


def moment_of(run: AnyRun, target: Target) -> datetime.datetime:
    """Return the present moment on the clock of a run's target."""
    return run.started + datetime.timedelta(seconds=target.seconds_since(run.started))


def failure_of(
    error: BaseException, doing: str, path: str = "", target: Target | None = None
) -> tuple[UlterionError, State]:
    """Return what to raise and how the run ended, when a target failed or a stop was asked for while `doing`."""
    if isinstance(error, OSError):  # a target that is gone fails in whatever is done next
        what = str(error) if isinstance(error, TargetFailed) else error.strerror or str(error)
        where = "" if target is None or target.simulated else f"{path}: "
        if target is not None and target.is_gone():
            where += "the device is gone (pulled out, or its link was lost): "
        moved, offset = (error.moved, error.offset) if isinstance(error, TargetFailed) else (0, None)
        after = f", after {show_size(moved)}" if moved else ""
        why, cause = f"{where}{what} (during {doing}{after})", f"{where}{what}"
        code = error.code if isinstance(error, TargetFailed) else error.errno
        return TargetFailed(why, offset=offset, moved=moved, code=code), State(
            name="failed", why=why, cause=cause, offset=offset, unfinished_bytes=moved or None
        )
    cause = str(error) or "stopped by hand"
    why = f"{cause} during {doing}"
    return Interrupted(why), State(name="interrupted", why=why, cause=cause)


def _marked(run: MeasureRun) -> MeasureRun:
    """Mark the workloads whose figures cannot be the drive's, and take down what is to be kept in mind."""
    doubts = [_doubt(run, record) for record in run.workloads]
    records = [r.changed(suspect=why) for r, why in zip(run.workloads, doubts, strict=True)]
    marked = run.changed(workloads=records)
    return marked.with_warnings(*warnings.on_run(marked))


def _doubt(run: MeasureRun, record: WorkloadRecord) -> str | None:
    if not record.counted or run.target.kind == "simulated":
        return None
    rate = estimate([p.rate for p in record.counted]).rate
    network = run.target.network
    link = run.seen_link if network is None else known_link(network.here.link)
    if record.workload.direction == "both" and isinstance(record.workload, NetworkWorkload):
        rate /= 2  # each way has the whole of the link
    return impossible(
        record.workload, rate, link, cache_bypassed=run.cache_bypassed, memory_bytes=run.bench.memory_bytes
    )
