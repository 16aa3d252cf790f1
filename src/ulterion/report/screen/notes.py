"""What was noted by hand, as a table."""

from __future__ import annotations

from typing import Any

from rich.console import RenderableType
from rich.text import Text

from ulterion.core.units import show_duration
from ulterion.report.screen.console import table


def noted_lines(found: dict[str, Any]) -> list[RenderableType]:
    """Return everything noted in a review."""
    rows = [[n["hookup"], "–", "–", n["what"]] for n in found["hookups"]]
    for note in found["runs"]:
        at = "–" if note["at_seconds"] is None else _moment(note["at_seconds"])
        rows.append([note["hookup"] or "–", f"{note['kind']} {note['run']}", at, note["what"]])
    if not rows:
        return [Text("Nothing is noted yet: ulterion note 'case 38 C', or --hookup NAME 'not recognised'")]
    return [table([("hookup", "left"), ("run", "left"), ("at", "right"), ("noted", "left")], rows)]


def _moment(seconds: float) -> str:
    return f"-{show_duration(-seconds)}" if seconds < 0 else show_duration(seconds) if seconds else "0 s"
