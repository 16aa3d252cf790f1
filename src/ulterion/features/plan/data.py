"""A plan, its grid, ports and functions as plain data for JSON: rates in bytes per second."""

from __future__ import annotations

from collections.abc import Sequence

from typing_extensions import TypedDict

from ulterion.features.plan.compatibility import CompatibilityRow
from ulterion.features.plan.judging import Observations
from ulterion.features.plan.other_reviews import OtherReviewRow
from ulterion.features.plan.ports import PortRow
from ulterion.features.plan.words import step_name
from ulterion.model.planned import Planned


class CellData(TypedDict):
    """A cell of a plan: `state` is done, doubtful, open or elsewhere; verdicts by workload against the baseline."""

    levels: dict[str, str]
    setup: str
    state: str
    why: list[str]
    runs: list[str]
    verdicts: dict[str, str]
    host: str | None


class CheckData(TypedDict):
    """The direct setup measured for the n-th time."""

    setup: str
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
    next_setup: str | None
    unlike: list[str]
    steps: int
    failed: dict[str, str]
    stopped: str | None


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
    setup: str
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
    """The most that a port carried in one direction, and by which setup."""

    rate: float
    low: float | None
    high: float | None
    setup: str


class PortData(TypedDict):
    """A port of a host: what is behind it, and what it carried."""

    host: str
    port: str
    link: str | None
    controller: str | None
    shares_with: list[str]
    setups: int
    best: dict[str, PortBest]


class PortsData(TypedDict):
    """`ulterion plan ports`."""

    ports: list[PortData]


class FunctionData(TypedDict):
    """What works in a cell: by question true, false, or null where nobody said."""

    levels: dict[str, str]
    setup: str
    works: dict[str, bool | None]


class CompatibilityData(TypedDict):
    """`ulterion plan compatibility`."""

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
                "setup": c.setup,
                "state": c.state,
                "why": list(c.why),
                "runs": list(c.runs),
                "verdicts": {text: str(v) for text, v in (c.verdicts or {}).items()},
                "host": c.host,
            }
            for c in now.cells
        ],
        "checks": [{"setup": c.setup, "number": c.number, "run": c.run} for c in now.checks],
        "seconds_done": now.seconds_done,
        "seconds_left": now.seconds_left,
        "changes_left": now.changes,
        "next": step_name(now.next) if now.next else None,
        "next_setup": now.next.setup if now.next else None,
        "unlike": list(unlike),
        "steps": steps,
        "failed": failed or {},
        "stopped": stopped,
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
                "setups": r.setups,
                "best": {
                    way: {"rate": e.rate, "low": e.low, "high": e.high, "setup": h} for way, (e, h) in r.best.items()
                },
            }
            for r in rows
        ]
    }


def grid_as_data(found: Sequence[Observations], others: Sequence[OtherReviewRow] = ()) -> GridData:
    """Return the figures of cells, and those of other reviews."""
    return {
        "others": [
            {
                "review": o.title,
                "setup": o.setup,
                "chain": list(o.chain),
                "host": o.host,
                "workload": o.workload.title,
                "text": o.text,
                "rate": o.figure.rate,
                "low": o.figure.low,
                "high": o.figure.high,
            }
            for o in others
        ],
        "workloads": [
            {
                "workload": g.workload.title,
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


def compatibility_as_data(rows: Sequence[CompatibilityRow]) -> CompatibilityData:
    """Return what works where."""
    return {"cells": [{"levels": dict(r.cell), "setup": r.setup, "works": r.works} for r in rows]}
