"""What making, checking and exporting a report says, and the archive, as plain data for JSON."""

from __future__ import annotations

from typing import NotRequired

from typing_extensions import TypedDict


class ReportMade(TypedDict):
    """`ulterion report`: the page, its sections, the files of its figures, and remarks that belong to no section."""

    page: str
    bytes: int
    sections: list[str]
    figures: list[str]
    unplaced: list[str]


class VerifiedData(TypedDict):
    """`ulterion verify`: whether all is the same, what was looked at, and what is different."""

    same: bool
    looked_at: list[str]
    different: list[str]
    beside: NotRequired[list[dict[str, str | float | None]]]


class ExportedData(TypedDict):
    """`ulterion export`: the files written, with their rows."""

    files: dict[str, int]


class ArchivedData(TypedDict):
    """`ulterion archive add` and `rebuild`: runs that are new, changed, known already, and gone from their folders."""

    new: int
    changed: int
    known: int
    gone: int


class FoundData(TypedDict):
    """`ulterion archive find` and `chart`: results, rates in bytes per second, and what was not alike between them."""

    answers: list[dict[str, str | int | float | None]]
    unlike: list[str]
