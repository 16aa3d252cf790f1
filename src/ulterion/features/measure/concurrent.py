"""Several targets at once: each alone, then all together, a run document for each."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from typing import TypeVar

from ulterion.core.errors import Interrupted, PassSpoiled, TargetFailed, UsageError
from ulterion.core.records import dataclass
from ulterion.core.sharing import Sharing, sharing
from ulterion.core.stats.estimates import estimate
from ulterion.core.workloads.network import network_like
from ulterion.core.workloads.passes import PassResult
from ulterion.engine import runner
from ulterion.features.measure.concurrent_pass import run_at_once
from ulterion.model.runs.header import State
from ulterion.model.runs.measure import MeasureRun
from ulterion.run.background_load import BackgroundLoad
from ulterion.run.observers import Observer, Shared
from ulterion.run.opening import UNKNOWN, Opened, blank_measure, opened
from ulterion.run.place import Place
from ulterion.run.requests import MeasureRequest
from ulterion.run.session import RunRecorder, RunSession, finished
from ulterion.run.targets.protocol import warmth_of

Result = TypeVar("Result")


@dataclass
class _Participant:
    """One target with its run, its session and what it gave so far."""

    name: str
    found: Opened
    run: MeasureRun
    session: RunSession[MeasureRun]
    recorder: RunRecorder
    observer: Observer
    failure: TargetFailed | None = None

    def turn(self) -> None:
        """Announce which target the next events belong to."""
        self.observer.turn(self.run)

    def seed(self, index: int, number: int) -> int:
        """Return the seed of a pass."""
        return runner.pass_seed(self.found.seed, index, number)

    def failed(self, error: TargetFailed) -> None:
        """Keep the failure, with the target's name."""
        self.failure = TargetFailed(f"{self.name}: {error}", offset=error.offset, moved=error.moved)


def measure_together(request: MeasureRequest, names: Sequence[str], observer: Observer) -> Shared:
    """Measure each target alone, then all at once; a target that fails is left out and the others go on.

    Every workload is run twice in each document: alone, and with the words `together N`.  Raises UsageError before
    anything is measured.
    """
    alone = request.workloads
    with contextlib.ExitStack() as stack:
        every = []
        for name in names:
            place = _place_of(request.place, name)
            mine = [network_like(w) for w in alone] if place.over_network else list(alone)
            both = [*mine, *(replace(w, name=f"{w.name}, together", concurrent_targets=len(names)) for w in mine)]
            every.append(stack.enter_context(opened(place, request.access, both, request.seconds, observer)))
        _refuse_doubles(request.place, names, every)
        asked = [replace(request, place=_place_of(request.place, name)) for name in names]
        participants = [
            _participant(a, name, opening, observer, stack)
            for a, name, opening in zip(asked, names, every, strict=True)
        ]
        for one in participants:
            observer.opened(one.run)
        stopped, load = None, BackgroundLoad()
        try:
            for one in participants:
                _guard(one, partial(one.found.target.prepare, one.seed(0, 0), observer.prefilling))
            for number in range(1, request.passes + 1):
                _round(participants, len(alone), number, request.access.stall)
        except Interrupted as error:
            stopped = error
        return _finish(request, participants, stopped, load)


def _place_of(place: Place, name: str) -> Place:
    """Return the place of one of several targets: a folder or device, or where setups are meant, a setup."""
    return place.with_setup(name) if place.setup is not None else place.with_target(name)


def _participant(
    request: MeasureRequest, name: str, opening: Opened, observer: Observer, stack: contextlib.ExitStack
) -> _Participant:
    run = blank_measure(opening, request)
    session = stack.enter_context(RunSession(request.place.review, run, opening.target))
    return _Participant(
        name=name,
        found=opening,
        run=run,
        session=session,
        recorder=RunRecorder(observer, session.journal, partial(warmth_of, opening.target), run.before or UNKNOWN),
        observer=observer,
    )


