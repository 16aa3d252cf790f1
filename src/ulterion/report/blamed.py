"""The shape of what answers say of causes: culprits, added waits, one part at a time (see `ulterion.report.answers`)."""

from __future__ import annotations

from typing_extensions import TypedDict


class ClearedData(TypedDict):
    """An element that is not to blame, why, and where that was seen."""

    part: str
    why: str
    hookup: str | None
    run: str | None
    rate: float | None


class NextData(TypedDict):
    """What to connect to tell suspects apart: the chain, and the hookup's name where the review has it."""

    chain: list[str]
    hookup: str | None


class CulpritData(TypedDict):
    """What held a hookup back: the culprit, or several suspects; how it was found, what cleared the others, what would tell."""

    suspects: list[str]
    how: str | None
    rate: float
    run: str
    other: str | None
    other_rate: float | None
    cleared: list[ClearedData]
    next: NextData | None
    words: str


class HookupCulprit(CulpritData):
    """The same, of a hookup in a direction."""

    hookup: str
    direction: str


class WaitData(TypedDict):
    """Seconds that a hookup adds to each single small request, with the 95 % interval, and what is in its chain alone."""

    hookup: str
    run: str
    base: str
    base_run: str
    workload: str
    seconds: float
    low: float
    high: float
    parts: list[str]


class NearestData(TypedDict):
    """A hookup against the one without one of its parts, by workload."""

    hookup: str
    base: str
    without: str
    ratios: dict[str, float]
    verdicts: dict[str, str]
