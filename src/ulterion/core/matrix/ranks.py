"""Who is best in a matrix: ranks with intervals, ties, and the cells in which the order turns.

The products are the levels of one factor.  Their differences, over all levels of the other factors alike, come of the same model as effects.  All
of them together are held to 95% by the greatest of Student's t over the pairs, drawn with their covariance (F. Bretz, T. Hothorn, P. Westfall, Multiple
Comparisons Using R, 2010, chapter 3); a product's rank then lies between one more than how many are surely better and as many as are
not surely worse (T. Klein, J. Wright, J. Wieczorek, A joint confidence region for an overall ranking of populations, 2020).
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence

from ulterion.core.arrays import Floats, np
from ulterion.core.matrix.effects import confounded
from ulterion.core.matrix.grid import Cell
from ulterion.core.matrix.model import Fitted, Models, levels_of
from ulterion.core.matrix.weights import Observed, Space
from ulterion.core.records import dataclass

LEVEL = 0.95
DRAWS = 20_000


@dataclass(frozen=True)
class Place:
    """Where a product stands.

    Attributes:
        level: the product.
        best, worst: the ranks that it may have.
        ratio: its rate to the mean of all, with `low` and `high` (95%, all products together).
        tied: products of which it is surely not further away than the margin.
        cells: how many cells it rests on.
    """

    level: str
    best: int
    worst: int
    ratio: float
    low: float
    high: float
    tied: tuple[str, ...]
    cells: int


@dataclass(frozen=True)
class Turn:
    """Cells in which the order of two products is surely the other way round than on the whole."""

    better: str
    worse: str
    cells: tuple[Cell, ...]


@dataclass(frozen=True)
class Ranks:
    """The products of one factor for one workload, best first; those that cannot be ranked, and why; where the order turns."""

    factor: str
    places: tuple[Place, ...]
    refused: tuple[tuple[str, str], ...]
    turns: tuple[Turn, ...]
    passes_alone: bool


def ranks_of(observed: Sequence[Observed], factor: str, margin: float) -> Ranks | None:
    """Return the ranks of a factor's levels; None where fewer than two of them were measured."""
    levels = levels_of(observed).get(factor, [])
    if len(levels) < 2:
        return None
    models = Models(observed)
    model = next((m for m in models if _determines(m, factor, levels)), None) or models.of("none")
    ranked, refused = _comparable(observed, model, factor, levels)
    if len(ranked) < 2:
        return Ranks(factor, (), tuple(refused), (), model.passes_alone)
    places = _places(observed, model, factor, ranked, margin)
    order = [p.level for p in places]
    return Ranks(factor, places, tuple(refused), tuple(_turns(models, factor, order)), model.passes_alone)


def _determines(model: Fitted, factor: str, levels: Sequence[str]) -> bool:
    """Return whether a model tells every level from the first."""
    return all(model.estimable(model.row({factor: a}) - model.row({factor: levels[0]})) for a in levels[1:])


def _comparable(
    observed: Sequence[Observed], model: Fitted, factor: str, levels: Sequence[str]
) -> tuple[list[str], list[tuple[str, str]]]:
    """Return the largest set of levels that can be told from each other, and of the others why not."""
    groups: list[list[str]] = []
    for level in levels:
        for group in groups:
            if model.estimable(model.row({factor: level}) - model.row({factor: group[0]})):
                group.append(level)
                break
        else:
            groups.append([level])
    largest = max(groups, key=len)
    others = [level for level in levels if level not in largest]
    return largest, [(level, confounded(observed, factor, level, largest[0])) for level in others]


