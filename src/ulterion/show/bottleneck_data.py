"""The shape of what answers say of causes: bottlenecks, added waits, one part at a time (see `ulterion.cli.answer_schema`)."""

from __future__ import annotations

from typing_extensions import TypedDict


class ClearedData(TypedDict):
    """An element that is not to blame, why, and where that was seen."""

    part: str
    why: str
    setup: str | None
    run: str | None
    rate: float | None


class NextData(TypedDict):
    """What to connect to tell suspects apart: the chain, and the setup's name where the review has it."""

    chain: list[str]
    setup: str | None


class BottleneckData(TypedDict):
    """What held a setup back: the bottleneck, or several suspects; how it was found, what cleared the others, what would tell."""

    suspects: list[str]
    how: str | None
    rate: float
    run: str
    other: str | None
    other_rate: float | None
    cleared: list[ClearedData]
    next: NextData | None
    words: str


class SetupBottleneck(BottleneckData):
    """The same, of a setup in a direction."""

    setup: str
    direction: str


class AddedLatencyData(TypedDict):
    """Seconds that a setup adds to each single small request, with the 95 % interval, and what is in its chain alone."""

    setup: str
    run: str
    base: str
    base_run: str
    workload: str
    seconds: float
    low: float
    high: float
    parts: list[str]


class NearestData(TypedDict):
    """A setup against the one without one of its parts, by workload."""

    setup: str
    base: str
    without: str
    ratios: dict[str, float]
    verdicts: dict[str, str]
