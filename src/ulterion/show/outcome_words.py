"""An outcome that is no number, as a cell of a table."""

from __future__ import annotations

from ulterion.core.outcomes import Outcome, Works
from ulterion.show.blocks import Text

SIGNS: dict[Works, tuple[str, str]] = {
    "works": ("yes", "good"),
    "works with help": ("yes, ", "warning"),
    "does not work": ("no", "bad"),
}
"""How a cell begins, and how it is coloured."""


def outcome_cell(outcome: Outcome | None) -> Text | str:
    """Return yes, no or under which condition; a dash where nothing was noted."""
    if outcome is None:
        return "–"
    word, style = SIGNS[outcome.works]
    if outcome.works == "does not work" and outcome.condition:
        return Text(f"{word}: {outcome.condition}", style=style)
    if outcome.condition.startswith("not "):
        return Text(outcome.condition, style=style)
    return Text(f"{word}{outcome.condition}", style=style)
