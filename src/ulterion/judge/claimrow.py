"""One line of the table of claims."""

from __future__ import annotations

from dataclasses import dataclass

from ulterion.core.stats import Estimate
from ulterion.core.verdicts import ClaimJudgement


@dataclass(frozen=True)
class ClaimRow:
    """One claim and what became of it.

    Attributes:
        part: name of the part in the review; `label` as readers know it.
        claim: which claim ('read', 'random write', 'link', ...).
        claimed, measured: as shown to people; measured None when nothing was.
        unit: the unit both are in, '' where they are names.
        hookup: where it was measured, or None.
        workload: name of the workload, or None.
        judgement: the verdict.
        limit: what held the measurement back, in words, or None.
        estimate: the estimate behind `measured`, or None.
        advertised: the claim as a number in base units, or None for a link.
    """

    part: str
    label: str
    claim: str
    claimed: str
    measured: str | None
    unit: str
    hookup: str | None
    workload: str | None
    judgement: ClaimJudgement
    limit: str | None = None
    estimate: Estimate | None = None
    advertised: float | None = None


NOT_MEASURED = ClaimJudgement("not measured", None)
