"""What proofs of capacity say of the claims for it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ulterion.core.records import dataclass
from ulterion.core.stats.verdicts import ClaimJudgement
from ulterion.core.units import show_size, show_size_both
from ulterion.features.claims.row import ClaimRow
from ulterion.model.review import Review
from ulterion.model.runs.capacity import CapacityRun
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.header import counted

CAPACITY = "capacity"
WHOLE = "whole device"  # the method that leaves no part out
UNPROVEN = ("stopped", "suspected", "unproven")  # findings that decide nothing


@dataclass(frozen=True)
class Holds:
    """What a medium holds: bytes, and whether a proof found that, or it is only stated."""

    bytes: float
    proven: bool

    @property
    def words(self) -> str:
        """How much, and how that is known."""
        return f"holds {show_size(self.bytes)}{', as a proof found' if self.proven else ''}"


def holds(review: Review, runs: Sequence[AnyRun], medium: str) -> Holds | None:
    """Return what a medium holds, by its newest proof, else by its claim or what it states; None where neither is known."""
    proof = _deciding([r for r in _in_order(runs) if r.chain[-1:] == [medium]])
    if proof is not None and proof.capacity.real_bytes and proof.capacity.method != "free room":
        return Holds(float(proof.capacity.real_bytes), proven=True)
    part = review.parts.get(medium)
    if part is not None and part.claims.capacity:
        return Holds(float(part.claims.capacity), proven=False)
    stated = [r.target.capacity_bytes for r in runs if r.chain[-1:] == [medium] and r.target.capacity_bytes]
    return Holds(float(stated[-1]), proven=False) if stated else None


def _in_order(runs: Sequence[AnyRun]) -> list[CapacityRun]:
    return sorted(counted(runs, CapacityRun), key=lambda r: r.started)


def _deciding(proofs: Sequence[CapacityRun]) -> CapacityRun | None:
    """Return the newest of several proofs of a medium, the newest last; one that found nothing wrong in a part of it does not stand against a whole one."""
    finished = [r for r in proofs if r.capacity.finding not in UNPROVEN]
    strong = [r for r in finished if r.capacity.method == WHOLE or r.capacity.finding != "whole"]
    return next(reversed(strong or finished), None)


def with_proofs(review: Review, rows: Sequence[ClaimRow], runs: Sequence[AnyRun]) -> list[ClaimRow]:
    """Return the rows, those of a capacity judged by the proof that decides it, where there is one that was finished."""
    proofs: dict[str, list[CapacityRun]] = {}
    for run in _in_order(runs):
        proofs.setdefault(run.chain[-1] if run.chain else "", []).append(run)
    deciding = {part: proof for part, found in proofs.items() if (proof := _deciding(found)) is not None}
    return [
        _proven(review, row, deciding[row.part]) if row.claim == CAPACITY and row.part in deciding else row
        for row in rows
    ]


def _proven(review: Review, row: ClaimRow, run: CapacityRun) -> ClaimRow:
    """Return the row of a proof: missed where there is less than claimed, met where all came back, otherwise the proven size beside the stated one."""
    one = run.capacity
    enough = row.claimed * (1 - review.review.tolerance)
    if one.finding == "bad areas" and one.sound_bytes >= enough:
        met = ClaimJudgement("met", one.sound_bytes / row.claimed, one.summary)
        return replace(row, setup=run.setup, measured=float(one.sound_bytes), run=run.id, judgement=met)
    if one.finding != "whole":
        real = one.real_bytes
        share = None if real is None else real / row.claimed
        missed = ClaimJudgement("missed", share, one.summary)
        return replace(
            row, setup=run.setup, measured=None if real is None else float(real), run=run.id, judgement=missed
        )
    if one.real_bytes is not None and one.sound_bytes >= enough:
        met = ClaimJudgement("met", one.sound_bytes / row.claimed, one.summary)
        return replace(row, setup=run.setup, measured=float(one.sound_bytes), run=run.id, judgement=met)
    if one.method == "quick look":
        seen = "a quick look found nothing wrong; the areas between its samples are not proven"
    else:
        seen = f"{show_size_both(one.sound_bytes)} of it were free and are proven"
    told = run.target.capacity_bytes
    stated = told is None or told >= enough
    judged = ClaimJudgement("reported" if stated else "missed", None if told is None else told / row.claimed, seen)
    return replace(row, setup=run.setup, measured=None if told is None else float(told), run=run.id, judgement=judged)
