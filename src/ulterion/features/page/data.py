"""The answers of `ulterion report`, `verify`, `export` and `archive`."""

from __future__ import annotations

from ulterion.core.documents.fields import optional
from ulterion.core.records import dataclass
from ulterion.show.answers import Answer

Row = dict[str, str | int | float | None]


@dataclass(frozen=True)
class ReportMade(Answer):
    """`ulterion report`: the page, its sections, the files of its figures, the picture for sharing it, and remarks that belong to no section."""

    page: str
    bytes: int
    sections: tuple[str, ...]
    figures: tuple[str, ...]
    picture: str | None
    unplaced: tuple[str, ...]


@dataclass(frozen=True)
class VerifiedData(Answer):
    """`ulterion verify`: whether all is the same, what was looked at, and what is different."""

    same: bool
    looked_at: tuple[str, ...]
    different: tuple[str, ...]
    beside: tuple[Row, ...] | None = optional()


@dataclass(frozen=True)
class ExportedData(Answer):
    """`ulterion export`: the files written, with their rows; null for a figure."""

    files: dict[str, int | None]


@dataclass(frozen=True)
class ArchivedData(Answer):
    """`ulterion archive add` and `rebuild`: runs that are new, changed, known already, and gone from their folders."""

    new: int
    changed: int
    known: int
    gone: int


@dataclass(frozen=True)
class FoundData(Answer):
    """`ulterion archive find` and `chart`: results, rates in bytes per second, and what was not alike between them."""

    answers: tuple[Row, ...]
    unlike: tuple[str, ...]
