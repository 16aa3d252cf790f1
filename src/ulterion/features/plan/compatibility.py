"""Works or not, by cell: the outcomes that were noted to a plan's questions, as a table."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.matrix.grid import Cell
from ulterion.core.records import dataclass
from ulterion.model.plan import outcome_of
from ulterion.model.planned import cells_of, plan_of
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun


@dataclass(frozen=True)
class CompatibilityRow:
    """A cell and what works in it: by question True, False, or None where nobody said."""

    cell: Cell
    setup: str
    works: dict[str, bool | None]


def compatibility(review: Review, runs: Sequence[AnyRun]) -> list[CompatibilityRow]:
    """Return what works in which cell, by the newest outcome noted of each question."""
    questions = plan_of(review).compatibility
    told: dict[tuple[str, str], bool] = {}
    for run in sorted(runs, key=lambda r: r.started):
        for note in run.standing_notes if run.setup is not None and not run.excluded else ():
            for question in questions:
                for works in (True, False):
                    if note.text == outcome_of(question, works=works):
                        told[run.setup or "", question] = works
    return [CompatibilityRow(c, h, {q: told.get((h, q)) for q in questions}) for c, h in cells_of(review).items()]
