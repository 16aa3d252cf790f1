"""Claims as plain data for JSON, each number in the unit of its row."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NotRequired

from typing_extensions import TypedDict

from ulterion.features.claims.row import ClaimRow, Unit
from ulterion.features.claims.speedup_data import RivalData, SaidData
from ulterion.show.bottleneck_data import BottleneckData
from ulterion.show.data import EstimateData, bottleneck_as_data, estimate_as_data


class ClaimData(TypedDict):
    """One claim: numbers in `unit`, names where a link or speed class has one."""

    part: str
    label: str
    claim: str
    unit: Unit
    claimed: float
    claimed_name: str | None
    measured: float | None
    measured_name: str | None
    setup: str | None
    run: str | None
    older_runs: list[str]
    workload: str | None
    estimate: EstimateData | None
    share: float | None
    verdict: str
    why: str | None
    bottleneck: BottleneckData | None


class Claims(TypedDict):
    """`ulterion claims`."""

    tolerance: float
    claims: list[ClaimData]
    rivals: NotRequired[list[RivalData]]
    said: NotRequired[list[SaidData]]


def claims_as_data(rows: Sequence[ClaimRow], tolerance: float) -> Claims:
    """Return the claims as plain data for JSON."""
    return {
        "tolerance": tolerance,
        "claims": [
            {
                "part": r.part,
                "label": r.label,
                "claim": r.claim,
                "unit": r.unit,
                "claimed": r.claimed,
                "claimed_name": r.claimed_name,
                "measured": r.measured,
                "measured_name": r.measured_name,
                "setup": r.setup,
                "run": r.run,
                "older_runs": list(r.older),
                "workload": r.workload,
                "estimate": None if r.estimate is None else estimate_as_data(r.estimate),
                "share": r.judgement.share,
                "verdict": r.judgement.verdict,
                "why": r.judgement.why,
                "bottleneck": None if r.bottleneck is None else bottleneck_as_data(r.bottleneck),
            }
            for r in rows
        ],
    }
