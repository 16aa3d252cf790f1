"""How far a plan is, from the runs on disk.  Nothing here measures, so that looking at a plan loads little."""

from __future__ import annotations

from ulterion.core.records import dataclass
from ulterion.host import facts
from ulterion.model.planned import Planned, planned
from ulterion.model.runs.document import AnyRun
from ulterion.model.store import ReviewFolder


@dataclass(frozen=True)
class PlanRequest:
    """How a plan is to be run.

    Attributes:
        review: it is in.
        host: name of this machine, as the plan's levels have it; None: the review's or the system's.
        seconds: time that may be taken, None for all that is needed.
        visits: how often a cell is measured at most, while its comparison is open.
        wait: seconds that a hand is waited for.
        steps: how many steps are taken at most, None for all.
        again: cells to be measured once more, by setup or levels; where there are any, only these are.
    """

    review: ReviewFolder
    host: str | None = None
    seconds: float | None = None
    visits: int = 2
    wait: float = 86400.0
    steps: int | None = None
    again: tuple[str, ...] = ()


def plan_runs(review: ReviewFolder) -> list[AnyRun]:
    """Return the runs that a plan looks at: measurements without their series, and soaks."""
    review.refresh()
    summaries = review.summaries()
    passes = review.without_series([s for s in summaries if s.kind in ("measure", "network")])
    return [*passes, *review.without_series([s for s in summaries if s.kind == "soak"])]


def look(request: PlanRequest, leaving: set[str] | None = None) -> Planned:
    """Return how far the plan is, by the runs as they are on the disk now."""
    review = request.review
    return planned(
        review.review,
        plan_runs(review),
        review.review.review.margin,
        host=host_of(request),
        visits=request.visits,
        leaving=leaving or (),
    )


def host_of(request: PlanRequest) -> str | None:
    """Return the machine that asks, as the plan's levels have it."""
    if request.host is not None:
        return request.host
    return request.review.review.bench.host or facts.bench_facts({}, None).host
