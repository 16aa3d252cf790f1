"""The answers of `ulterion copy`."""

from __future__ import annotations

from pathlib import Path

from ulterion.core.documents.plain import Plain
from ulterion.core.records import dataclass
from ulterion.features.copy.words import figure, findings, slow_end_of
from ulterion.model.runs.copied import CopyRun
from ulterion.show.answers import Answer


@dataclass(frozen=True)
class Wrong(Answer):
    """A file that did not arrive as it was."""

    name: str
    what: str


@dataclass(frozen=True)
class Copied(Answer):
    """`ulterion copy`: `run` is the run document."""

    kept_in: str
    state: str
    rate: float | None
    low: float | None
    high: float | None
    why: str | None
    slow_end: str | None
    findings: tuple[str, ...]
    run: Plain


@dataclass(frozen=True)
class Checked(Answer):
    """`ulterion copy --check`."""

    files: int
    bytes: int
    wrong: tuple[Wrong, ...]
    wrong_count: int


def copy_answer(run: CopyRun, path: Path) -> Copied:
    """Return a copy: its rate, which end was slow, and the document."""
    rate = figure(run)
    interval = {n: getattr(rate, n) if rate else None for n in ("rate", "low", "high", "why")}
    return Copied(
        kept_in=str(path),
        state=run.state.name,
        slow_end=slow_end_of(run),
        findings=tuple(findings(run)),
        run=run.as_data(),
        **interval,
    )
