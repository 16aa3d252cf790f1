"""Several targets at once: each alone, then all together, a run document for each."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import TypeVar

from ulterion.conduct.bystanders import Bystanders
from ulterion.conduct.measure import AnyTarget, Observer, Request, finish, open_run
from ulterion.core.errors import Interrupted, PassSpoiled, TargetFailed, UlterionError, UsageError
from ulterion.core.passes import PassResult
from ulterion.core.sharing import Sharing, sharing
from ulterion.core.stats import estimate
from ulterion.core.workload import Workload
from ulterion.engine import crew, runner
from ulterion.engine.target import Share, join, refuse_spoiled, seconds_asleep
from ulterion.model.journal import SUFFIX, Journal, with_passes
from ulterion.model.runs.document import PassRecord, RunDocument, State
from ulterion.model.store import run_name
from ulterion.sim.sharing import hubs_shared
from ulterion.sim.target import SimTarget

Result = TypeVar("Result")


@dataclass(frozen=True)
class Shared:
    """What came of it.

    Attributes:
        targets: as named.
        workloads: the sharing of each workload, by its words.
        paths: the run documents.
        failures: sentences on targets that failed.
        failure: the first failure, or None.
    """

    targets: tuple[str, ...]
    workloads: dict[str, Sharing]
    paths: tuple[Path, ...]
    failures: tuple[str, ...]
    failure: UlterionError | None


@dataclass
class _Seat:
    """One target with its run and its passes so far."""

    name: str
    target: AnyTarget
    run: RunDocument
    workloads: list[Workload]
    passes: list[tuple[int, PassRecord]]
    failure: TargetFailed | None = None
    journal: Journal | None = None

    def open_journal(self, folder: Path) -> None:
        """From here on every finished pass is kept, whatever happens to the program."""
        self.journal = Journal(folder / f"{run_name(self.run)}{SUFFIX}", self.run)

    def keep(self, index: int, record: PassRecord) -> None:
        """Keep a finished pass."""
        self.passes.append((index, record))
        if self.journal is not None:
            self.journal.add(index, record)

    def drop_unused(self) -> None:
        """On the way out: a journal without a pass holds nothing worth recovering."""
        if self.journal is not None:
            self.journal.close(remove=not self.passes)

    def dropped(self, index: int, number: int, why: str) -> None:
        """Take down that a pass was dropped."""
        told = f"pass {number} of {self.workloads[index].name} was dropped and run again: {why}"
        self.run = self.run.model_copy(update={"warnings": [*self.run.warnings, told]})

    def rates(self, index: int) -> list[float]:
        return [p.rate for at, p in self.passes if at == index]


def measure_together(request: Request, names: Sequence[str], observer: Observer) -> Shared:
    """Measure each target alone, then all at once; a target that fails is left out and the others go on.

    Every workload is run twice in each document: alone, and with the words `together N`.  Raises UsageError before
    anything is measured.
    """
    both = [
        *request.workloads,
        *(replace(w, name=f"{w.name}, together", company=len(names)) for w in request.workloads),
    ]
    with contextlib.ExitStack() as stack:
        seats = []
        for name in names:
            target, run, workloads = open_run(_own(request, name, both))
            stack.callback(target.close)
            seats.append(_Seat(name, target, run, workloads, []))
        _refuse_doubles(seats)
        for seat in seats:
            observer.opened(seat.run)
        for seat in seats:
            seat.open_journal(request.review.make_runs_folder())
            stack.callback(seat.drop_unused)
        stopped, bystanders = None, Bystanders()
        try:
            for seat in seats:
                _guard(
                    seat, partial(seat.target.prepare, runner.pass_seed(seat.run.settings.seed, 0, 0), observer.laying)
                )
            for number in range(1, request.passes + 1):
                _round(request, seats, number, observer)
        except Interrupted as error:
            stopped = error
        return _finish(request, seats, stopped, bystanders)


def _own(request: Request, name: str, workloads: Sequence[Workload]) -> Request:
    """Return the request for one of several targets: a folder or device, or where hookups are meant, a hookup."""
    if request.hookup is not None:
        return replace(request, hookup=name, target=None, workloads=workloads)
    return replace(request, target=name, workloads=workloads)


def _refuse_doubles(seats: Sequence[_Seat]) -> None:
    simulated = [isinstance(s.target, SimTarget) for s in seats]
    if any(simulated) and not all(simulated):
        raise UsageError("simulated hookups and real ones cannot run together; name hookups of one kind")
    seen: dict[str, str] = {}
    for seat in seats:
        key = seat.name if isinstance(seat.target, SimTarget) else seat.run.target.path
        if key in seen:
            raise UsageError(f"{seat.name} and {seen[key]} are the same target; name different ones")
        seen[key] = seat.name


def _guard(seat: _Seat, step: Callable[[], Result]) -> Result | None:
    """Run a step on a target that has not failed yet; keep its failure."""
    if seat.failure is not None:
        return None
    try:
        return step()
    except TargetFailed as error:
        seat.failure = TargetFailed(f"{seat.name}: {error}", offset=error.offset, moved=error.moved)
        return None


def _round(request: Request, seats: Sequence[_Seat], number: int, observer: Observer) -> None:
    """Run one round: every workload on each target alone, then on all at once."""
    count = len(request.workloads)
    for index in range(count):
        for seat in seats:
            workload = seat.workloads[index]
            observer.begin(index, workload, number)
            seed = runner.pass_seed(seat.run.settings.seed, index, number)
            result = _guard(seat, partial(_alone, seat, index, seed, observer, number))
            _keep(seat, index, number, result, observer)
        _at_once([s for s in seats if s.failure is None], index + count, number, observer, request.stall)


def _alone(seat: _Seat, index: int, seed: int, observer: Observer, number: int) -> PassResult:
    class Told(Observer):
        """Passes on what a pass tells, and keeps what was dropped."""

        def tick(self, seconds: float, moved: int) -> None:
            observer.tick(seconds, moved)

        def spoiled(self, index: int, workload: Workload, number: int, why: str) -> None:
            seat.dropped(index, number, why)
            observer.spoiled(index, workload, number, why)

    return runner.run_pass(seat.target, seat.workloads[index], seed, Told(), index, number)


def _keep(seat: _Seat, index: int, number: int, result: PassResult | None, observer: Observer) -> None:
    if result is not None:
        seat.keep(index, PassRecord.of(number, result))
        observer.end(index, seat.workloads[index], number, result)


def _at_once(seats: Sequence[_Seat], index: int, number: int, observer: Observer, stall: float) -> None:
    """Run a workload on all targets at the same time, started together."""
    if len(seats) < 2:
        return
    observer.begin(index, seats[0].workloads[index], number)
    if all(isinstance(s.target, SimTarget) for s in seats):
        _simulated_at_once(seats, index, number, observer)
        return
    jobs, owners = [], []
    for seat in seats:
        assert not isinstance(seat.target, SimTarget)
        seed = runner.pass_seed(seat.run.settings.seed, index, number)
        for lane in range(seat.target.lanes):
            jobs.append(partial(seat.target.lane_job, seat.workloads[index], seed, lane))
            owners.append(seat)
    outcomes = _each_unspoiled(jobs, seats, observer, stall, index, number)
    for seat in seats:
        mine = [o for o, owner in zip(outcomes, owners, strict=True) if owner is seat]
        broken = next((o for o in mine if isinstance(o, TargetFailed)), None)
        if broken is not None:
            seat.failure = TargetFailed(f"{seat.name}: {broken}", offset=broken.offset, moved=broken.moved)
        else:
            shares = [o for o in mine if isinstance(o, Share)]
            _keep(seat, index, number, join(shares, seat.workloads[index].block_bytes), observer)


def _each_unspoiled(jobs: Sequence[Callable[[crew.Seat], Share]], seats: Sequence[_Seat], observer: Observer, stall: float,
                    index: int, number: int) -> list[Share | TargetFailed]:  # fmt: skip
    """Run the lanes of all targets together, again where machine or program stood still; raise Interrupted."""

    def pulse() -> object:
        beats = [s.target.pulse() for s in seats if not isinstance(s.target, SimTarget) and s.target.pulse is not None]
        return tuple(beats) or None

    for _ in range(runner.MOST_SPOILED):
        asleep = seconds_asleep()
        outcomes: list[Share | TargetFailed] = crew.run_each(jobs, observer.tick, stall, pulse)
        try:
            refuse_spoiled([o for o in outcomes if isinstance(o, Share)], asleep)
        except PassSpoiled as error:
            observer.spoiled(index, seats[0].workloads[index], number, str(error))
            for seat in seats:
                seat.dropped(index, number, str(error))
            continue
        return outcomes
    raise Interrupted(f"pass {number} of all together was spoiled {runner.MOST_SPOILED} times in a row")


def _simulated_at_once(seats: Sequence[_Seat], index: int, number: int, observer: Observer) -> None:
    """Play a workload on simulated targets whose hubs share what they carry."""
    targets = [s.target for s in seats if isinstance(s.target, SimTarget)]
    with hubs_shared(targets, seats[0].workloads[index]):
        for seat in seats:
            seed = runner.pass_seed(seat.run.settings.seed, index, number)
            result = _guard(seat, partial(seat.target.run_pass, seat.workloads[index], seed, observer.tick))
            _keep(seat, index, number, result, observer)


def _finish(request: Request, seats: Sequence[_Seat], stopped: Interrupted | None, bystanders: Bystanders) -> Shared:
    paths = []
    for seat in seats:
        state = State(name="complete")
        if seat.failure is not None:
            state = State(name="failed", why=str(seat.failure), offset=seat.failure.offset)
        elif stopped is not None:
            state = State(name="interrupted", why=str(stopped))
        assert seat.journal is not None
        done = finish(with_passes(seat.run, seat.passes, state), seat.target, bystanders)
        paths.append(request.review.finish(done, seat.journal.path)[1])
        seat.journal.close(remove=True)
    count = len(request.workloads)
    found = {}
    for index, workload in enumerate(request.workloads):
        ready = [s for s in seats if s.rates(index) and s.rates(index + count)]
        if len(ready) == len(seats):
            alone = [estimate(s.rates(index)).rate for s in ready]
            found[workload.text] = sharing(alone, [estimate(s.rates(index + count)).rate for s in ready])
    failures = tuple(str(s.failure) for s in seats if s.failure)
    first = next((s.failure for s in seats if s.failure), None)
    return Shared(tuple(s.name for s in seats), found, tuple(paths), failures, stopped or first)


def sharing_as_data(shared: Shared) -> dict[str, object]:
    """Return the result as plain data for JSON; rates in bytes per second."""
    return {
        "targets": list(shared.targets),
        "workloads": {
            text: {"alone": list(s.alone), "together": list(s.together), "kept": list(s.kept), "total": s.total,
                   "fairness": s.fairness}
            for text, s in shared.workloads.items()
        },
        "kept_in": [str(p) for p in shared.paths],
        "failures": list(shared.failures),
    }  # fmt: skip
