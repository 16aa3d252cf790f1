"""Claims that only a soak can judge: a video speed class, and the highest temperature."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ulterion.core.ceilings import ceilings_of
from ulterion.core.units import show_rate, show_temperature
from ulterion.core.verdicts import ClaimJudgement
from ulterion.judge.claimrow import NOT_MEASURED, ClaimRow
from ulterion.judge.measured import chain_elements
from ulterion.judge.soaks import Soak, soak_of
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun, SoakRun

MEGABYTE = 1e6  # bytes; speed classes count in it
RANK = {"met": 0, "missed": 1, "undecided": 1, "not testable here": 2, "not measured": 3}
LONGEST_ROW = 1.01  # seconds; a class is kept every second
LEAST_LOAD = 60.0  # seconds of load below which nothing is said


def enduring_rows(review: Review, runs: Sequence[AnyRun], key: str, *, everywhere: bool = False,
                  hookups: Sequence[str] = ()) -> list[ClaimRow]:  # fmt: skip
    """Return the rows of a part's claims that soaks judge; none when it makes no such claim."""
    claims = review.parts[key].claims if key in review.parts else None
    if claims is None or (claims.speed_class is None and claims.temperature is None):
        return []
    newest = {r.hookup: r for r in runs if isinstance(r, SoakRun) and r.chain and r.chain[-1] == key and r.hookup}
    found = [soak_of(r) for name, r in newest.items() if not hookups or name in hookups]
    soaks = [s for s in found if s is not None]
    rows: list[ClaimRow] = []
    if claims.speed_class is not None:
        blank = _blank(review, key, "speed class", claims.speed_class)
        rows += _chosen(blank, [_judge_class(review, claims.speed_class, s, blank) for s in soaks], everywhere)
    if claims.temperature is not None:
        blank = _blank(review, key, "temperature", show_temperature(claims.temperature))
        rows += _chosen(blank, [_judge_heat(claims.temperature, s, blank) for s in soaks], everywhere)
    return rows


def _blank(review: Review, key: str, claim: str, claimed: str) -> ClaimRow:
    judged = replace(NOT_MEASURED, why="takes a soak: ulterion soak --hookup NAME")
    return ClaimRow(key, review.label(key), claim, claimed, None, "", None, None, judged)


def _chosen(blank: ClaimRow, rows: list[ClaimRow], everywhere: bool) -> list[ClaimRow]:
    ordered = sorted((r for r in rows if r.measured is not None), key=lambda r: RANK[r.judgement.verdict])
    return (ordered if everywhere else ordered[:1]) or [blank]


def _judge_class(review: Review, name: str, soak: Soak, blank: ClaimRow) -> ClaimRow:
    """Hold the lowest second of a long sequential write against the class: never below so many MB/s."""
    record, low = soak.run.soak, soak.findings.lowest
    writes = record.workload.direction == "write" and record.workload.pattern == "sequential"
    if low is None or not writes or low.row_seconds > LONGEST_ROW or soak.findings.seconds < LEAST_LOAD:
        return blank
    needed = int(name.removeprefix("V")) * MEGABYTE
    row = replace(blank, measured=show_rate(low.by_row), hookup=soak.run.hookup)
    share = low.by_row / needed
    if low.by_row >= needed:
        return replace(row, judgement=ClaimJudgement("met", share))
    chain = ceilings_of(chain_elements(review, soak.run, []), "write")
    below = next((c for c in chain if c.owner != blank.part and c.high < needed), None)
    if below is not None:
        return replace(row, judgement=ClaimJudgement("not testable here", share, f"{below.text}, is below the class"))
    return replace(row, judgement=ClaimJudgement("missed", share, "the lowest second of the load"))


def _judge_heat(claimed: float, soak: Soak, blank: ClaimRow) -> ClaimRow:
    drive = soak.findings.drive
    if drive is None:
        return blank
    row = replace(blank, measured=show_temperature(drive.peak), hookup=soak.run.hookup)
    if drive.peak <= claimed:
        return replace(row, judgement=ClaimJudgement("met", drive.peak / claimed))
    return replace(row, judgement=ClaimJudgement("missed", drive.peak / claimed, "the highest temperature of the load"))
