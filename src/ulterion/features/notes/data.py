"""The answers of `ulterion note`."""

from __future__ import annotations

from ulterion.core.documents.fields import optional
from ulterion.core.records import dataclass
from ulterion.model.runs.notes import NotedLine
from ulterion.show.answers import Answer


@dataclass(frozen=True)
class Notes(Answer):
    """`ulterion note` without words."""

    setups: tuple[NotedLine, ...]
    runs: tuple[NotedLine, ...]


@dataclass(frozen=True)
class Assigned(Answer):
    """`ulterion assign`: a run, the setup that it had, and the one that it has now."""

    run: str
    was: str | None
    setup: str


@dataclass(frozen=True)
class Noted(Answer):
    """`ulterion note` with words or a log."""

    what: str
    where: str
    bad_rows: int | None = optional()
    gaps: int | None = optional()
