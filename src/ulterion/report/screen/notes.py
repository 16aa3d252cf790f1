"""What was noted by hand, as a table."""

from __future__ import annotations

from rich.console import RenderableType
from rich.text import Text

from ulterion.core.units import show_duration
from ulterion.model.runs.noted import NotedLine
from ulterion.report.screen.console import table


def noted_lines(by_place: dict[str, list[NotedLine]]) -> list[RenderableType]:
    """Return everything noted in a review."""
    rows = [[str(n["hookup"]), "–", "–", str(n["what"])] for n in by_place["hookups"]]
    for note in by_place["runs"]:
        at = note["at_seconds"]
        when = _moment(at) if isinstance(at, float | int) else "–"
        rows.append([str(note["hookup"] or "–"), f"{note['kind']} {note['run']}", when, str(note["what"])])
    if not rows:
        return [Text("Nothing is noted yet: ulterion note 'case 38 C', or --hookup NAME 'not recognised'")]
    return [table([("hookup", "left"), ("run", "left"), ("at", "right"), ("noted", "left")], rows)]


def _moment(seconds: float) -> str:
    return f"-{show_duration(-seconds)}" if seconds < 0 else show_duration(seconds) if seconds else "0 s"