def _refuse_doubles(place: Place, names: Sequence[str], every: Sequence[Opened]) -> None:
    """Refuse what cannot be at the same time: simulated beside real, a target twice, one drive in two setups."""
    simulated = [opening.target.simulated for opening in every]
    if any(simulated) and not all(simulated):
        raise UsageError("simulated setups and real ones cannot run together; name setups of one kind")
    seen: dict[str, str] = {}
    media: dict[str, str] = {}
    for name, opening in zip(names, every, strict=True):
        key, medium = opening.target.name, next(iter(reversed(opening.header["chain"])), None)
        if key in seen:
            raise UsageError(f"{name} and {seen[key]} are the same target; name different ones")
        if medium in media:
            label = place.review.review.label(medium)
            raise UsageError(
                f"{name} and {media[medium]} are two setups of one drive, {label}, which cannot be in both at once; name setups of different drives"
            )
        seen[key] = name
        if medium is not None:
            media[medium] = name


def _guard(one: _Participant, step: Callable[[], Result]) -> Result | None:
    """Run a step on a target that has not failed yet; keep its failure."""
    if one.failure is not None:
        return None
    try:
        return step()
    except TargetFailed as error:
        one.failed(error)
        return None


def _round(participants: Sequence[_Participant], count: int, number: int, stall: float) -> None:
    """Run one round: every workload on each target alone, then on all at once."""
    for index in range(count):
        for one in participants:
            workload, recorder = one.found.workloads[index], one.recorder
            one.turn()
            recorder.begin(index, workload, number)
            run_pass = partial(runner.run_pass, one.found.target, workload, one.seed(index, number), recorder)
            result = _guard(one, partial(run_pass, index, number=number))
            if result is not None:
                recorder.end(index, workload, number, result)
        _at_once([s for s in participants if s.failure is None], index + count, number, stall)


def _at_once(participants: Sequence[_Participant], index: int, number: int, stall: float) -> None:
    """Run a workload on all targets at the same time, started together; again where machine or program stood still."""
    if len(participants) < 2:
        return
    participants[0].turn()
    participants[0].recorder.begin(index, participants[0].found.workloads[index], number)
    for _ in range(runner.MAX_SPOILED):
        try:
            results = _all_of(participants, index, number, stall)
        except PassSpoiled as error:
            for one in participants:
                one.recorder.spoiled(index, one.found.workloads[index], number, str(error))
            continue
        for one, result in zip(participants, results, strict=True):
            if isinstance(result, TargetFailed):
                one.failed(result)
            else:
                one.turn()
                one.recorder.end(index, one.found.workloads[index], number, result)
        return
    raise Interrupted(f"pass {number} of all together was spoiled {runner.MAX_SPOILED} times in a row")


def _all_of(
    participants: Sequence[_Participant], index: int, number: int, stall: float
) -> list[PassResult | TargetFailed]:
    workloads = [s.found.workloads[index] for s in participants]
    seeds = [s.seed(index, number) for s in participants]
    return run_at_once([s.found.target for s in participants], workloads, seeds, participants[0].recorder.tick, stall)


def _finish(
    request: MeasureRequest, participants: Sequence[_Participant], stopped: Interrupted | None, load: BackgroundLoad
) -> Shared:
    paths = []
    for one in participants:
        state = State(name="complete")
        if one.failure is not None:
            state = State(name="failed", why=str(one.failure), offset=one.failure.offset)
        elif stopped is not None:
            state = State(name="interrupted", why=str(stopped))
        done = finished(one.recorder.document(one.run, state), one.found, load)
        paths.append(one.session.finish(done).path)
    failures = [s.failure for s in participants if s.failure is not None]
    failure = stopped or next(iter(failures), None)
    return Shared(
        tuple(s.name for s in participants),
        _shared(request, participants),
        tuple(paths),
        tuple(map(str, failures)),
        failure,
    )


def _shared(request: MeasureRequest, participants: Sequence[_Participant]) -> dict[str, Sharing]:
    """Return the sharing of every workload that all targets did alone and together."""
    count, by_workload = len(request.workloads), {}
    for index, workload in enumerate(request.workloads):
        alone = [s.recorder.rates(index) for s in participants]
        together = [s.recorder.rates(index + count) for s in participants]
        if all(alone) and all(together):
            by_workload[workload.text] = sharing(
                [estimate(r).rate for r in alone], [estimate(r).rate for r in together]
            )
    return by_workload
