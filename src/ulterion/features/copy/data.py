"""Copies as plain data for JSON: bytes, seconds, bytes per second."""

from __future__ import annotations

from pathlib import Path

from typing_extensions import TypedDict

from ulterion.core.transfers.copies import slow_end
from ulterion.features.copy.words import figure, findings, one_drive
from ulterion.model.runs.copied import CopyRun


class Wrong(TypedDict):
    """A file that did not arrive as it was."""

    name: str
    what: str


class Copied(TypedDict):
    """`ulterion copy`: `run` is the run document."""

    kept_in: str
    state: str
    rate: float | None
    low: float | None
    high: float | None
    why: str | None
    slow_end: str | None
    findings: list[str]
    run: dict[str, object]


class Checked(TypedDict):
    """`ulterion copy --check`."""

    files: int
    bytes: int
    wrong: list[Wrong]
    wrong_count: int


def copy_as_data(run: CopyRun, path: Path) -> Copied:
    """Return a copy as plain data."""
    told, one = figure(run), run.copied
    slow = None
    if told is not None and one.source_alone is not None and one.target_alone is not None:
        slow = slow_end(told.rate, one.source_alone.rate, one.target_alone.rate, one_drive=one_drive(run))[0]
    return {
        "kept_in": str(path),
        "state": run.state.name,
        "rate": told.rate if told else None,
        "low": told.low if told else None,
        "high": told.high if told else None,
        "why": told.why if told else None,
        "slow_end": slow,
        "findings": findings(run),
        "run": run.model_dump(mode="json", by_alias=True, exclude_none=True),
    }
