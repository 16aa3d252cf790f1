"""Claims against rivals as plain data for JSON."""

from __future__ import annotations

from collections.abc import Sequence

from typing_extensions import TypedDict

from ulterion.judge.rivals import RivalRow


class RivalData(TypedDict):
    """A claim to be so many times as fast as another part; `ratio` of the workload that comes nearest; `true_on`: those that reach it."""

    part: str
    than: str
    times: float
    workload: str | None
    verdict: str
    nearest: str | None
    ratio: float | None
    low: float | None
    high: float | None
    hookups: list[str]
    true_on: list[str]
    compared: int
    why: str | None


def rivals_as_data(rows: Sequence[RivalRow]) -> list[RivalData]:
    """Return claims against rivals."""
    return [
        {
            "part": r.part,
            "than": r.than,
            "times": r.times,
            "workload": r.workload,
            "verdict": r.verdict,
            "nearest": r.best[0] if r.best else None,
            "ratio": r.best[1].value if r.best else None,
            "low": r.best[1].low if r.best else None,
            "high": r.best[1].high if r.best else None,
            "hookups": list(r.hookups or ()),
            "true_on": list(r.true_on),
            "compared": r.compared,
            "why": r.why,
        }
        for r in rows
    ]
