"""What each factor of a matrix does, in percent with an interval; what two do only together; what cannot be separated; a drift."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence

from ulterion.core.arrays import Floats, np
from ulterion.core.matrix.model import Fitted, Models, is_whole, levels_of
from ulterion.core.matrix.weights import Observed
from ulterion.core.records import dataclass
from ulterion.core.stats.beta import f_tail
from ulterion.core.stats.interval import Interval
from ulterion.core.stats.student import t_quantile

LEVEL = 0.95
TOGETHER_BELOW = 0.015  # p, after Holm's correction, from which on a pair counts: at 0.05 one level of five times the noise makes 9% false


@dataclass(frozen=True)
class Effect:
    """What a level does against another, as a ratio of rates.

    Attributes:
        factor, level, against: which.
        ratio: with `low` and `high`, 95%; None where it is refused.
        why: why it is refused.
        cells: how many cells of either level it rests on.
        where: (factor, level) that it holds at, None for all levels of the others alike.
    """

    factor: str
    level: str
    against: str
    ratio: float | None
    low: float | None
    high: float | None
    cells: int
    why: str | None = None
    where: tuple[str, str] | None = None


@dataclass(frozen=True)
class Together:
    """Two factors of which one does something else on each level of the other: the p of that, and what it does there."""

    factors: tuple[str, str]
    p: float
    effects: tuple[Effect, ...]


@dataclass(frozen=True)
class Untested:
    """Two factors of which it is unknown whether they do something only together; `missing` where cells of them were not measured.

    Where all were, none of them was repeated often enough.
    """

    factors: tuple[str, str]
    missing: bool


@dataclass(frozen=True)
class Effects:
    """What a matrix shows of one workload.

    Attributes:
        effects: of every factor, each level against its first.
        together: pairs that count.
        untested: pairs of factors that could not be looked at, for want of cells, or of repetitions.
        drift: what rates changed by from the first run to the last, as a ratio with its interval; None where it could not be told.
        drifts: whether it counts (p below 0.05).
        between: what varies from run to run, as a standard deviation of the log.
        passes_alone: whether that could not be told, and intervals rest on the passes alone.
        runs: how many it rests on.
    """

    effects: tuple[Effect, ...]
    together: tuple[Together, ...]
    untested: tuple[Untested, ...]
    drift: Interval | None
    drifts: bool
    between: float
    passes_alone: bool
    runs: int


def effects_of(observed: Sequence[Observed]) -> Effects | None:
    """Return what the factors do; None from fewer than two cells, or where no factor has two levels."""
    factors = levels_of(observed)
    varied = [f for f, levels in factors.items() if len(levels) > 1]
    cells = {o.cell for o in observed if o.cell is not None}
    if len(cells) < 2 or not varied:
        return None
    models = Models(observed)
    model = models.of("all")
    effects = [
        _effect(observed, models, factor, level, factors[factor][0])
        for factor in varied
        for level in factors[factor][1:]
    ]
    together, untested = _pairs(observed, model, varied)
    drift, drifts = _drift(model)
    return Effects(
        effects=tuple(effects),
        together=tuple(together),
        untested=tuple(untested),
        drift=drift,
        drifts=drifts,
        between=model.between,
        passes_alone=model.passes_alone,
        runs=len(observed),
    )


def _effect(observed: Sequence[Observed], models: Models, factor: str, level: str, against: str) -> Effect:
    """Return a level's effect by the first of the models that determines it, or why it is refused."""
    cells = len({o.cell for o in observed if o.cell is not None and dict(o.cell)[factor] in (level, against)})
    for one in models:
        contrast = one.row({factor: level}) - one.row({factor: against})
        if one.estimable(contrast):
            return _told(one, contrast, factor, level=level, against=against, cells=cells)
    return Effect(
        factor=factor,
        level=level,
        against=against,
        ratio=None,
        low=None,
        high=None,
        cells=cells,
        why=confounded(observed, factor, level, against),
    )


