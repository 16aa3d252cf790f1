"""One step of a plan: what to plug where, the proofs of its settings, and what is measured."""

from __future__ import annotations

import shlex
import subprocess
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import replace

from ulterion.core.errors import Interrupted, UsageError
from ulterion.core.matrix.deciding import decided
from ulterion.core.matrix.grid import words
from ulterion.core.records import dataclass
from ulterion.core.workloads.network import NETWORK_SUITE, parse_each
from ulterion.core.workloads.passes import PassResult
from ulterion.core.workloads.suites import DEFAULT_SUITE, find_suite
from ulterion.core.workloads.workload import NetworkWorkload, Workload, parse_workload
from ulterion.features.measure.run import measure
from ulterion.features.plan.setting_proofs import expectations, prove
from ulterion.features.plan.state import PlanRequest, plan_runs
from ulterion.features.soak.run import soak
from ulterion.model.plan import Plan, outcome_of
from ulterion.model.planned import Planned, Step, plan_of, rates_by_text, runs_of_plan, suite_of
from ulterion.model.quantities import now_utc
from ulterion.model.runs.header import CellRecord
from ulterion.model.runs.measure import MeasureRun
from ulterion.model.runs.notes import Note
from ulterion.model.runs.soak import SoakPlan
from ulterion.model.store import ReviewFolder
from ulterion.run.observers import Kept, Observer
from ulterion.run.place import Place
from ulterion.run.requests import MeasureRequest, RepetitionPolicy, SoakRequest, TargetOptions
from ulterion.run.wait_for_setup import wait_for

DEFAULT_SECONDS = 5.0  # of a pass
CHECK_PASSES = 6  # of a baseline each time: every comparison rests on it
SOAKING = "sequential write 1 MiB depth 4"


class PlanObserver:
    """Told how a plan goes; does nothing by itself."""

    def step(self, step: Step, now: Planned) -> None:
        """A step begins."""

    def hand(self, sentence: str) -> None:
        """A hand is needed: what to plug where, in a sentence."""

    def ask(self, question: str) -> bool | None:
        """Return the answer to a question of yes or no, None where nobody answers."""
        return None

    def measuring(self) -> Observer:
        """Return the observer of a measurement."""
        return Observer()

    def soaking(self) -> Observer:
        """Return the observer of a soak."""
        return Observer()

    def measured(self, done: Kept[MeasureRun]) -> None:
        """A cell, or a check, was measured and kept."""

    def close(self) -> None:
        """It is over, however it ended."""

    def remark(self, words: str) -> None:
        """Something is to be said."""


@dataclass(frozen=True)
class _Decisive:
    """Stops the passes of a workload once its comparison with the baseline is decided, at every look."""

    texts: Sequence[str]
    reference: dict[str, list[float]]
    earlier: dict[str, list[float]]
    margin: float
    max_passes: int

    def reason(self, index: int, results: Sequence[PassResult], seconds: float, *, writes: bool) -> str | None:
        """Return why no more passes are needed, or None."""
        text, count = self.texts[index], len(results)
        theirs = self.reference.get(text)
        if theirs:
            verdict = decided([*self.earlier.get(text, []), *(r.rate for r in results)], theirs, self.margin)
            if verdict != "undecided":
                return f"'{verdict}' against the baseline, already sure after {count} passes"
        if count >= self.max_passes:
            return f"still undecided against the baseline after {count} passes, the most allowed"
        return None


def take(
    request: PlanRequest, plan: Plan, step: Step, before: str | None, observer: PlanObserver
) -> tuple[str | None, float]:
    """Take a step; return why it failed (None where it did not) and the seconds it took on its own clock."""
    review = request.review
    place = Place(review, review.path, None, step.setup)
    if place.where is None:
        raise UsageError(f"plan: the setup '{step.setup}' has no target; give it one, or the plan a 'target'")
    waited = _await(request, place, step, before, observer)
    proofs = plan.proofs_for(step.cell) if step.cell is not None else []
    cell = words(step.cell) if step.cell is not None else step.setup
    shown = prove(proofs, cell, lambda q: _answered(place, observer, q))
    runs = runs_of_plan(review.review, plan_runs(review))
    access = TargetOptions(
        span_bytes=plan.span,
        waited=waited,
        expect=tuple(expectations(proofs)),
        unplugged=_last_attachment(runs, place) if any(p.replugged for p in proofs) else None,
    )
    wanted = _measure_request(plan, place, step, runs, access)
    wanted = replace(wanted, cell=CellRecord(levels=dict(step.cell or ()), shown=shown, check=step.check))
    done = measure(wanted, observer.measuring())
    observer.measured(done)
    seconds = (done.run.ended - done.run.started).total_seconds() if done.run.ended else 0.0
    if isinstance(done.failure, Interrupted):
        raise done.failure
    if done.failure is not None:
        return str(done.failure), seconds
    if step.cell is not None and step.check in (None, 1):
        if not step.again:
            _soak(plan, place, access, observer)
        _compatibility(plan, place, done.run, observer)
    return None, seconds