def _places(
    observed: Sequence[Observed], model: Fitted, factor: str, levels: Sequence[str], margin: float
) -> tuple[Place, ...]:
    rows = np.array([model.row({factor: level}) for level in levels])
    pairs = list(itertools.combinations(range(len(levels)), 2))
    differences = np.array([rows[i] - rows[j] for i, j in pairs])
    around = rows - rows.mean(axis=0)
    values, half = _bands(model, differences)
    means, reach = _bands(model, around)
    surely = {(i, j): (v - h, v + h) for (i, j), v, h in zip(pairs, values, half, strict=True)}
    surely |= {(j, i): (-high, -low) for (i, j), (low, high) in list(surely.items())}
    close = math.log1p(margin)
    places = []
    for i, level in enumerate(levels):
        others = [j for j in range(len(levels)) if j != i]
        better = sum(surely[i, j][1] < 0 for j in others)
        worse = sum(surely[i, j][0] > 0 for j in others)
        tied = tuple(levels[j] for j in others if -close < surely[i, j][0] and surely[i, j][1] < close)
        cells = len({o.cell for o in observed if o.cell is not None and dict(o.cell)[factor] == level})
        low, high = math.exp(means[i] - reach[i]), math.exp(means[i] + reach[i])
        places.append(
            Place(
                level=level,
                best=1 + int(better),
                worst=len(levels) - int(worse),
                ratio=math.exp(means[i]),
                low=low,
                high=high,
                tied=tied,
                cells=cells,
            )
        )
    return tuple(sorted(places, key=lambda p: -p.ratio))


def _bands(model: Fitted, contrasts: Floats) -> tuple[Floats, Floats]:
    """Return the values of contrasts and half the width of their intervals, that hold all together."""
    values = contrasts @ model.beta
    scales, directions = np.linalg.eigh(model.covariance)
    # the contrasts as sums of independent normals, one for each direction of the coefficients
    spread = contrasts @ (directions * np.sqrt(np.maximum(scales, 0.0)))
    spread = spread[:, np.abs(spread).max(axis=0) > 0]
    errors = np.sqrt(np.maximum((spread**2).sum(axis=1), 1e-18))
    rng = np.random.Generator(np.random.SFC64(1))
    normal = rng.standard_normal((DRAWS, spread.shape[1])) @ (spread / errors[:, None]).T
    drawn = np.abs(normal, out=normal).max(axis=1) / np.sqrt(rng.chisquare(model.df, DRAWS) / model.df)
    return np.asarray(values), np.asarray(errors * np.quantile(drawn, LEVEL))


def _turns(models: Models, factor: str, order: Sequence[str]) -> list[Turn]:
    """Return the pairs of which the one that stands below is surely ahead in some cell, all cells of all pairs held to 95% together."""
    cells = {c: i for i, c in enumerate(dict.fromkeys(o.cell for o in models.observed if o.cell is not None))}
    matched = [
        (above, below, cell, _with(cell, factor, below))
        for above, below in itertools.combinations(order, 2)
        for cell in cells
        if dict(cell)[factor] == above and _with(cell, factor, below) in cells
    ]
    if not matched:
        return []
    means, variance, df = _cell_means(models, list(cells))
    rows = np.zeros((len(matched), len(cells)))
    for row, (_, _, one, other) in zip(rows, matched, strict=True):
        row[cells[one]], row[cells[other]] = 1.0, -1.0
    beside = Fitted(
        factors={},
        terms=[],
        beta=means,
        covariance=np.diag(variance),
        df=df,
        between=0.0,
        passes_alone=False,
        hour=None,
        space=Space(np.eye(len(cells)), np.eye(len(cells))),
    )
    values, half = _bands(beside, rows)
    turned: dict[tuple[str, str], list[Cell]] = {}
    for (above, below, cell, _), value, reach in zip(matched, values, half, strict=True):
        if value + reach < 0:
            turned.setdefault((below, above), []).append(tuple(p for p in cell if p[0] != factor))
    return [Turn(below, above, tuple(where)) for (below, above), where in turned.items()]


def _with(cell: Cell, factor: str, level: str) -> Cell:
    return tuple((f, level if f == factor else v) for f, v in cell)


def _cell_means(models: Models, cells: Sequence[Cell]) -> tuple[Floats, Floats, int]:
    """Return each cell's mean, its variance (between runs and between passes), and the degrees of freedom."""
    observed, model = models.observed, models.of("all")
    within = {c: [o for o in observed if o.cell == c] for c in cells}
    logs = [v - o.mean for o in observed for v in o.logs]
    passes = math.fsum(v * v for v in logs) / max(1, len(logs) - len(observed))
    means = np.array([math.fsum(o.mean for o in within[c]) / len(within[c]) for c in cells])
    variance = np.array(
        [(model.between**2 + passes / min(len(o.logs) for o in within[c])) / len(within[c]) for c in cells]
    )
    return means, variance, model.df
