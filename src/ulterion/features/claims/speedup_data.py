"""Claims against rivals as plain data for JSON."""

from __future__ import annotations

from collections.abc import Sequence

from typing_extensions import TypedDict

from ulterion.features.claims.sources import Provenance
from ulterion.features.claims.speedup import RivalRow


class RivalData(TypedDict):
    """A claim to be so many times as fast as another part; `ratio` of the workload that comes nearest; `true_on`: those that reach it."""

    part: str
    than: str
    times: float
    workload: str | None
    verdict: str
    nearest: str | None
    ratio: float | None
    low: float | None
    high: float | None
    setups: list[str]
    true_on: list[str]
    compared: int
    why: str | None


class SaidData(TypedDict):
    """Where a claim is said: value in the words there, and when it was seen; `judged`: whether the review judges just that."""

    part: str
    claim: str
    value: str
    where: str
    date: str | None
    up_to: bool
    judged: bool
    disagree: bool


def provenance_as_data(found: Sequence[Provenance]) -> list[SaidData]:
    """Return who says what."""
    return [
        {
            "part": one.part,
            "claim": one.claim,
            "value": s.value,
            "where": s.where,
            "date": s.date.isoformat() if s.date else None,
            "up_to": s.up_to,
            "judged": s in one.judged,
            "disagree": one.disagree,
        }
        for one in found
        for s in one.said
    ]


def rivals_as_data(rows: Sequence[RivalRow]) -> list[RivalData]:
    """Return claims against rivals."""
    return [
        {
            "part": r.part,
            "than": r.than,
            "times": r.times,
            "workload": r.workload,
            "verdict": r.verdict,
            "nearest": r.best[0] if r.best else None,
            "ratio": r.best[1].value if r.best else None,
            "low": r.best[1].low if r.best else None,
            "high": r.best[1].high if r.best else None,
            "setups": list(r.setups or ()),
            "true_on": list(r.true_on),
            "compared": r.compared,
            "why": r.why,
        }
        for r in rows
    ]