def _await(request: PlanRequest, place: Place, step: Step, before: str | None, observer: PlanObserver) -> float:
    """Tell what to plug where, and wait for it; return the virtual seconds that passed."""
    if before == step.setup:
        return 0.0
    sentence = sentence_of(request.review, before, step)
    observer.hand(sentence)
    if place.simulated:
        return 0.0  # the bench's own hands: the time for changing cables is in its clock
    _call(plan_of(request.review.review), sentence)
    return wait_for(place, request.wait, observer.remark, told=True)


def sentence_of(review: ReviewFolder, before: str | None, step: Step) -> str:
    """Return in one sentence what to plug where, and what changes from the setup before."""
    setup = review.review.setups[step.setup]
    chain = " > ".join(review.review.label(k) for k in setup.chain)
    settings = [f"{f} {v}" for f, v in step.cell or () if v not in setup.chain and v != "none"]
    earlier = review.review.setups[before].levels if before is not None else {}
    changed = [f"{f}: {earlier[f]} to {v}" for f, v in step.cell or () if f in earlier and earlier[f] != v]
    told = f"plug in {chain}" + (f", with {', '.join(settings)}" if settings else "")
    return told + (f" (changes {'; '.join(changed)})" if changed else "")


def _call(plan: Plan, sentence: str) -> None:
    """Call the reviewer by the plan's own command; one that cannot be run is no reason to stop."""
    if plan.call is not None:
        with suppress(OSError, ValueError, subprocess.TimeoutExpired):
            subprocess.run(
                [*shlex.split(plan.call), sentence], stdin=subprocess.DEVNULL, capture_output=True, timeout=30
            )


def _answered(place: Place, observer: PlanObserver, question: str) -> bool:
    return True if place.simulated else bool(observer.ask(question))  # the bench's hands do what is asked of them


def _last_attachment(runs: Sequence[MeasureRun], place: Place) -> str | None:
    mine = [r.target.attachment for r in runs if r.chain and r.chain[-1] == place.chain[-1] and r.target.attachment]
    return mine[-1] if mine else None


def workloads_of(plan: Plan, *, network: bool = False) -> Sequence[Workload]:
    """Return what is measured in each cell that ends at a drive, or at a peer; raise UsageError."""
    if plan.workloads:
        every = [w for text in plan.workloads for w in parse_each(text)]
        mine = [w for w in every if isinstance(w, NetworkWorkload) == network]
        if not mine:
            kind = "a network, such as 'receive'" if network else "a drive, such as 'sequential read 1 MiB depth 4'"
            raise UsageError(
                f"plan: a cell ends at {'a peer' if network else 'a drive'}, and no workload is for {kind}"
            )
        return mine
    if network:
        return list(NETWORK_SUITE.workloads)
    return list(find_suite(DEFAULT_SUITE if plan.suite == NETWORK_SUITE.name else plan.suite).workloads)


def _measure_request(
    plan: Plan, place: Place, step: Step, runs: Sequence[MeasureRun], access: TargetOptions
) -> MeasureRequest:
    workloads = workloads_of(plan, network=place.over_network)
    baseline = place.review.review.baseline_for(place.chain[-1])
    reference = rates_by_text([r for r in runs if r.setup == baseline])
    mine = rates_by_text([r for r in runs if r.setup == step.setup])
    seconds = DEFAULT_SECONDS if plan.seconds is None else plan.seconds
    texts = [w.text for w in workloads]
    margin = place.review.review.review.margin
    compared = step.check is None and step.again != "asked" and reference  # what is asked for is measured in full
    until = _Decisive(texts, reference, mine, margin, plan.max_passes) if compared else None
    extras = RepetitionPolicy(
        until=until,
        max_passes=plan.max_passes if until is not None else None,
        start_at=_first_temperature(runs, place),
        fresh=True,
        longest=plan.max_rest,
    )
    passes = plan.passes if step.check is None else max(plan.passes, CHECK_PASSES)
    return MeasureRequest(
        place=place,
        suite=suite_of(plan),
        workloads=workloads,
        passes=passes,
        seconds=seconds,
        access=access,
        extras=extras,
    )


def _first_temperature(runs: Sequence[MeasureRun], place: Place) -> float | None:
    """Return how warm a drive was when its first cell began."""
    mine = [r for r in runs if r.chain and r.chain[-1] == place.chain[-1]]
    return mine[0].target.temperature if mine else None


def _soak(plan: Plan, place: Place, access: TargetOptions, observer: PlanObserver) -> None:
    if plan.soak is not None:
        wanted = SoakPlan(idle=None, load_seconds=plan.soak, cool=0.0)
        soaked = soak(SoakRequest(place, parse_workload(SOAKING), wanted, access), observer.soaking())
        if soaked.failure is not None:
            raise soaked.failure


def _compatibility(plan: Plan, place: Place, run: MeasureRun, observer: PlanObserver) -> None:
    """Ask what works in a cell, and keep the answers as outcomes of its run."""
    for question in plan.compatibility:
        answer = observer.ask(question)
        if answer is not None:
            note = Note(kind="outcome", text=outcome_of(question, works=answer), noted=now_utc())
            _keep(place.review, run, note)


def _keep(review: ReviewFolder, run: MeasureRun, note: Note) -> None:
    review.refresh()
    review.change(next(s for s in review.summaries() if s.id == run.id), lambda one: one.with_record(note))
