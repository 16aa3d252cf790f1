"""The cells of a matrix: factors and their levels, expanded, thinned out, and put into an order that changes few cables."""

from __future__ import annotations

import functools
import itertools
import math
from collections.abc import Mapping, Sequence

from ulterion.core.arrays import Integers, np
from ulterion.core.errors import UsageError, unknown

Cell = tuple[tuple[str, str], ...]
"""(factor, level) in the order of the factors."""
Factors = Mapping[str, Sequence[str]]
MAX_CELLS = 2000
MAX_STARTS = 8  # cells that an order is tried to begin with
MAX_TURNS = 400  # improvements of an order that are looked for


def words(cell: Cell) -> str:
    """Return a cell in words."""
    return ", ".join(f"{factor} {level}" for factor, level in cell)


def expand(
    factors: Factors, listed: Sequence[Mapping[str, str]] = (), excluded: Sequence[Mapping[str, str]] = ()
) -> list[Cell]:
    """Return the cells of a grid: all of them, or those listed, without those that a pattern of levels leaves out.

    Raises UsageError that names the factor, level or cell.
    """
    _check(factors)
    if listed:
        cells = [_listed(factors, one) for one in listed]
        for cell in cells:
            if cells.count(cell) > 1:
                raise UsageError(f"plan: the cell '{words(cell)}' is listed twice; take one of them out")
    else:
        cells = _full(factors)
    for pattern in excluded:
        _check_levels(factors, pattern, "exclude")
        kept = [cell for cell in cells if not pattern.items() <= dict(cell).items()]
        if len(kept) == len(cells):
            told = ", ".join(f"{f} {v}" for f, v in pattern.items())
            raise UsageError(f"plan: exclude '{told}' excludes no cell; correct it or remove it")
        cells = kept
    if not cells:
        raise UsageError("plan: no cell is left; leave fewer out, or give the factors more levels")
    return cells


def _check(factors: Factors) -> None:
    if not factors:
        raise UsageError('plan: no factor is given; add one under [plan.factors], such as port = ["usb-a", "usb-c"]')
    for name, levels in factors.items():
        if not levels:
            raise UsageError(f"plan: factor '{name}' has no level; give it two, or take it out")
        twice = next((one for one in levels if list(levels).count(one) > 1), None)
        if twice is not None:
            raise UsageError(f"plan: factor '{name}' names the level '{twice}' twice; take one of them out")


def _full(factors: Factors) -> list[Cell]:
    count = math.prod(len(levels) for levels in factors.values())
    if count > MAX_CELLS:
        raise UsageError(
            f"plan: {count} cells are more than anyone would measure ({MAX_CELLS}); list the cells you need"
        )
    return [tuple(zip(factors, chosen, strict=True)) for chosen in itertools.product(*factors.values())]


def _check_levels(factors: Factors, given: Mapping[str, str], where: str) -> None:
    for name, level in given.items():
        if name not in factors:
            raise UsageError(f"plan: {where}: {unknown('factor', name, factors)}")
        if level not in factors[name]:
            raise UsageError(f"plan: {where}: {unknown(f'level of {name}', level, factors[name])}")


def _listed(factors: Factors, given: Mapping[str, str]) -> Cell:
    _check_levels(factors, given, "cells")
    missing = [name for name in factors if name not in given]
    if missing:
        told = ", ".join(f"{f} {v}" for f, v in given.items())
        raise UsageError(f"plan: the cell '{told}' has no level of '{missing[0]}'; name one")
    return tuple((name, given[name]) for name in factors)


def shuffled(cells: Sequence[Cell], seed: int) -> list[Cell]:
    """Return cells in an order that is drawn by a seed."""
    order = np.random.Generator(np.random.SFC64(seed)).permutation(len(cells))
    return [cells[i] for i in order]


def by_cables(cells: Sequence[Cell]) -> list[Cell]:
    """Return cells in an order in which few levels change from one to the next.

    The reflected code, and from several beginnings the nearest unvisited cell next; then stretches turned round as long as that saves a change (G. A. Croes, A method for solving
    traveling-salesman problems, 1958).  A full grid comes out with one change a step.
    """
    return list(_by_cables(tuple(cells)))


@functools.lru_cache(maxsize=8)
def _by_cables(cells: tuple[Cell, ...]) -> tuple[Cell, ...]:
    if len(cells) < 3:
        return cells
    reflected = _reflected(cells)
    if all(len(changes_between(cells[a], cells[b])) == 1 for a, b in itertools.pairwise(reflected)):
        return tuple(cells[i] for i in reflected)  # no order has fewer
    apart = _changes(cells)
    starts = range(0, len(cells), max(1, len(cells) // MAX_STARTS))
    orders = [_turned(order, apart) for order in (reflected, *(_nearest(apart, start) for start in starts))]
    best = min(orders, key=lambda order: int(apart[order[:-1], order[1:]].sum()))
    return tuple(cells[i] for i in best)


def changes_between(one: Cell, other: Cell) -> list[str]:
    """Return the factors whose level is another."""
    return [a[0] for a, b in zip(one, other, strict=True) if a != b]


def _reflected(cells: Sequence[Cell]) -> list[int]:
    """Return the order of the reflected code (F. Gray, 1953) of mixed radix: of a full grid it changes one level a step."""
    levels: dict[str, dict[str, int]] = {}
    for cell in cells:
        for factor, level in cell:
            levels.setdefault(factor, {}).setdefault(level, len(levels[factor]))

    def rank(cell: Cell) -> int:
        rank = 0
        for factor, level in cell:
            count, at = len(levels[factor]), levels[factor][level]
            rank = rank * count + (count - 1 - at if rank % 2 else at)
        return rank

    return sorted(range(len(cells)), key=lambda i: rank(cells[i]))


def _changes(cells: Sequence[Cell]) -> Integers:
    coded = np.array([[level for _, level in cell] for cell in cells])
    return np.asarray((coded[:, None, :] != coded[None, :, :]).sum(axis=2), dtype=np.int64)


def _nearest(apart: Integers, start: int) -> list[int]:
    left, order = [i for i in range(len(apart)) if i != start], [start]
    while left:
        step = min(left, key=lambda i: (apart[order[-1], i], i))
        order.append(step)
        left.remove(step)
    return order


def _turned(order: list[int], apart: Integers) -> list[int]:
    """Return the order with stretches of it turned round wherever that saves changes."""
    for _ in range(MAX_TURNS):
        path = np.array(order)
        n = len(path)
        ahead = apart[path[:-1], path[1:]]
        # turning i+1..j round joins i with j, and i+1 with j+1 (where there is one)
        joined = apart[path[:-1]][:, path].astype(float)
        after = np.zeros((n - 1, n))
        after[:, :-1] = apart[path[1:]][:, path[1:]] - ahead[None, :]
        gain = ahead[:, None] - joined - after
        gain[np.tril_indices(n - 1, 1, n)] = 0
        i, j = np.unravel_index(int(gain.argmax()), gain.shape)
        if gain[i, j] <= 0:
            return order
        order = [*order[: i + 1], *reversed(order[i + 1 : j + 1]), *order[j + 1 :]]
    return order
