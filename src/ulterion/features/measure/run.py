"""One run of `measure`: open the target, take it through the suite, keep everything."""

from __future__ import annotations

from ulterion.core.errors import Interrupted, TargetFailed, UlterionError
from ulterion.engine import runner
from ulterion.features.measure.rest import Rest
from ulterion.features.measure.start_conditions import wait_for_start_conditions
from ulterion.model.runs.header import State
from ulterion.model.runs.measure import MeasureRun
from ulterion.run.background_load import BackgroundLoad
from ulterion.run.observers import MeasureOutcome, Observer
from ulterion.run.opening import UNKNOWN, Opened, blank_measure, opened
from ulterion.run.requests import MeasureRequest
from ulterion.run.session import RunRecorder, failure_of, finished, open_journal


def measure(request: MeasureRequest, observer: Observer) -> MeasureOutcome:
    """Run the request and keep the run; a target that fails, or a stop by hand, is a run too (see `MeasureOutcome.failure`).

    Raises UsageError before anything is measured.
    """
    with opened(request.place, request.access, request.workloads, request.seconds, observer) as opening:
        run = wait_for_start_conditions(
            blank_measure(opening, request), opening.target, request.extras, observer.resting
        )
        observer.opened(run)
        return _keep(request, opening, run, observer)


def _keep(request: MeasureRequest, opening: Opened, run: MeasureRun, observer: Observer) -> MeasureOutcome:
    """Run the suite with a journal, then write the document whatever happened."""
    extras, review = request.extras, request.place.review
    rest = Rest(extras.rest, extras.cool_to, opening.target.temperature, opening.target.rest, observer.resting)
    rest.check()
    schedule = runner.Schedule(
        workloads=opening.workloads,
        passes=request.passes,
        seed=opening.seed,
        warm_up=extras.warm_up,
        sure=extras.until or extras.sure,
        rest=rest,
    )
    journal = open_journal(review, run)
    recorder, bystanders = (
        RunRecorder(observer, journal, opening.target.warmth, run.before or UNKNOWN),
        BackgroundLoad(),
    )
    failure: UlterionError | None = None
    saved = False
    try:
        state = State(name="complete")
        try:
            runner.run(opening.target, schedule, recorder)
        except (TargetFailed, Interrupted, KeyboardInterrupt) as error:
            failure, state = failure_of(error, recorder.doing, run, opening.target)
            if isinstance(failure, Interrupted):
                state = state.model_copy(update={"unfinished_bytes": recorder.unfinished or None})
        done, path = review.finish(finished(recorder.document(run, state), opening, bystanders), journal.path)
        saved = True
        assert isinstance(done, MeasureRun)
        return MeasureOutcome(done, path, failure)
    finally:
        journal.close(remove=saved or not recorder.passes)
