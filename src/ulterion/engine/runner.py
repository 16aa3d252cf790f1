"""Taking a target through a suite: rounds of passes, with an observer told of each step."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import field
from typing import Protocol

from ulterion.core.errors import Interrupted, PassSpoiled, TargetFailed
from ulterion.core.records import dataclass
from ulterion.core.stats.peeking import half_width_under_peeking
from ulterion.core.units import significant
from ulterion.core.workloads.pass_states import shape_of, states_of
from ulterion.core.workloads.passes import OnPrefill, PassResult, Tick
from ulterion.core.workloads.workload import PassState, Workload

MAX_SPOILED = 5  # times that a pass is tried
WARM_UP = 0  # number of the pass that is kept but not counted


class PassTarget(Protocol):
    """Anything passes can be run on: a folder, a file, a device, a simulated chain."""

    @property
    def span_bytes(self) -> int:
        """The stretch of the medium that is covered."""

    def prepare(self, seed: int, on_prefill: OnPrefill | None = None) -> None:
        """Make ready, for instance by laying the test file down."""

    def run_pass(self, workload: Workload, seed: int, tick: Tick | None = None) -> PassResult:
        """Run one pass."""


class Observer:
    """Hears the events of a run.  Every method may be left as it is."""

    def prefilling(self, done: int, total: int) -> None:
        """`done` of `total` bytes of the test file are on the medium."""

    def prepared(self, span_bytes: int) -> None:
        """The test file is there; so much of the medium is covered."""

    def begin(self, index: int, workload: Workload, number: int) -> None:
        """Pass `number` (from 1; 0 for the warm-up) of the workload at `index` begins."""

    def tick(self, seconds: float, moved: int) -> None:
        """The pass has run for `seconds` and moved `moved` bytes."""

    def end(self, index: int, workload: Workload, number: int, result: PassResult) -> None:
        """The pass is over."""

    def ended(self, index: int, why: str) -> None:
        """No more passes of the workload at `index` are run, and why."""

    def spoiled(self, index: int, workload: Workload, number: int, why: str) -> None:
        """The pass was dropped, and why; it is run again."""

    def resting(self, words: str) -> None:
        """The drive rests."""

    def remark(self, words: str) -> None:
        """Something to know before the passes that follow."""


class StopRule(Protocol):
    """When to stop repeating."""

    def reason(self, index: int, results: Sequence[PassResult], seconds: float, *, writes: bool) -> str | None:
        """Return why no more passes of the workload at `index` are needed, or None; `seconds` since the run began."""


@dataclass(frozen=True)
class PrecisionRule:
    """Until the rate is known well enough.

    Attributes:
        within: half the relative width to be reached, of an interval that holds at every look, as a ratio.
        max_passes: passes after which a workload is given up.
        most_seconds: time after which all are, or None.
    """

    within: float
    max_passes: int = 30
    most_seconds: float | None = None

    def reason(self, index: int, results: Sequence[PassResult], seconds: float, *, writes: bool) -> str | None:
        """Return why no more passes are needed, or None."""
        count = len(results)
        margins = _margins(results) if writes else {None: half_width_under_peeking([r.rate for r in results])}
        known = [m for m in margins.values() if m is not None]
        reached = ", ".join(_margin_words(state, m) for state, m in margins.items()) or "no pass of one state"
        if known and max(known) <= self.within:
            return f"sure within {self.within * 100:g}% ({reached}) after {count} passes"
        if count >= self.max_passes:
            return f"not sure within {self.within * 100:g}%: {reached} after the most passes allowed, {count}"
        if self.most_seconds is not None and seconds > self.most_seconds:
            return f"not sure within {self.within * 100:g}%: {reached} after {count} passes, when the time was up"
        return None


@dataclass(frozen=True)
class Schedule:
    """What to run.

    Attributes:
        workloads: settled.
        passes: how many of each, or the least when `sure` is given.
        seed: of offsets and data.
        warm_up: whether a first round is kept but not counted.
        sure: when to stop repeating, or None.
        rest: called before every pass but the first; lets the drive rest.
    """

    workloads: Sequence[Workload]
    passes: int
    seed: int
    warm_up: bool = False
    sure: StopRule | None = None
    rest: Callable[[], None] = lambda: None


def pass_seed(seed: int, index: int, number: int) -> int:
    """Return the seed of one pass, so that no two passes of a run share offsets or data."""
    return (seed * 1_000_003 + index) * 1_000_003 + number


@dataclass
class _Progress:
    """The results of one workload so far."""

    results: list[PassResult] = field(default_factory=list)
    done: bool = False

    def verdict(self, schedule: Schedule, index: int, seconds: float, *, writes: bool) -> str | None:
        """Return why no more passes are needed, or None."""
        if len(self.results) < schedule.passes:
            return None
        return "" if schedule.sure is None else schedule.sure.reason(index, self.results, seconds, writes=writes)


def _margins(results: Sequence[PassResult]) -> dict[PassState | None, float | None]:
    """Return the margin of each state's figure, None where it has too few passes."""
    rates: dict[PassState | None, list[float]] = {}
    for result, state in zip(results, states_of([shape_of(r) for r in results]), strict=True):
        if state != "mixed":
            rates.setdefault(state, []).append(result.rate)
    return {state: half_width_under_peeking(each) for state, each in rates.items()}


