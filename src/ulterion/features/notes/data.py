"""The shape of notes in JSON."""

from __future__ import annotations

from typing import NotRequired  # as pydantic wants them before Python 3.12

from typing_extensions import TypedDict


class Notes(TypedDict):
    """`ulterion note` without words."""

    setups: list[dict[str, str | float | bool | None]]
    runs: list[dict[str, str | float | bool | None]]


class Noted(TypedDict):
    """`ulterion note` with words or a log."""

    what: str
    where: str
    bad_rows: NotRequired[int]
    gaps: NotRequired[int]
