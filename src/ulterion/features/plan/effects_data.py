"""Effects and ranks as plain data for JSON: ratios of rates."""

from __future__ import annotations

from collections.abc import Sequence

from typing_extensions import TypedDict

from ulterion.core.matrix.effects import Effect, Effects
from ulterion.core.matrix.ranks import Ranks
from ulterion.features.plan.judging import Observations


class EffectData(TypedDict):
    """What a level does against another; `ratio` null where it cannot be told, and `why`; `where`: the level of another factor it holds at."""

    factor: str
    level: str
    against: str
    ratio: float | None
    low: float | None
    high: float | None
    cells: int
    why: str | None
    where: dict[str, str] | None


class TogetherData(TypedDict):
    """Two factors that do something only together."""

    factors: list[str]
    p: float
    effects: list[EffectData]


class WorkloadEffects(TypedDict):
    """The effects on one workload; `drift` as [ratio, low, high] from the first run to the last."""

    workload: str
    text: str
    runs: int
    effects: list[EffectData]
    together: list[TogetherData]
    not_looked_at: list[list[str]]
    drift: list[float] | None
    drifts: bool
    between_runs: float
    passes_alone: bool


class EffectsData(TypedDict):
    """`ulterion plan effects`."""

    workloads: list[WorkloadEffects]


class PlaceData(TypedDict):
    """A product's place: the ranks it may have, and its rate to the mean of all."""

    level: str
    best: int
    worst: int
    ratio: float
    low: float
    high: float
    tied: list[str]
    cells: int


class TurnData(TypedDict):
    """Cells in which the order of two products is the other way round."""

    better: str
    worse: str
    cells: list[dict[str, str]]


class WorkloadRanks(TypedDict):
    """The ranks for one workload."""

    workload: str
    text: str
    factor: str
    places: list[PlaceData]
    refused: dict[str, str]
    turns: list[TurnData]


class RanksData(TypedDict):
    """`ulterion plan ranks`."""

    workloads: list[WorkloadRanks]


def _effect(one: Effect) -> EffectData:
    return {
        "factor": one.factor,
        "level": one.level,
        "against": one.against,
        "ratio": one.ratio,
        "low": one.low,
        "high": one.high,
        "cells": one.cells,
        "why": one.why,
        "where": None if one.where is None else {one.where[0]: one.where[1]},
    }


def effects_as_data(found: Sequence[tuple[Observations, Effects]]) -> EffectsData:
    """Return effects."""
    return {
        "workloads": [
            {
                "workload": g.workload.title,
                "text": g.text,
                "runs": e.runs,
                "effects": [_effect(one) for one in e.effects],
                "together": [
                    {"factors": list(t.factors), "p": t.p, "effects": [_effect(one) for one in t.effects]}
                    for t in e.together
                ],
                "not_looked_at": [list(pair.factors) for pair in e.untested],
                "drift": None if e.drift is None else list(e.drift),
                "drifts": e.drifts,
                "between_runs": e.between,
                "passes_alone": e.passes_alone,
            }
            for g, e in found
        ]
    }


def ranks_as_data(found: Sequence[tuple[Observations, Ranks]]) -> RanksData:
    """Return ranks."""
    return {
        "workloads": [
            {
                "workload": g.workload.title,
                "text": g.text,
                "factor": r.factor,
                "places": [
                    {
                        "level": p.level,
                        "best": p.best,
                        "worst": p.worst,
                        "ratio": p.ratio,
                        "low": p.low,
                        "high": p.high,
                        "tied": list(p.tied),
                        "cells": p.cells,
                    }
                    for p in r.places
                ],
                "refused": dict(r.refused),
                "turns": [{"better": t.better, "worse": t.worse, "cells": [dict(c) for c in t.cells]} for t in r.turns],
            }
            for g, r in found
        ]
    }
