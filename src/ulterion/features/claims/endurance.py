"""Claims that only a soak can judge: a video speed class, and the highest temperature."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from ulterion.core.arrays import np
from ulterion.core.links.ceilings import ceilings_of
from ulterion.core.soak.trace import DRIVE, LOAD
from ulterion.core.stats.verdicts import ClaimJudgement
from ulterion.features.claims.row import NOT_MEASURED, ClaimRow, Unit
from ulterion.features.soak.judging import Soak, soak_of
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.soak import SoakRun
from ulterion.results.measurement import chain_elements
from ulterion.results.standing_soaks import standing_soaks

MEGABYTE = 1e6  # bytes; speed classes count in it
LATER = ("not testable", "not measured")  # verdicts that are shown only where there is no other
MAX_ROW = 1.01  # seconds; a class is kept every second
MIN_LOAD = 60.0  # seconds of load below which nothing is said
LONG_LOAD = 600.0  # seconds of load from which on a class that was kept is met: a minute may lie inside a cache
AFTER_CACHE = 60.0  # seconds after a cache was used up that are as good
LAST_PART = 1 / 3  # of a load that long, in which it is looked how much a temperature still rises
TO_GO = 1 / (math.exp(LAST_PART) - 1)  # times that, at most, for what is still to come: about 2.5
TOO_SHORT = "kept, but the soak was shorter than ten minutes and may have stayed in a write cache; soak it longer"
TOO_COARSE = "cannot be judged at this request size; soak with --load 'sequential write 256 KiB depth 1'"


def enduring_rows(
    review: Review, runs: Sequence[AnyRun], key: str, *, everywhere: bool = False, setups: Sequence[str] = ()
) -> list[ClaimRow]:
    """Return the rows of a part's claims that soaks judge; none when it makes no such claim."""
    claims = review.parts[key].claims if key in review.parts else None
    if claims is None or (claims.speed_class is None and claims.temperature is None):
        return []
    mine = [r for r in runs if isinstance(r, SoakRun) and r.chain and r.chain[-1] == key and r.setup]
    wanted = [r for r in standing_soaks(mine) if not setups or r.setup in setups]
    soaks = [s for r in wanted if (s := soak_of(r)) is not None]
    rows: list[ClaimRow] = []
    if claims.speed_class is not None:
        blank = _blank(
            review, key, "speed class", unit="class", claimed=_class_rate(claims.speed_class), called=claims.speed_class
        )
        rows += _chosen(blank, [_judge_class(review, s, blank) for s in soaks], everywhere)
    if claims.temperature is not None:
        blank = _blank(review, key, "temperature", "C", claims.temperature)
        rows += _chosen(blank, [_judge_heat(s, blank) for s in soaks], everywhere)
    return rows


def _class_rate(name: str) -> float:
    """Return the bytes per second that a video speed class stands for (SD Association: megabytes a second)."""
    return int(name.removeprefix("V")) * MEGABYTE


def _blank(review: Review, key: str, claim: str, unit: Unit, claimed: float, *, called: str | None = None) -> ClaimRow:
    judged = replace(NOT_MEASURED, why="needs a soak: ulterion soak --setup NAME")
    return ClaimRow(
        part=key,
        label=review.label(key),
        claim=claim,
        unit=unit,
        claimed=claimed,
        judgement=judged,
        claimed_name=called,
    )


def _chosen(blank: ClaimRow, rows: list[ClaimRow], everywhere: bool) -> list[ClaimRow]:
    ordered = sorted((r for r in rows if r.measured is not None), key=lambda r: r.judgement.verdict in LATER)
    return (ordered if everywhere else ordered[:1]) or [blank]


def _judge_class(review: Review, soak: Soak, blank: ClaimRow) -> ClaimRow:
    """Hold every second of a long sequential write against the class: never below so many MB/s."""
    record, low = soak.run.soak, soak.findings.lowest
    writes = record.workload.direction == "write" and record.workload.pattern == "sequential"
    if low is None or not writes or low.row_seconds > MAX_ROW or soak.findings.seconds < MIN_LOAD:
        return blank
    needed = blank.claimed
    row = replace(blank, measured=low.by_row, setup=soak.run.setup, run=soak.run.id)
    share = low.by_row / needed
    kept = (low.speed_class or 0) * MEGABYTE >= needed
    if not kept and (low.unclear_class or 0) * MEGABYTE >= needed:
        return replace(row, judgement=ClaimJudgement("undecided", share, TOO_COARSE))
    if kept and not _long_enough(soak):
        return replace(row, judgement=ClaimJudgement("undecided", share, TOO_SHORT))
    if kept:
        return replace(row, judgement=ClaimJudgement("met", share))
    chain = ceilings_of(chain_elements(review, soak.run, []), "write")
    below = next((c for c in chain if c.owner != blank.part and c.high < needed), None)
    if below is not None:
        return replace(row, judgement=ClaimJudgement("not testable", share, f"{below.text}, is below the class"))
    return replace(row, judgement=ClaimJudgement("missed", share, "slowest second of the soak"))


def _long_enough(soak: Soak) -> bool:
    """Return whether a load shows that a class is kept for long: ten minutes of it, or a minute after a cache was used up."""
    cache = soak.findings.fall("write cache")
    after = soak.load_start + soak.findings.seconds - cache.at if cache else 0.0
    return soak.findings.seconds >= LONG_LOAD or after >= AFTER_CACHE


def _judge_heat(soak: Soak, blank: ClaimRow) -> ClaimRow:
    """Hold the highest temperature of a load against the claimed one; met only where it would not have gone on rising beyond it."""
    drive = soak.findings.drive
    if drive is None:
        return blank
    row, claimed = replace(blank, measured=drive.peak, setup=soak.run.setup, run=soak.run.id), blank.claimed
    share = drive.peak / claimed
    if drive.peak > claimed:
        return replace(row, judgement=ClaimJudgement("missed", share, "the highest temperature of the load"))
    settling = drive.settling
    held_down = soak.findings.fall("throttling") is not None  # it was as hot as the drive lets itself become
    known = settling is not None and (settling.sure or settling.high <= claimed)
    if held_down or known or _past_its_peak(soak, claimed):
        return replace(row, judgement=ClaimJudgement("met", share))
    goes = "" if settling is None else f", perhaps to {settling.high:.0f} °C"
    return replace(
        row, judgement=ClaimJudgement("undecided", share, f"still warming up at the end{goes}; soak it longer")
    )


def _past_its_peak(soak: Soak, claimed: float) -> bool:
    """Return whether the last third of a long load rose so little that it would not have gone on beyond what is claimed.

    What rises by r in a third of a load, lagging behind by no more than the load's length, has at most r / (exp(1/3) - 1) to go.
    """
    load = soak.trace.phase(LOAD)
    values = soak.trace.during(load).sensor(DRIVE) if load else None
    if values is None or soak.findings.seconds < LONG_LOAD:
        return False
    before, last = np.split(values, [round(values.size * (1 - LAST_PART))])
    if not (np.isfinite(before).any() and np.isfinite(last).any()):
        return False
    highest = float(np.nanmax(values))
    return highest + TO_GO * max(0.0, float(np.nanmax(last) - np.nanmax(before))) <= claimed
