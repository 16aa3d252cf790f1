"""What works where, as a chart: yes, no, and under which condition."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.outcomes import Outcome, Works
from ulterion.features.notes.compatibility import WorksRow
from ulterion.model.review import Review
from ulterion.show.charts import Caption, MapCell, MapChart, Tone, finding
from ulterion.show.outcome_words import outcome_text

TONES: dict[Works, Tone] = {"works": "good", "works with help": "open", "does not work": "bad"}


def works_map(review: Review, rows: Sequence[WorksRow]) -> MapChart:
    """Return setups by questions, each answered yes, no, or under a condition."""
    questions = list(dict.fromkeys(q for r in rows for q in r.outcomes))
    names = tuple(review.setup_label(r.setup) if r.setup in review.setups else r.setup for r in rows)
    cells = tuple(tuple(_cell(r.outcomes.get(q)) for q in questions) for r in rows)
    fine = [name for name, r in zip(names, rows, strict=True) if all(o.works == "works" for o in r.outcomes.values())]
    if len(fine) == 1:
        title = finding(f"Only {fine[0]} works without help", f"One of {len(rows)} works without help")
    else:
        title = finding(f"{len(fine) or 'None'} of {len(rows)} work without help")
    return MapChart(Caption(title, "What works where, as noted"), names, tuple((q,) for q in questions), cells)


def _cell(outcome: Outcome | None) -> MapCell:
    return MapCell("–") if outcome is None else MapCell(outcome_text(outcome), tone=TONES[outcome.works])