def _margin_words(state: PassState | None, margin: float | None) -> str:
    reached = "no interval yet" if margin is None else f"±{significant(margin * 100, 2)}%"
    return reached if state is None else f"{state} {reached}"


def run(target: PassTarget, schedule: Schedule, observer: Observer) -> None:
    """Run the schedule in rounds: pass 1 of every workload, then pass 2 of every workload, and so on.

    Rounds spread a drift (a warming drive, a filling cache) over all workloads alike, and leave whole rounds behind
    when a run is stopped early.  Raises TargetFailed from the target; finished passes have been told to the observer.
    """
    target.prepare(pass_seed(schedule.seed, 0, 0), observer.prefilling)
    workloads = [w.within(target.span_bytes) for w in schedule.workloads]
    observer.prepared(target.span_bytes)
    progress = [_Progress() for _ in workloads]
    begun, number, first = time.monotonic(), WARM_UP if schedule.warm_up else 1, True
    while not all(p.done for p in progress):
        for index, workload in enumerate(workloads):
            if progress[index].done:
                continue
            if not first:
                schedule.rest()
            first = False
            observer.begin(index, workload, number)
            result = run_pass(
                target, workload, pass_seed(schedule.seed, index, number), observer, index=index, number=number
            )
            observer.end(index, workload, number, result)
            if number != WARM_UP:
                progress[index].results.append(result)
                why = progress[index].verdict(schedule, index, time.monotonic() - begun, writes=workload.writes > 0)
                _note(progress[index], index, why, observer)
        number += 1


def run_pass(
    target: PassTarget, workload: Workload, seed: int, observer: Observer, index: int, *, number: int
) -> PassResult:
    """Run a pass, again where it was spoiled; where that happens too often raise Interrupted, or TargetFailed if the target causes it."""
    for _ in range(MAX_SPOILED):
        try:
            return target.run_pass(workload, seed, observer.tick)
        except PassSpoiled as error:
            spoiled = error
            observer.spoiled(index, workload, number, str(error))
    sentence = f"pass {number} of {workload.name} was spoiled {MAX_SPOILED} times in a row ({spoiled})"
    raise TargetFailed(sentence) if spoiled.of_target else Interrupted(sentence)


def _note(progress: _Progress, index: int, why: str | None, observer: Observer) -> None:
    """Record and report that a workload needs no more passes."""
    if why is not None:
        progress.done = True
        if why:
            observer.ended(index, why)
