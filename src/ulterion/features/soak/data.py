"""The answers of `ulterion soak` and `ulterion compare --soaks`."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from ulterion.core.documents.fields import optional
from ulterion.core.records import dataclass
from ulterion.core.soak.findings import Findings
from ulterion.features.soak.judging import Soak, SoakDifference, difference
from ulterion.features.soak.readings import ReadingRow, reading_rows
from ulterion.model.runs.soak import SoakRun
from ulterion.results.bottleneck import Bottleneck
from ulterion.show.answers import Answer
from ulterion.show.data import BottleneckData


@dataclass(frozen=True)
class SoakData(Answer):
    """`ulterion soak`."""

    run: str
    setup: str | None
    state: str
    findings: Findings | None
    kept_in: str | None = optional()
    bottleneck: BottleneckData | None = optional()


@dataclass(frozen=True)
class Soaks(Answer):
    """`ulterion compare --soaks`: how each differs from the first."""

    soaks: tuple[SoakData, ...]
    differences: tuple[SoakDifference, ...]
    readings: tuple[ReadingRow, ...]


def soak_answer(
    run: SoakRun, soak: Soak | None, path: Path | None = None, bottleneck: Bottleneck | None = None
) -> SoakData:
    """Return a soak: what was found, where it is kept, and what limits its rate."""
    return SoakData(
        run=run.id,
        setup=run.setup,
        state=run.state.name,
        findings=None if soak is None else soak.findings,
        kept_in=None if path is None else str(path),
        bottleneck=BottleneckData.known(bottleneck),
    )


def soaks_answer(soaks: Sequence[Soak]) -> Soaks:
    """Return several soaks and how each differs from the first."""
    each = tuple(soak_answer(s.run, s) for s in soaks)
    return Soaks(each, tuple(difference(s, soaks[0]) for s in soaks[1:]), tuple(reading_rows(soaks)))
