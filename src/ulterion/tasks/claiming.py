"""Measured against advertised: every claim of every part, on the hookup that gives it the fairest chance."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ulterion.core.ceilings import Ceiling, Direction, bottleneck, ceilings_of
from ulterion.core.stats import Estimate
from ulterion.core.units import show_iops, show_rate, show_size
from ulterion.core.verdicts import ClaimJudgement, judge_claim
from ulterion.model.review import Claims, Review
from ulterion.model.run import RunDocument
from ulterion.tasks.evidence import Measured, best_of, chain_elements, estimate_as_data, latest

RANK = ("met", "missed", "undecided", "not testable here", "not measured")


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


@dataclass(frozen=True)
class _Case:
    """A claim in the light of one hookup's measurements."""

    review: Review
    part: str
    hookup: str
    measured: dict[str, Measured]
    direct: tuple[Measured, ...]

    def ceilings(self, found: Measured) -> list[Ceiling]:
        chain = chain_elements(self.review, found.run, self.direct)
        return ceilings_of(chain, found.workload.direction)


def judge_claims(review: Review, runs: Sequence[RunDocument], *, unit: str = "MB/s", everywhere: bool = False,
                 hookups: Sequence[str] = ()) -> list[ClaimRow]:  # fmt: skip
    """Judge every claim of the review.

    One row for each claim, from the hookup with the most telling verdict (met before missed, missed before undecided,
    all before 'not testable here'; the fastest among equals); with `everywhere` one for each hookup it was measured on.
    """
    for name in hookups:
        review.hookup(name)
    measured = {n: m for n, m in latest(runs).items() if n in review.hookups and (not hookups or n in hookups)}
    rows: list[ClaimRow] = []
    for key in [*review.ports, *review.parts]:
        claims = review.parts[key].claims if key in review.parts else review.ports[key].claims
        cases = [_case(review, key, name, measured) for name in measured if key in review.hookups[name].chain]
        for judged in _judge_part(review, key, claims, cases, unit):
            rows += judged if everywhere else judged[:1]
    return rows


def _case(review: Review, key: str, hookup: str, measured: dict[str, dict[str, Measured]]) -> _Case:
    direct = review.direct_for(review.hookups[hookup].medium)
    known = tuple(measured[direct].values()) if direct in measured and direct != hookup else ()
    return _Case(review, key, hookup, measured[hookup], known)


def _judge_part(review: Review, key: str, claims: Claims, cases: list[_Case], unit: str) -> list[list[ClaimRow]]:
    """Return, for each claim of a part, its rows with the most telling first."""
    found = []
    for direction in ("read", "write"):
        rate = getattr(claims, direction)
        if rate is not None:
            found.append([_rate_row(c, direction, rate, unit) for c in cases] or [_untested(review, key, direction, show_rate(rate, unit, with_unit=False), unit)])  # noqa: E501
        iops = getattr(claims, f"random_{direction}")
        if iops is not None:
            found.append([_iops_row(c, direction, iops) for c in cases] or [_untested(review, key, f"random {direction}", show_iops(iops), "IOPS")])  # noqa: E501
    if claims.link is not None:
        found.append([_link_row(c, claims) for c in cases] or [_untested(review, key, "link", claims.link.name, "")])
    if claims.capacity is not None:
        found.append([_capacity_row(c, claims.capacity) for c in cases] or [_untested(review, key, "capacity", show_size(claims.capacity), "")])  # noqa: E501
    return [sorted(rows, key=_telling) for rows in found]


def _telling(row: ClaimRow) -> tuple[int, float]:
    return RANK.index(row.judgement.verdict), -(row.judgement.share or 0.0)


def _untested(review: Review, key: str, claim: str, claimed: str, unit: str) -> ClaimRow:
    return ClaimRow(key, review.label(key), claim, claimed, None, unit, None, None, NOT_MEASURED)


