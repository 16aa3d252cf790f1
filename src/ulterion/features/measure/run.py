"""One run of `measure`: open the target, take it through the suite, keep everything."""

from __future__ import annotations

from functools import partial

from ulterion.engine import runner
from ulterion.features.measure.rest import Rest
from ulterion.features.measure.start_conditions import wait_for_start_conditions
from ulterion.model.runs.measure import MeasureRun
from ulterion.run.background_load import BackgroundLoad
from ulterion.run.observers import Kept, Observer
from ulterion.run.opening import UNKNOWN, Opened, blank_measure, opened
from ulterion.run.requests import MeasureRequest
from ulterion.run.session import RunRecorder, RunSession, finished
from ulterion.run.targets.protocol import temperature_of, warmth_of


def measure(request: MeasureRequest, observer: Observer) -> Kept[MeasureRun]:
    """Run the request and keep the run; a target that fails, or a stop by hand, is a run too (see `Kept.failure`).

    Raises UsageError before anything is measured.
    """
    with opened(request.place, request.access, request.workloads, request.seconds, observer, late=True) as opening:
        run = wait_for_start_conditions(
            blank_measure(opening, request), opening.target, request.extras, observer.resting
        )
        observer.opened(run)
        return _keep(request, opening, run, observer)


def _keep(request: MeasureRequest, opening: Opened, run: MeasureRun, observer: Observer) -> Kept[MeasureRun]:
    """Run the suite with a journal, then write the document whatever happened."""
    extras, target = request.extras, opening.target
    rest = Rest(extras.rest, extras.cool_to, partial(temperature_of, target), target.rest, observer.resting)
    rest.check()
    schedule = runner.Schedule(
        workloads=opening.workloads,
        passes=request.passes,
        seed=opening.seed,
        warm_up=extras.warm_up,
        sure=extras.until or extras.sure,
        rest=rest,
    )
    with RunSession(request.place.review, run, target) as session:
        recorder = RunRecorder(
            observer, session.journal, partial(warmth_of, target), run.before or UNKNOWN, target.span_bytes
        )
        load = BackgroundLoad()
        with session.guarded(lambda: recorder.doing, unfinished=lambda: recorder.unfinished):
            runner.run(target, schedule, recorder)
        return session.finish(finished(recorder.document(run, session.state), opening, load))
