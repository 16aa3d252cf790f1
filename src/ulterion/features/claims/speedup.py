"""'N times faster': a claim against a named rival, or the last generation: met or missed, and on which workload it is true at all."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from typing import Literal

from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import Ratio, ratio
from ulterion.core.stats.samples import Rates
from ulterion.features.clock.judging import transfer_rates
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.results.measurement import Measurement
from ulterion.results.pooling import pooled_results

RivalVerdict = Literal["met", "partly", "missed", "undecided", "not measured"]


@dataclass(frozen=True)
class RivalRow:
    """A claim to be so many times as fast as another part.

    Attributes:
        part, than, times: the claim; `workload` what it is about in the maker's words, or None.
        verdict: met where every workload that it is about surely is that many times as fast (less the tolerance), missed where none can be,
            partly where some surely are and others surely are not.
        best: of the large transfers, where there are some, the one that comes nearest, with its ratio; None where nothing was measured of both.
        setups: the two it was measured on.
        true_on: workloads on which the ratio itself reaches it.
        why: for one that is undecided, or not measured.
    """

    part: str
    than: str
    times: float
    workload: str | None
    verdict: RivalVerdict
    best: tuple[str, Ratio] | None
    setups: tuple[str, str] | None
    true_on: tuple[str, ...]
    compared: int
    why: str | None = None


def rivals(review: Review, runs: Sequence[AnyRun], setups: Sequence[str] = ()) -> list[RivalRow]:
    """Return every such claim of a review, or of the parts of some setups, judged on setups that hold the same medium, in the same port where there are such."""
    wanted = {part for setup in setups for part in review.setup(setup).chain} or review.parts.keys()
    measured, timed = pooled_results(runs), transfer_rates(review, runs)
    return [
        _with_transfers(
            review,
            timed,
            _row(review, measured, key, than=claim.than, times=claim.times, workload=claim.workload),
        )
        for key, part in review.parts.items()
        for claim in part.faster
        if key in wanted
    ]


def _with_transfers(review: Review, timed: Mapping[str, Mapping[str, Rates]], row: RivalRow) -> RivalRow:
    """Return a row, judged by timings and copies where nothing was measured on both."""
    setups = _pair(review, timed, row.part, row.than) if row.verdict == "not measured" else None
    if setups is None:
        return row
    one, other = (timed[name] for name in setups)
    ratios = [(task, ratio(one[task], other[task])) for task in one if task in other]
    if not ratios:
        return row
    return _judged(replace(row, setups=setups, why=None), ratios, ratios, row.times * (1 - review.review.tolerance))


def _row(
    review: Review,
    figures: dict[str, dict[str, Measurement]],
    part: str,
    than: str,
    times: float,
    *,
    workload: str | None,
) -> RivalRow:
    row = RivalRow(
        part=part,
        than=than,
        times=times,
        workload=workload,
        verdict="not measured",
        best=None,
        setups=_pair(review, figures, part, than),
        true_on=(),
        compared=0,
        why=None,
    )
    if row.setups is None:
        why = f"no setup of {review.label(part)} and none of {review.label(than)} were measured with the same medium"
        return replace(row, why=why)
    one, other = (figures[h] for h in row.setups)
    ratios = [
        (text, ratio(one[text].rates, other[text].rates))
        for text in one
        if text in other
        and (workload is None or workload in (text, one[text].workload.title, one[text].workload.direction))
    ]
    if not ratios:
        return replace(row, why=f"no workload of '{workload}' was measured on both")
    needed = times * (1 - review.review.tolerance)
    large = [(text, r) for text, r in ratios if one[text].workload.is_large]
    return _judged(row, ratios, large, needed)


def _judged(
    row: RivalRow, ratios: Sequence[tuple[str, Ratio]], large: Sequence[tuple[str, Ratio]], needed: float
) -> RivalRow:
    """Return a row with its verdict from the ratios of the work done on both, by name; `large` are those of large transfers."""
    true_on = tuple(text for text, r in ratios if r.value >= needed)
    verdict = _verdict([r for _, r in ratios], needed)
    why_open = _why_open([r for _, r in ratios], needed) if verdict == "undecided" else None
    best = max(large or ratios, key=lambda r: r[1].value)
    return replace(row, verdict=verdict, best=best, true_on=true_on, compared=len(ratios), why=why_open)


def _verdict(ratios: Sequence[Ratio], needed: float) -> RivalVerdict:
    reached = sum(r.low is not None and r.low >= needed for r in ratios)
    short = sum(r.high is not None and r.high < needed for r in ratios)
    if reached == len(ratios):
        return "met"
    if short == len(ratios):
        return "missed"
    return "partly" if reached and short else "undecided"


def _why_open(ratios: Sequence[Ratio], needed: float) -> str:
    """Return why a claim is undecided, with what is known of the ratio."""
    open_ = [r for r in ratios if r.low is None or r.high is None or r.low < needed <= r.high]
    return next((r.why for r in open_ if r.why), "too close to call; more passes on both sides would show")


def _pair(review: Review, figures: Collection[str], part: str, than: str) -> tuple[str, str] | None:
    """Return a setup of each part with the same medium, which may be the parts themselves in the same place; the same port before another."""
    mine, theirs = (
        [n for n in figures if n in review.setups and key in review.setups[n].chain] for key in (part, than)
    )
    pairs = [(a, b) for a in mine for b in theirs if _alike(review, a, b, part, than)]
    return min(pairs, key=lambda p: review.setups[p[0]].chain[0] != review.setups[p[1]].chain[0], default=None)


def _alike(review: Review, one: str, other: str, part: str, than: str) -> bool:
    """Return whether two setups are the same but for the two parts, their ports and what lies between."""
    a, b = review.setups[one].medium, review.setups[other].medium
    return a == b or (a, b) == (part, than)
