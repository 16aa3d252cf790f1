"""The answer of `ulterion capacity`."""

from __future__ import annotations

from pathlib import Path

from ulterion.core.documents.plain import Plain
from ulterion.core.records import dataclass
from ulterion.model.runs.capacity import CapacityRun
from ulterion.show.answers import Answer


@dataclass(frozen=True)
class Proven(Answer):
    """`ulterion capacity`: `run` is the run document."""

    kept_in: str
    state: str
    method: str
    finding: str
    claimed: int
    real: int | None
    summary: str
    run: Plain


def capacity_answer(run: CapacityRun, path: Path) -> Proven:
    """Return a proof."""
    one = run.capacity
    return Proven.of(
        one,
        kept_in=str(path),
        state=run.state.name,
        claimed=one.claimed_bytes,
        real=one.real_bytes,
        run=run.as_data(),
    )
