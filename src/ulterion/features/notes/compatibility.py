"""What works where: the outcomes that were noted, as a table of setups and questions."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.outcomes import Outcome, read_outcome
from ulterion.core.records import dataclass
from ulterion.features.notes.entries import standing_outcomes
from ulterion.model.review import Review
from ulterion.model.store import ReviewFolder
from ulterion.show.blocks import BLANK, Shown, Table, Text, heading
from ulterion.show.outcome_words import outcome_cell


@dataclass(frozen=True)
class WorksRow:
    """A setup and the newest outcome noted of each question."""

    setup: str
    outcomes: dict[str, Outcome]


def what_works(folder: ReviewFolder) -> list[WorksRow]:
    """Return the setups with outcomes, in the order of the review; those never measured too."""
    told: dict[str, dict[str, Outcome]] = {}
    for setup, text in standing_outcomes(folder):
        outcome = read_outcome(text)
        if outcome is not None:
            told.setdefault(setup, {})[outcome.question] = outcome
    known = [n for n in folder.review.setups if n in told]
    return [WorksRow(n, told[n]) for n in [*known, *(n for n in told if n not in known)]]


def works_table(review: Review, rows: Sequence[WorksRow]) -> list[Shown]:
    """Return what works where; nothing where no outcome was noted."""
    if not rows:
        return []
    questions = list(dict.fromkeys(q for r in rows for q in r.outcomes))
    lines = [
        [Text(_label(review, r.setup), style="name"), *(outcome_cell(r.outcomes.get(q)) for q in questions)]
        for r in rows
    ]
    return [BLANK, heading("What works"), Table([("", "left"), *((q, "left") for q in questions)], lines)]


def _label(review: Review, setup: str) -> str:
    return review.setup_label(setup) if setup in review.setups else setup
