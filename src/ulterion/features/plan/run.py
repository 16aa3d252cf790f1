"""Running a plan: the next cell is named, waited for, proven, measured and kept, until nothing is open or the time is up."""

from __future__ import annotations

import os
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import field

from ulterion.core.errors import UsageError
from ulterion.core.records import dataclass
from ulterion.features.plan.state import PlanRequest, look
from ulterion.features.plan.steps import PlanObserver, take
from ulterion.model.files import open_lock
from ulterion.model.lock import try_lock
from ulterion.model.planned import Planned, Step, cell_called, plan_of
from ulterion.model.store import ReviewFolder

MAX_FAILURES = 2  # of one cell, after which it is left for the time being
"""How often a cell is tried before the plan goes on without it."""


@dataclass
class PlanDone:
    """What came of it: the plan as it stands, steps taken, cells that failed and why, and what stopped it before its end."""

    now: Planned
    steps: int
    failed: dict[str, str] = field(default_factory=dict)
    stopped: str | None = None


def run_plan(request: PlanRequest, observer: PlanObserver) -> PlanDone:
    """Take a plan's steps one after the other; what fails is kept, tried again, then left while the others go on.

    Raises UsageError for a plan that cannot be run, a setting that does not hold, and a hand that does not come.
    """
    review = request.review
    plan, begun, taken = plan_of(review.review), time.monotonic(), 0
    failures: dict[str, int] = {}
    done = PlanDone(look(request), 0)
    before: str | None = None
    spent = 0.0
    asked = [Step(setup, cell, again="asked") for cell, setup in (cell_called(review.review, n) for n in request.again)]
    while True:
        left = {h for h, n in failures.items() if n >= MAX_FAILURES}
        now = look(request, left)
        done.now, done.steps = now, taken
        step = next((s for s in asked if s.setup not in left), None) if request.again else now.next
        if step is None:
            return done
        if request.steps is not None and taken >= request.steps:
            done.stopped = f"{taken} steps were taken"
            return done
        each = now.seconds_each
        spent = max(spent, time.monotonic() - begun)
        if request.seconds is not None and each is not None and spent + each > request.seconds:
            done.stopped = "the time was up"
            return done
        with _claimed(review, step.setup) as mine:
            if not mine:
                failures[step.setup] = MAX_FAILURES
                observer.remark(f"another program is measuring '{step.setup}', so it is skipped here")
                continue
            if step.again != "asked" and look(request, left).next != step:
                continue  # another program took it between our look and our claim
            observer.step(step, now)
            why, seconds = take(request, plan, step, before, observer)
        spent, taken, before = spent + seconds, taken + 1, step.setup
        if why is None:
            failures.pop(step.setup, None)
            done.failed.pop(step.setup, None)
            asked = [one for one in asked if one != step]
        else:
            failures[step.setup] = failures.get(step.setup, 0) + 1
            done.failed[step.setup] = why
            observer.remark(f"'{step.setup}' failed: {why}")


@contextmanager
def _claimed(review: ReviewFolder, setup: str) -> Iterator[bool]:
    """Yield whether this process has the setup to itself: two machines may run one plan in a shared folder."""
    path = review.make_runs_folder() / f".plan-{setup}.lock"
    try:
        lock = open_lock(path)
    except OSError as error:
        raise UsageError(f"{path} cannot be opened: {error.strerror}; move it away") from error
    try:
        yield try_lock(lock)
    finally:
        os.close(lock)
