"""A plan and what its matrix shows as plain data for JSON: rates in bytes per second, effects as ratios."""

from __future__ import annotations

from collections.abc import Sequence

from typing_extensions import TypedDict

from ulterion.core.matrix.effects import Effect, Effects
from ulterion.core.matrix.ranks import Ranks
from ulterion.judge.beside import Other
from ulterion.judge.functions import FunctionRow
from ulterion.judge.matrix import Ground
from ulterion.judge.ports import PortRow
from ulterion.model.planned import Planned
from ulterion.report.words.plan import step_name


class CellData(TypedDict):
    """A cell of a plan: `state` is done, doubtful, open or elsewhere; verdicts by workload against the direct hookup."""

    levels: dict[str, str]
    hookup: str
    state: str
    why: list[str]
    runs: list[str]
    verdicts: dict[str, str]
    host: str | None


class CheckData(TypedDict):
    """The direct hookup measured for the n-th time."""

    hookup: str
    number: int
    run: str | None


class PlanData(TypedDict):
    """`ulterion plan`, and what is left after `ulterion plan run` (with what failed, and what stopped it)."""

    cells: list[CellData]
    checks: list[CheckData]
    seconds_done: float
    seconds_left: float | None
    changes_left: int
    next: str | None
    next_hookup: str | None
    unlike: list[str]
    steps: int
    failed: dict[str, str]
    stopped: str | None


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


class GridFigure(TypedDict):
    """A workload in a cell."""

    levels: dict[str, str]
    rate: float
    low: float | None
    high: float | None
    passes: int
    runs: int


class WorkloadGrid(TypedDict):
    """A workload over all cells."""

    workload: str
    text: str
    cells: list[GridFigure]


class OtherData(TypedDict):
    """What another review measured of one of the same products."""

    review: str
    hookup: str
    chain: list[str]
    host: str
    workload: str
    text: str
    rate: float
    low: float | None
    high: float | None


class GridData(TypedDict):
    """`ulterion plan grid`; `others` are of other reviews."""

    workloads: list[WorkloadGrid]
    others: list[OtherData]


class PortBest(TypedDict):
    """The most that a port carried in one direction, and by which hookup."""

    rate: float
    low: float | None
    high: float | None
    hookup: str


class PortData(TypedDict):
    """A port of a host: what is behind it, and what it carried."""

    host: str
    port: str
    link: str | None
    controller: str | None
    shares_with: list[str]
    hookups: int
    best: dict[str, PortBest]


class PortsData(TypedDict):
    """`ulterion plan ports`."""

    ports: list[PortData]


class FunctionData(TypedDict):
    """What works in a cell: by question true, false, or null where nobody said."""

    levels: dict[str, str]
    hookup: str
    works: dict[str, bool | None]


class FunctionsData(TypedDict):
    """`ulterion plan functions`."""

    cells: list[FunctionData]


def plan_as_data(
    now: Planned,
    unlike: Sequence[str],
    steps: int = 0,
    failed: dict[str, str] | None = None,
    stopped: str | None = None,
) -> PlanData:
    """Return a plan and how far it is."""
    return {
        "cells": [
            {
                "levels": dict(c.cell),
                "hookup": c.hookup,
                "state": c.state,
                "why": list(c.why),
                "runs": list(c.runs),
                "verdicts": {text: str(v) for text, v in (c.verdicts or {}).items()},
                "host": c.host,
            }
            for c in now.cells
        ],
        "checks": [{"hookup": c.hookup, "number": c.number, "run": c.run} for c in now.checks],
        "seconds_done": now.seconds_done,
        "seconds_left": now.seconds_left,
        "changes_left": now.changes,
        "next": step_name(now.next) if now.next else None,
        "next_hookup": now.next.hookup if now.next else None,
        "unlike": list(unlike),
        "steps": steps,
        "failed": failed or {},
        "stopped": stopped,
    }


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


def effects_as_data(found: Sequence[tuple[Ground, Effects]]) -> EffectsData:
    """Return effects."""
    return {
        "workloads": [
            {
                "workload": g.workload.name,
                "text": g.text,
                "runs": e.runs,
                "effects": [_effect(one) for one in e.effects],
                "together": [
                    {"factors": list(t.factors), "p": t.p, "effects": [_effect(one) for one in t.effects]}
                    for t in e.together
                ],
                "not_looked_at": [list(pair) for pair in e.untested],
                "drift": None if e.drift is None else list(e.drift),
                "drifts": e.drifts,
                "between_runs": e.between,
                "passes_alone": e.passes_alone,
            }
            for g, e in found
        ]
    }


def ranks_as_data(found: Sequence[tuple[Ground, Ranks]]) -> RanksData:
    """Return ranks."""
    return {
        "workloads": [
            {
                "workload": g.workload.name,
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


def ports_as_data(rows: Sequence[PortRow]) -> PortsData:
    """Return ports beside each other."""
    return {
        "ports": [
            {
                "host": r.host,
                "port": r.port,
                "link": r.link,
                "controller": r.controller,
                "shares_with": list(r.shares),
                "hookups": r.hookups,
                "best": {
                    way: {"rate": e.rate, "low": e.low, "high": e.high, "hookup": h} for way, (e, h) in r.best.items()
                },
            }
            for r in rows
        ]
    }


def grid_as_data(found: Sequence[Ground], others: Sequence[Other] = ()) -> GridData:
    """Return the figures of cells, and those of other reviews."""
    return {
        "others": [
            {
                "review": o.title,
                "hookup": o.hookup,
                "chain": list(o.chain),
                "host": o.host,
                "workload": o.workload.name,
                "text": o.text,
                "rate": o.figure.rate,
                "low": o.figure.low,
                "high": o.figure.high,
            }
            for o in others
        ],
        "workloads": [
            {
                "workload": g.workload.name,
                "text": g.text,
                "cells": [
                    {
                        "levels": dict(c),
                        "rate": f.rate,
                        "low": f.low,
                        "high": f.high,
                        "passes": f.passes,
                        "runs": f.runs,
                    }
                    for c, f in g.figures.items()
                ],
            }
            for g in found
        ],
    }


def functions_as_data(rows: Sequence[FunctionRow]) -> FunctionsData:
    """Return what works where."""
    return {"cells": [{"levels": dict(r.cell), "hookup": r.hookup, "works": r.works} for r in rows]}
