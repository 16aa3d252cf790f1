"""Figures and bottlenecks as plain data for JSON: bytes per second, ratios as numbers."""

from __future__ import annotations

from typing_extensions import TypedDict

from ulterion.core.stats.estimates import Estimate
from ulterion.results.bottleneck import Bottleneck
from ulterion.show.bottleneck_data import BottleneckData
from ulterion.show.bottleneck_words import bottleneck_text


class EstimateData(TypedDict):
    """A figure with its 95 % interval, from so many passes of so many runs; `why` there is no interval; `drift`: log of last over first pass."""

    passes: int
    runs: int
    rate: float
    low: float | None
    high: float | None
    drift: float
    why: str | None


def estimate_as_data(one: Estimate) -> EstimateData:
    """Return an estimate as plain data for JSON, in the unit of its rates."""
    return {
        "passes": one.passes,
        "runs": one.runs,
        "rate": one.rate,
        "low": one.low,
        "high": one.high,
        "drift": one.drift,
        "why": one.why,
    }


def bottleneck_as_data(bottleneck: Bottleneck) -> BottleneckData:
    """Return what held a setup back: names of the review, bytes per second, ids of runs."""
    finding, following = bottleneck.finding, bottleneck.next
    return {
        "suspects": [s.key for s in finding.suspects],
        "how": finding.how,
        "rate": finding.rate,
        "run": finding.run,
        "other": finding.other,
        "other_rate": finding.other_rate,
        "cleared": [
            {"part": c.key, "why": c.why, "setup": c.setup, "run": c.run, "rate": c.rate} for c in finding.cleared
        ],
        "next": None if following is None else {"chain": list(following.chain), "setup": following.setup},
        "words": bottleneck_text(bottleneck),
    }
