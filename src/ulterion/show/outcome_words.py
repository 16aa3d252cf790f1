"""An outcome that is not a number, as a cell of a table."""

from __future__ import annotations

from ulterion.core.outcomes import Outcome, Works
from ulterion.show.blocks import Text

SIGNS: dict[Works, tuple[str, str]] = {
    "works": ("yes", "good"),
    "works with help": ("yes, ", "warning"),
    "does not work": ("no", "bad"),
}
"""How a cell begins, and how it is coloured."""


def outcome_text(outcome: Outcome) -> str:
    """Return yes, no, or under which condition."""
    word, _ = SIGNS[outcome.works]
    if outcome.works == "does not work" and outcome.condition:
        return f"{word}: {outcome.condition}"
    return outcome.condition if outcome.condition.startswith("not ") else f"{word}{outcome.condition}"


def outcome_cell(outcome: Outcome | None) -> Text | str:
    """Return an outcome in its colour; a dash where nothing was noted."""
    return "–" if outcome is None else Text(outcome_text(outcome), style=SIGNS[outcome.works][1])
