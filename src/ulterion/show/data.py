"""Estimates and bottlenecks in answers."""

from __future__ import annotations

from ulterion.core.bottleneck import Cleared
from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import Estimate
from ulterion.results.bottleneck import Bottleneck
from ulterion.show.answers import Answer
from ulterion.show.bottleneck_words import bottleneck_text


@dataclass(frozen=True)
class EstimateData(Answer):
    """A rate with its 95% interval, from so many passes of so many runs; `why` there is no interval; `drift`: log of last over first pass."""

    passes: int
    runs: int
    rate: float
    low: float | None
    high: float | None
    drift: float
    why: str | None

    @classmethod
    def known(cls, estimate: Estimate | None) -> EstimateData | None:
        """Return an estimate that may be missing."""
        return None if estimate is None else cls.of(estimate)


@dataclass(frozen=True)
class ClearedData(Answer):
    """A part that is not the bottleneck, why, and where that was seen."""

    part: str
    why: str
    setup: str | None
    run: str | None
    rate: float | None

    @classmethod
    def by(cls, cleared: Cleared) -> ClearedData:
        """Return one part that was cleared."""
        return cls.of(cleared, part=cleared.key)


@dataclass(frozen=True)
class NextData(Answer):
    """What to connect to tell suspects apart: the chain, and the setup's name where the review has it."""

    chain: tuple[str, ...]
    setup: str | None


@dataclass(frozen=True)
class BottleneckData(Answer):
    """What held a setup back: one suspect or several; how that was found, what cleared the other parts, what would tell."""

    suspects: tuple[str, ...]
    how: str | None
    rate: float
    run: str
    other: str | None
    other_rate: float | None
    cleared: tuple[ClearedData, ...]
    next: NextData | None
    words: str

    @classmethod
    def by(cls, bottleneck: Bottleneck, **more: object) -> BottleneckData:
        """Return a bottleneck; `more` are fields that an answer adds."""
        return cls.of(
            bottleneck.finding,
            suspects=tuple(s.key for s in bottleneck.finding.suspects),
            cleared=tuple(map(ClearedData.by, bottleneck.finding.cleared)),
            next=None if bottleneck.next is None else NextData.of(bottleneck.next),
            words=bottleneck_text(bottleneck),
            **more,
        )

    @classmethod
    def known(cls, bottleneck: Bottleneck | None) -> BottleneckData | None:
        """Return a bottleneck that may be missing."""
        return None if bottleneck is None else cls.by(bottleneck)