def _rate_row(case: _Case, direction: Direction, claimed: float, unit: str) -> ClaimRow:
    shown = show_rate(claimed, unit, with_unit=False)
    row = replace(_untested(case.review, case.part, direction, shown, unit), hookup=case.hookup, advertised=claimed)
    best = best_of(list(case.measured.values()), direction, "sequential")
    if best is None:
        return row
    ceilings = case.ceilings(best)
    judged = judge_claim(
        claimed, best.estimate, [c for c in ceilings if c.owner != case.part], case.review.review.tolerance
    )
    own_figure = f"{direction} {show_rate(claimed)} claimed"  # a claim cannot be its own explanation
    near = bottleneck(best.estimate.rate, [c for c in ceilings if c.owner != case.part or own_figure not in c.text])
    return replace(
        row,
        measured=show_rate(best.estimate.rate, unit, with_unit=False),
        workload=best.workload.name,
        judgement=judged,
        limit=near.text if near else None,
        estimate=best.estimate,
    )


def _iops_row(case: _Case, direction: Direction, claimed: float) -> ClaimRow:
    row = replace(_untested(case.review, case.part, f"random {direction}", show_iops(claimed), "IOPS"),
                  hookup=case.hookup, advertised=claimed)  # fmt: skip
    best = best_of(list(case.measured.values()), direction, "random")
    if best is None:
        return row
    block = best.workload.block_bytes
    elsewhere = [
        replace(c, low=c.low / block, high=c.high / block) for c in case.ceilings(best) if c.owner != case.part
    ]
    judged = judge_claim(claimed, best.iops, elsewhere, case.review.review.tolerance)
    if judged.verdict == "missed":
        judged = replace(judged, why=f"at {best.workload.depth} in flight; claims are often made with more")
    return replace(
        row, measured=show_iops(best.iops.rate), workload=best.workload.name, judgement=judged, estimate=best.iops
    )


def _link_row(case: _Case, claims: Claims) -> ClaimRow:
    """Judge the link a product is sold as by the link that was seen, when it is the device the host talks to."""
    assert claims.link is not None
    row = replace(_untested(case.review, case.part, "link", claims.link.name, ""), hookup=case.hookup)
    run = next(iter(case.measured.values())).run
    chain = chain_elements(case.review, run, ())
    own = next((e for e in chain if e.key == case.part), None)
    if own is None or own.seen is None:
        return row
    seen, port = own.seen, chain[0]
    share = seen.payload / claims.link.payload
    if seen.payload >= claims.link.payload:
        return replace(row, measured=seen.name, judgement=ClaimJudgement("met", share))
    if port.link is not None and port.link.payload < claims.link.payload:
        why = f"{port.label} is {port.link.name} itself"
        return replace(row, measured=seen.name, judgement=ClaimJudgement("not testable here", share, why))
    why = "look at cable and port before you blame the product"
    return replace(row, measured=seen.name, judgement=ClaimJudgement("missed", share, why))


def _capacity_row(case: _Case, claimed: int) -> ClaimRow:
    """Hold the capacity that the medium states against the claim; whether it is really there is another question."""
    row = replace(_untested(case.review, case.part, "capacity", show_size(claimed), ""),
                  hookup=case.hookup, advertised=float(claimed))  # fmt: skip
    run = next(iter(case.measured.values())).run
    stated = run.target.capacity_bytes
    if stated is None or not run.chain or run.chain[-1] != case.part:
        return row
    met = stated >= claimed * (1 - case.review.review.tolerance)
    judged = ClaimJudgement("met" if met else "missed", stated / claimed, "as the drive states it; not proved")
    return replace(row, measured=show_size(stated), judgement=judged)


def claims_as_data(rows: Sequence[ClaimRow], tolerance: float) -> dict[str, object]:
    """Return the claims as plain data for JSON."""
    return {
        "tolerance": tolerance,
        "claims": [
            {
                "part": r.part, "label": r.label, "claim": r.claim, "claimed": r.claimed, "unit": r.unit,
                "advertised": r.advertised, "measured": r.measured, "hookup": r.hookup, "workload": r.workload,
                "estimate": None if r.estimate is None else estimate_as_data(r.estimate),
                "share": r.judgement.share, "verdict": r.judgement.verdict, "why": r.judgement.why, "limit": r.limit,
            }
            for r in rows
        ],
    }  # fmt: skip
