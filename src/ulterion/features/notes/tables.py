"""What was noted by hand, as a table."""

from __future__ import annotations

from ulterion.core.units import show_duration
from ulterion.model.runs.notes import NotedLine
from ulterion.show.blocks import Shown, Table, Text


def noted_lines(by_place: dict[str, list[NotedLine]]) -> list[Shown]:
    """Return everything noted in a review."""
    rows: list[list[Text | str]] = []
    for note in [*by_place["setups"], *by_place["runs"]]:
        at, run = note.get("at_seconds"), note.get("run")
        when = _moment(at) if isinstance(at, float | int) else "–"
        where = f"{note['kind']} {run}" if run else "–"
        gone = bool(note["taken_back"])
        what = Text(f"{note['what']} (taken back)" if gone else str(note["what"]), style="muted" if gone else "")
        rows.append([str(note["number"]), str(note["setup"] or "–"), where, when, what])
    if not rows:
        return [Text("Nothing is noted yet: ulterion note 'case 38 C', or --setup NAME 'not recognised'")]
    columns = [("no.", "right"), ("setup", "left"), ("run", "left"), ("at", "right"), ("noted", "left")]
    return [Table(columns, rows)]


def _moment(seconds: float) -> str:
    return f"-{show_duration(-seconds)}" if seconds < 0 else show_duration(seconds) if seconds else "0 s"