def _told(
    model: Fitted,
    contrast: Floats,
    factor: str,
    level: str,
    against: str,
    *,
    cells: int,
    where: tuple[str, str] | None = None,
) -> Effect:
    value, error = model.value(contrast)
    half = t_quantile(model.df, 0.5 + LEVEL / 2) * error
    low, high = math.exp(value - half), math.exp(value + half)
    return Effect(
        factor=factor,
        level=level,
        against=against,
        ratio=math.exp(value),
        low=low,
        high=high,
        cells=cells,
        why=None,
        where=where,
    )


def confounded(observed: Sequence[Observed], factor: str, level: str, against: str) -> str:
    """Return in words why a level's effect cannot be separated from what else changed with it."""
    cells = list(dict.fromkeys(o.cell for o in observed if o.cell is not None))
    here, there = ([dict(c) for c in cells if dict(c)[factor] == which] for which in (level, against))
    for other in here[0]:
        mine, theirs = {c[other] for c in here}, {c[other] for c in there}
        if other == factor or mine & theirs:
            continue
        if len(mine) == 1:
            return f"every test of {level} had {other} {next(iter(mine))}, and none of {against} had"
        if len(theirs) == 1:
            return f"every test of {against} had {other} {next(iter(theirs))}, and none of {level} had"
        return f"no test of {level} and of {against} had the same {other}"
    others = ", ".join(f for f in here[0] if f != factor)
    return f"what else changed with it ({others}) changed in a way that leaves no comparison of {level} with {against}"


def _pairs(observed: Sequence[Observed], model: Fitted, varied: Sequence[str]) -> tuple[list[Together], list[Untested]]:
    """Return the pairs of factors that count, and those that could not be looked at."""
    tested, untested = [], []
    for one, other in itertools.combinations(varied, 2):
        p = _p_of(model, one, other)
        if p is None:
            untested.append(Untested((one, other), not is_whole(observed, levels_of(observed), (one, other))))
        else:
            tested.append((p, one, other))
    counted = []
    for rank, (p, one, other) in enumerate(sorted(tested)):
        if p * (len(tested) - rank) > TOGETHER_BELOW:  # Holm: what follows counts no more either
            break
        counted.append(Together((one, other), p, _by_level(observed, model, one, other)))
    return counted, untested


def _p_of(model: Fitted, one: str, other: str) -> float | None:
    """Return the p of "the pair does nothing" (Wald's F), None where it is not in the model or not determined by the runs."""
    term = next((t for t in model.terms if set(t.factors) == {one, other}), None)
    if term is None or model.passes_alone:
        return None
    columns = list(term.columns)
    for column in columns:
        unit = np.zeros(len(model.beta))
        unit[column] = 1.0
        if not model.estimable(unit):
            return None
    beta, covariance = model.beta[columns], model.covariance[np.ix_(columns, columns)]
    f = float(beta @ np.linalg.pinv(covariance) @ beta) / len(columns)
    return f_tail(len(columns), model.df, f)


def _by_level(observed: Sequence[Observed], model: Fitted, one: str, other: str) -> tuple[Effect, ...]:
    """Return what the factor with fewer levels does on each level of the other."""
    factor, where = sorted((one, other), key=lambda f: len(model.factors[f]))
    levels = model.factors[factor]
    found = []
    for level, place in itertools.product(levels[1:], model.factors[where]):
        contrast = model.row({factor: level, where: place}) - model.row({factor: levels[0], where: place})
        cells = len(_cells_with(observed, {where: (place,), factor: (level, levels[0])}))
        if model.estimable(contrast):
            found.append(
                _told(model, contrast, factor, level=level, against=levels[0], cells=cells, where=(where, place))
            )
    return tuple(found)


def _cells_with(observed: Sequence[Observed], wanted: Mapping[str, Sequence[str]]) -> set[object]:
    cells = {o.cell for o in observed if o.cell is not None}
    return {c for c in cells if all(dict(c)[f] in levels for f, levels in wanted.items())}


def _drift(model: Fitted) -> tuple[Interval | None, bool]:
    """Return what changed from the first run to the last, and whether it counts."""
    if model.hour is None:
        return None, False
    value, error, df = model.hour
    half = t_quantile(df, 0.5 + LEVEL / 2) * error
    return Interval(*(math.exp(v) for v in (value, value - half, value + half))), abs(value) > half
