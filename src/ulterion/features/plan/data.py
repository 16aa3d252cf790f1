"""The answers of `ulterion plan`."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.matrix.effects import Effect, Effects
from ulterion.core.matrix.ranks import Place, Ranks
from ulterion.core.records import dataclass
from ulterion.core.stats.interval import Interval
from ulterion.features.plan.compatibility import CompatibilityRow
from ulterion.features.plan.judging import Observations
from ulterion.features.plan.other_reviews import OtherReviewRow
from ulterion.features.plan.words import step_name
from ulterion.model.planned import Check, Planned
from ulterion.show.answers import Answer

Levels = dict[str, str]


@dataclass(frozen=True)
class CellData(Answer):
    """A cell of a plan: `state` is done, doubtful, open or elsewhere; verdicts by workload against the baseline."""

    levels: Levels
    setup: str
    state: str
    why: tuple[str, ...]
    runs: tuple[str, ...]
    verdicts: dict[str, str]
    host: str | None


@dataclass(frozen=True)
class PlanData(Answer):
    """`ulterion plan`, and what is left after `ulterion plan run` (with what failed, and what stopped it)."""

    cells: tuple[CellData, ...]
    checks: tuple[Check, ...]
    seconds_done: float
    seconds_left: float | None
    changes_left: int
    next: str | None
    next_setup: str | None
    unlike: tuple[str, ...]
    steps: int
    failed: dict[str, str]
    stopped: str | None


@dataclass(frozen=True)
class GridFigure(Answer):
    """A workload in a cell."""

    levels: Levels
    rate: float
    low: float | None
    high: float | None
    passes: int
    runs: int


@dataclass(frozen=True)
class WorkloadGrid(Answer):
    """A workload over all cells."""

    workload: str
    text: str
    cells: tuple[GridFigure, ...]


@dataclass(frozen=True)
class OtherData(Answer):
    """What another review measured of one of the same products."""

    review: str
    setup: str
    chain: tuple[str, ...]
    host: str
    workload: str
    text: str
    rate: float
    low: float | None
    high: float | None


@dataclass(frozen=True)
class GridData(Answer):
    """`ulterion plan grid`; `others` are of other reviews."""

    workloads: tuple[WorkloadGrid, ...]
    others: tuple[OtherData, ...]


@dataclass(frozen=True)
class CellCompatibility(Answer):
    """What works in a cell: by question true, false, or null where nobody said."""

    levels: Levels
    setup: str
    works: dict[str, bool | None]


@dataclass(frozen=True)
class CompatibilityData(Answer):
    """`ulterion plan compatibility`."""

    cells: tuple[CellCompatibility, ...]


@dataclass(frozen=True)
class EffectData(Answer):
    """What a level does against another; `ratio` null where it is unknown, and `why`; `where`: the level of another factor it holds at."""

    factor: str
    level: str
    against: str
    ratio: float | None
    low: float | None
    high: float | None
    cells: int
    why: str | None
    where: Levels | None

    @classmethod
    def by(cls, effect: Effect) -> EffectData:
        """Return one effect."""
        return cls.of(effect, where=None if effect.where is None else dict([effect.where]))


@dataclass(frozen=True)
class InteractionData(Answer):
    """What two factors do only together."""

    factors: tuple[str, str]
    p: float
    effects: tuple[EffectData, ...]


@dataclass(frozen=True)
class WorkloadEffects(Answer):
    """The effects on one workload; `drift` as [ratio, low, high] from the first run to the last."""

    workload: str
    text: str
    runs: int
    effects: tuple[EffectData, ...]
    interactions: tuple[InteractionData, ...]
    not_looked_at: tuple[tuple[str, str], ...]
    drift: Interval | None
    drifts: bool
    between_runs: float
    passes_alone: bool


@dataclass(frozen=True)
class EffectsData(Answer):
    """`ulterion plan effects`."""

    workloads: tuple[WorkloadEffects, ...]


@dataclass(frozen=True)
class TurnData(Answer):
    """Cells in which the order of two products is the other way round."""

    better: str
    worse: str
    cells: tuple[Levels, ...]


@dataclass(frozen=True)
class WorkloadRanks(Answer):
    """The ranks for one workload; why some products have none."""

    workload: str
    text: str
    factor: str
    places: tuple[Place, ...]
    refused: Levels
    turns: tuple[TurnData, ...]


@dataclass(frozen=True)
class RanksData(Answer):
    """`ulterion plan ranks`."""

    workloads: tuple[WorkloadRanks, ...]


def plan_answer(
    now: Planned,
    unlike: Sequence[str],
    steps: int = 0,
    failed: dict[str, str] | None = None,
    stopped: str | None = None,
) -> PlanData:
    """Return a plan and how far it is."""
    cells = [
        CellData.of(c, levels=dict(c.cell), verdicts={text: str(v) for text, v in (c.verdicts or {}).items()})
        for c in now.cells
    ]
    return PlanData.of(
        now,
        cells=tuple(cells),
        changes_left=now.changes,
        next=step_name(now.next) if now.next else None,
        next_setup=now.next.setup if now.next else None,
        unlike=tuple(unlike),
        steps=steps,
        failed=failed or {},
        stopped=stopped,
    )


def grid_answer(found: Sequence[Observations], others: Sequence[OtherReviewRow] = ()) -> GridData:
    """Return the results of cells, and those of other reviews."""
    grids = [
        WorkloadGrid.of(
            g,
            workload=g.workload.title,
            cells=tuple(GridFigure.of(f, levels=dict(c)) for c, f in g.figures.items()),
        )
        for g in found
    ]
    beside = [
        OtherData.of(
            o.figure, review=o.title, setup=o.setup, chain=o.chain, host=o.host, workload=o.workload.title, text=o.text
        )
        for o in others
    ]
    return GridData(tuple(grids), tuple(beside))


def compatibility_answer(rows: Sequence[CompatibilityRow]) -> CompatibilityData:
    """Return what works where."""
    return CompatibilityData(tuple(CellCompatibility.of(r, levels=dict(r.cell)) for r in rows))


def effects_answer(found: Sequence[tuple[Observations, Effects]]) -> EffectsData:
    """Return the effects of each workload."""
    return EffectsData(
        tuple(
            WorkloadEffects.of(
                e,
                workload=g.workload.title,
                text=g.text,
                effects=tuple(map(EffectData.by, e.effects)),
                interactions=tuple(
                    InteractionData.of(t, effects=tuple(map(EffectData.by, t.effects))) for t in e.together
                ),
                not_looked_at=tuple(pair.factors for pair in e.untested),
                between_runs=e.between,
            )
            for g, e in found
        )
    )


def ranks_answer(found: Sequence[tuple[Observations, Ranks]]) -> RanksData:
    """Return the ranks of each workload."""
    return RanksData(
        tuple(
            WorkloadRanks.of(
                r,
                workload=g.workload.title,
                text=g.text,
                refused=dict(r.refused),
                turns=tuple(TurnData.of(t, cells=tuple(dict(c) for c in t.cells)) for t in r.turns),
            )
            for g, r in found
        )
    )
