"""A setup of another review set among one's own: last year's product in this year's table and chart.

What is called alike is taken for the same product; everything else keeps the other review's name before its own, so that
nothing of the two is mixed up.  What differs besides the products (the host, the file system, the sample of the drive, ...)
is told by the comparison, as for any two runs.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from ulterion.core.errors import UsageError, unknown
from ulterion.core.records import dataclass
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.measure import MeasureRun
from ulterion.results.pooling import pooled_results


@dataclass(frozen=True)
class OtherReview:
    """A setup of another review: what that review is called here, the review, its runs, the setup's name there, and the review's folder."""

    called: str
    review: Review
    runs: Sequence[AnyRun]
    setup: str
    path: Path

    @property
    def name(self) -> str:
        """What the setup is called among one's own."""
        return f"{self.called}:{self.setup}"


def joined(review: Review, runs: Sequence[AnyRun], guest: OtherReview) -> tuple[Review, list[AnyRun]]:
    """Return a review and its runs with another's setup among them; raise UsageError where it has no measurement, or was nothing known of it."""
    if guest.setup not in guest.review.setups:
        raise UsageError(f"review '{guest.called}': {unknown('setup', guest.setup, guest.review.setups)}")
    if guest.name in review.setups:
        raise UsageError(
            f"'{guest.name}' is there already, of this review or another of that name; name it once, or rename its folder"
        )
    measured = pooled_results(guest.runs).get(guest.setup)
    if not measured:
        raise UsageError(f"setup '{guest.setup}' of the review '{guest.called}' has no measurement; name another")
    theirs = guest.review.setups[guest.setup]
    keys = keys_here(review, guest)
    ports = {keys[k]: guest.review.ports[k] for k in theirs.chain if k in guest.review.ports}
    parts = {keys[k]: guest.review.parts[k] for k in theirs.chain if k in guest.review.parts}
    chain = [keys[k] for k in theirs.chain]
    setup = theirs.changed(chain=chain, baseline=False, target=None, expect=None)
    known = review.changed(
        ports={**ports, **review.ports}, parts={**parts, **review.parts}, setups={**review.setups, guest.name: setup}
    )
    documents = {run.id: run for one in measured.values() for run in one.documents}
    brought = [_brought(run, guest.name, chain) for run in documents.values()]
    return known, [*runs, *brought]


def keys_here(review: Review, guest: OtherReview) -> dict[str, str]:
    """Return what each part and port of a guest's chain is called here."""
    return {key: _key(review, guest, key) for key in guest.review.setups[guest.setup].chain}


def _key(review: Review, guest: OtherReview, key: str) -> str:
    """Return what a part or port of the other review is called here: as ours of the same name, else with the review before it."""
    label = guest.review.label(key).casefold() if key in guest.review.parts else None
    ours = next((k for k, p in review.parts.items() if p.name.casefold() == label), None)
    return ours or f"{guest.called}:{key}"


def _brought(run: MeasureRun, name: str, chain: Sequence[str]) -> MeasureRun:
    return run.changed(setup=name, chain=list(chain), cell=None)
