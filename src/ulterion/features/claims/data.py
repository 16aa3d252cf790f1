"""The answer of `ulterion claims`."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.records import dataclass
from ulterion.features.claims.row import ClaimRow, Unit
from ulterion.features.claims.sources import Provenance
from ulterion.features.claims.speedup import RivalRow
from ulterion.show.answers import Answer
from ulterion.show.data import BottleneckData, EstimateData


@dataclass(frozen=True)
class ClaimData(Answer):
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
    older_runs: tuple[str, ...]
    workload: str | None
    estimate: EstimateData | None
    share: float | None
    verdict: str
    why: str | None
    bottleneck: BottleneckData | None

    @classmethod
    def by(cls, row: ClaimRow) -> ClaimData:
        """Return one claim."""
        return cls.of(
            row,
            older_runs=row.older,
            estimate=EstimateData.known(row.estimate),
            share=row.judgement.share,
            verdict=row.judgement.verdict,
            why=row.judgement.why,
            bottleneck=BottleneckData.known(row.bottleneck),
        )


@dataclass(frozen=True)
class RivalData(Answer):
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
    setups: tuple[str, ...]
    true_on: tuple[str, ...]
    compared: int
    why: str | None

    @classmethod
    def by(cls, row: RivalRow) -> RivalData:
        """Return one such claim."""
        nearest, ratio = row.best or (None, None)
        found = {} if ratio is None else {"ratio": ratio.value, "low": ratio.low, "high": ratio.high}
        none = dict.fromkeys(("ratio", "low", "high"))
        return cls.of(row, nearest=nearest, setups=tuple(row.setups or ()), **none | found)


@dataclass(frozen=True)
class SaidData(Answer):
    """Where a claim is said: value in the words there, and when it was seen; `judged`: whether the review judges just that."""

    part: str
    claim: str
    value: str
    where: str
    date: str | None
    up_to: bool
    judged: bool
    disagree: bool


@dataclass(frozen=True)
class Claims(Answer):
    """`ulterion claims`."""

    tolerance: float
    claims: tuple[ClaimData, ...]
    rivals: tuple[RivalData, ...]
    said: tuple[SaidData, ...]


def claims_answer(
    rows: Sequence[ClaimRow], tolerance: float, rivals: Sequence[RivalRow], sources: Sequence[Provenance]
) -> Claims:
    """Return the answer: claims, those against other parts, and who says what."""
    said = [
        SaidData.of(
            s,
            part=one.part,
            date=s.date.isoformat() if s.date else None,
            judged=s in one.judged,
            disagree=one.disagree,
        )
        for one in sources
        for s in one.said
    ]
    return Claims(tolerance, tuple(map(ClaimData.by, rows)), tuple(map(RivalData.by, rivals)), tuple(said))
