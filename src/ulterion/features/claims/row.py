"""One claim and its verdict, in numbers."""

from __future__ import annotations

from typing import Literal

from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import Estimate
from ulterion.core.stats.verdicts import ClaimJudgement
from ulterion.results.bottleneck import Bottleneck

Unit = Literal["B/s", "IOPS", "B", "C", "W", "link", "class"]
"""What a claim is counted in; a link and a video speed class have names, and count by the bytes per second they stand for."""


@dataclass(frozen=True)
class ClaimRow:
    """One claim and its verdict.

    Attributes:
        part: name of the part in the review; `label` as readers know it.
        claim: which claim ('read', 'random write', 'link', ...).
        unit: what both numbers are in.
        claimed, measured: numbers in that unit; measured None when nothing was.
        claimed_name, measured_name: how a link or speed class is called, else None.
        setup: where it was measured, or None.
        run: id of the newest run it rests on, or None; `older` of those taken together with it.
        workload: name of the workload, or None.
        judgement: the verdict.
        bottleneck: what held the measurement back, or None where that was not asked.
        estimate: the estimate behind `measured`, or None.
    """

    part: str
    label: str
    claim: str
    unit: Unit
    claimed: float
    judgement: ClaimJudgement
    claimed_name: str | None = None
    measured: float | None = None
    measured_name: str | None = None
    setup: str | None = None
    run: str | None = None
    workload: str | None = None
    bottleneck: Bottleneck | None = None
    estimate: Estimate | None = None
    older: tuple[str, ...] = ()


NOT_MEASURED = ClaimJudgement("not measured", None)
NOT_TESTED = ClaimJudgement("not tested", None, "no command tests this")
