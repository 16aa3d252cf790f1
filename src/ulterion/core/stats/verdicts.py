"""Verdicts: what a comparison, or a claim, comes to.

Two setups, at a margin m (3% unless told otherwise), judged on the log scale where the band is ±ln(1 + m), so that
swapping the two sides swaps `faster` and `slower` and nothing else:

    same             the whole 95% interval of the ratio lies inside the band
    faster           the interval excludes 1 on the upper side, the ratio itself lies beyond the band, and the interval beyond half of it
    a little faster  the interval excludes 1, and the ratio lies inside the band: real, and under the margin
    slower, a little slower    the same on the lower side
    undecided        otherwise

An accusation so takes a difference that is itself beyond the margin.  Noise can still carry a smaller one there: how often is measured, and
stands in docs/engineering/definitions.md.

With several comparisons at once the interval is as much wider as Holm's correction asks, and all but `same` need his
adjusted p-value below 5% as well.
"""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Sequence
from typing import Literal

from ulterion.core.links.ceilings import Ceiling
from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import FEWEST, LEVEL, Estimate, Ratio, half_width, holm, ratio
from ulterion.core.stats.samples import Rates
from ulterion.core.stats.spreads import welch_p

MARGIN = 0.03
TOLERANCE = 0.02
MAX_MORE = 200  # passes; a verdict that would need more of them is not worth waiting for

Verdict = Literal["same", "faster", "slower", "a little faster", "a little slower", "undecided"]
LITTLE: dict[Verdict, Verdict] = {"faster": "a little faster", "slower": "a little slower"}
DIFFERENT: tuple[Verdict, ...] = ("faster", "a little faster", "slower", "a little slower")
ClaimVerdict = Literal["met", "missed", "undecided", "not testable", "reported", "not measured", "not tested"]
"""`not measured`: nothing was measured that it could be held against; `not tested`: no command tests such a claim."""


@dataclass(frozen=True)
class Comparison:
    """A ratio with its verdict.

    Attributes:
        ratio: how many times as fast, with its interval.
        p_adjusted: Holm's adjusted p-value within the family compared, or None.
        verdict: see the module's text.
        more: further passes on each side (or runs, where the ratio rests on runs) that would probably decide; None when
            decided or not foreseeable.
        why: for an undecided one, the reason in words; else None.
    """

    ratio: Ratio
    p_adjusted: float | None
    verdict: Verdict
    more: int | None = None
    why: str | None = None


def decide(centre: float, low: float, high: float, significant: bool, margin: float) -> Verdict:
    """Apply the definition to a ratio and its interval given on the log scale."""
    band = math.log1p(margin)
    if -band < low and high < band:
        return "same"
    if not significant or low <= 0 <= high:
        return "undecided"
    word: Verdict = "faster" if low > 0 else "slower"
    if abs(centre) < band:
        return LITTLE[word]
    return word if min(abs(low), abs(high)) >= band / 2 else "undecided"


def more_todecide(compared: Ratio, margin: float, penalty: float = 1.0) -> int | None:
    """Return how many more passes (or runs) on each side would probably decide, should ratio and spread stay as they are.

    `penalty` is what Holm's correction multiplied the p-value by.  None when the spread is unknown or more than
    `MAX_MORE` would be needed.
    """
    if compared.spread is None:
        return None
    df = max(1, compared.units - 1)
    centre, level = math.log(compared.value), 1 - welch_p((1 - LEVEL) / penalty, df, df)
    spread = compared.spread

    def decided(units: int) -> bool:
        half = half_width(spread, units, level)
        return decide(centre, centre - half, centre + half, abs(centre) > half, margin) != "undecided"

    counts = range(max(2, compared.units + 1), compared.units + MAX_MORE + 1)
    found = bisect_left(counts, True, key=decided)  # what decides goes on deciding: intervals only narrow
    return counts[found] - compared.units if found < len(counts) else None


