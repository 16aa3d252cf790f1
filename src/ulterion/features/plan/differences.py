"""What differed between the cells of a plan besides its factors, and may affect the figures."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.facts import differences
from ulterion.core.facts.differences import DRIVER, LINK, PORT, RunFacts
from ulterion.model.planned import runs_of_plan
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.measure import MeasureRun

LEVELS = (DRIVER, LINK, PORT, "host", "system", "transport", "target")  # what a plan's own levels change


def unlike(review: Review, runs: Sequence[AnyRun]) -> list[str]:
    """Return in words what differed between the cells of each medium besides their levels."""
    media: dict[str, list[MeasureRun]] = {}
    for run in runs_of_plan(review, runs):
        if run.chain:
            media.setdefault(run.chain[-1], []).append(run)
    told = []
    for medium, mine in media.items():
        name = review.label(medium)
        told += [f"{name}: {words}" for words in differences.unlike([_facts(r) for r in mine], LEVELS)]
        told += [f"{r.setup}: {words}" for r in mine for words in r.unequal]
    return told


def _facts(run: MeasureRun) -> RunFacts:
    return RunFacts(run.target, run.bench, tuple(run.chain), engine=run.bench.versions.get("ulterion"))