def judge(compared: Ratio, p_adjusted: float | None, margin: float = MARGIN) -> Comparison:
    """Turn a ratio into a verdict; `p_adjusted` is Holm's p-value within the family."""
    if compared.low is None or compared.high is None or p_adjusted is None:
        return Comparison(compared, None, "undecided", max(0, FEWEST - compared.units) or None, compared.why)
    centre, low, high = (math.log(v) for v in (compared.value, compared.low, compared.high))
    verdict = decide(centre, low, high, p_adjusted < 1 - LEVEL, margin)
    if verdict != "undecided":
        return Comparison(compared, p_adjusted, verdict)
    more = more_todecide(compared, margin, _penalty(compared, p_adjusted))
    return Comparison(compared, p_adjusted, verdict, more, _why_undecided(compared, more))


def _why_undecided(compared: Ratio, more: int | None) -> str:
    unit, plural = ("run", "runs") if compared.by_runs else ("pass", "passes")
    again = ", reconnected for each," if compared.by_runs else ""
    if more is None:
        return f"too close to the margin to settle with any practical number of {plural}"
    return f"probably settled by {more} more {unit if more == 1 else plural} each{again}"


def compare(a: Rates, b: Rates, margin: float = MARGIN) -> Comparison:
    """Compare the rates of the passes `a` with those of `b`, alone (a family of one)."""
    return compare_family([(a, b)], margin)[0]


def compare_family(pairs: Sequence[tuple[Rates, Rates]], margin: float = MARGIN) -> list[Comparison]:
    """Compare each pair (rates, baseline rates); Holm's correction runs over all pairs that have a p-value.

    The interval of each is the one that decides: at the level that its correction leaves it.
    """
    ratios = [ratio(a, b) for a, b in pairs]
    known = [r.p for r in ratios if r.p is not None]
    adjusted = iter(holm(known))
    compared = []
    for (a, b), plain in zip(pairs, ratios, strict=True):
        p = None if plain.p is None else next(adjusted)
        wide = plain if p is None else ratio(a, b, 1 - (1 - LEVEL) / _penalty(plain, p))
        compared.append(judge(wide, p, margin))
    return compared


def _penalty(compared: Ratio, p_adjusted: float) -> float:
    """Return what Holm's correction multiplied a p-value by."""
    return max(1.0, p_adjusted / compared.p) if compared.p else 1.0


@dataclass(frozen=True)
class ClaimJudgement:
    """A claim beside its measurement.

    Attributes:
        verdict: see `ClaimVerdict`.
        share: measured over claimed, or None.
        why: the reason in words where the verdict needs one, else None.
        obstacle: the ceiling that makes the claim not testable, or None.
        unflushed: the rate without the flush at the end of a pass, where that alone would have met the claim; else None.
        others: whether the rate is below the claim, and is undecided because other parts may be what limited it.
    """

    verdict: ClaimVerdict
    share: float | None
    why: str | None = None
    obstacle: Ceiling | None = None
    unflushed: float | None = None
    others: bool = False


def judge_claim(
    claimed: float, measured: Estimate, elsewhere: Sequence[Ceiling] = (), tolerance: float = TOLERANCE
) -> ClaimJudgement:
    """Judge a claimed rate (same unit as the estimate).

    `elsewhere` are the ceilings of the other parts and links of the setup.  A claim that the measurement reaches is
    met, whatever the labels say; one that it does not reach is `not testable` when something else in the setup
    has a ceiling below the claim less the tolerance.
    """
    needed, share = claimed * (1 - tolerance), measured.rate / claimed
    if measured.low is not None and measured.low >= needed:
        return ClaimJudgement("met", share)
    obstacle = min((c for c in elsewhere if c.high < needed), key=lambda c: c.high, default=None)
    if obstacle is not None:
        return ClaimJudgement("not testable", share, f"{obstacle.text}, is less than this claim", obstacle)
    if measured.low is None or measured.high is None:
        return ClaimJudgement("undecided", share, measured.why)
    if measured.high < needed:
        return ClaimJudgement("missed", share)
    return ClaimJudgement("undecided", share, "too close to call; more passes would settle it")
