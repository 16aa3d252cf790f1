"""Random matrices of which all is known: do the intervals of effects and of ranks hold, are pairs and drifts found?

    python -m benchmarks.matrices [NUMBER] [--seed N] [--uneven]

Two to four factors of two to four levels, a tenth to a quarter of the cells missing in every other matrix, levels apart by 20%, a third of the pairs of factors
doing something only together (15%), 0 to 1% from run to run, 0.3 to 2% from pass to pass with one pass in ten twice as noisy, 3 or 5 passes, few-changes
or random order, one or two direct setups three times each, and a drift of 5% over the day, up or down, in two of three.
With --uneven one level of one factor varies five times as much from run to run, as a loose socket does.
"""

from __future__ import annotations

import argparse
import itertools
import math
import random
from collections import Counter
from dataclasses import dataclass

import numpy as np

from ulterion.core.matrix.effects import Effect, effects_of
from ulterion.core.matrix.grid import Cell, by_cables, expand, shuffled
from ulterion.core.matrix.ranks import ranks_of
from ulterion.core.matrix.weights import Observed

NAMES = ("enclosure", "drive", "port", "driver")
MARGIN = 0.03


@dataclass
class Truth:
    """What a matrix is made of: levels by factor, logs of levels and of pairs of levels, the drift."""

    factors: dict[str, list[str]]
    levels: dict[tuple[str, str], float]
    pairs: dict[frozenset[tuple[str, str]], float]
    drift: float

    def of(self, cell: Cell) -> float:
        """Return the log of a cell."""
        both = sum(self.pairs.get(frozenset(p), 0.0) for p in itertools.combinations(cell, 2))
        return sum(self.levels[one] for one in cell) + both

    def effect(self, one: Effect) -> float:
        """Return what an effect is in truth, as a ratio."""
        value = self.levels[one.factor, one.level] - self.levels[one.factor, one.against]
        if one.where is not None:
            value += self.pairs.get(frozenset([(one.factor, one.level), one.where]), 0.0)
            value -= self.pairs.get(frozenset([(one.factor, one.against), one.where]), 0.0)
        return math.exp(value)


def made(rng: random.Random) -> Truth:
    """Return a truth."""
    names = NAMES[: rng.choice([2, 3, 3, 4])]
    factors = {n: [f"{n}{i}" for i in range(rng.choice([2, 2, 3, 4]))] for n in names}
    while math.prod(map(len, factors.values())) < 6:
        factors[names[0]].append(f"{names[0]}{len(factors[names[0]])}")
    levels = {(n, level): rng.gauss(0, 0.2) for n in names for level in factors[n]}
    pairs: dict[frozenset[tuple[str, str]], float] = {}
    for a, b in itertools.combinations(names, 2):
        if rng.random() < 0.3:
            both = np.array([[rng.gauss(0, 0.15) for _ in factors[b]] for _ in factors[a]])
            both = both - both.mean(axis=0, keepdims=True)
            both = both - both.mean(axis=1, keepdims=True)
            for (i, x), (j, y) in itertools.product(enumerate(factors[a]), enumerate(factors[b])):
                pairs[frozenset([(a, x), (b, y)])] = float(both[i, j])
    return Truth(factors, levels, pairs, rng.choice([0.0, -0.05, 0.05]))


UNEVEN = 5.0  # times as much


def runs_of(truth: Truth, rng: random.Random, *, uneven: bool = False) -> list[Observed]:
    """Return what is measured of it in a day."""
    holes = rng.choice([0, 0, 0.1, 0.25])
    cells: list[Cell | None] = [c for c in expand(truth.factors) if rng.random() >= holes]
    kept = [c for c in cells if c is not None]
    kept = by_cables(kept) if rng.random() < 0.5 else shuffled(kept, rng.randrange(10**6))
    between, within = rng.choice([0, 0.003, 0.01]), rng.choice([0.003, 0.01, 0.02])
    checks = ["direct", "other"][: rng.choice([1, 2])]
    half = len(kept) // 2
    order: list[tuple[str, Cell | None]] = []
    for part in (kept[:half], kept[half:], []):
        order += [(c, None) for c in checks] + [("cell", c) for c in part]
    runs = []
    loose = (
        [(f, level) for f, levels in truth.factors.items() for level in levels][rng.randrange(4)] if uneven else None
    )
    for at, (name, cell) in enumerate(order):
        varies = between * (UNEVEN if cell is not None and loose in cell else 1.0)
        mean = (1.0 if cell is None else truth.of(cell)) + truth.drift * at / (len(order) - 1) + rng.gauss(0, varies)
        count = rng.choice([3, 5])
        logs = tuple(mean + rng.gauss(0, within * (1 if rng.random() < 0.9 else 2)) for _ in range(count))
        runs.append(Observed(cell, name, logs, at / 4))
    return runs


def count(truth: Truth, runs: list[Observed], told: Counter[str]) -> None:
    """Count what is found of a matrix."""
    found = effects_of(runs)
    if found is None:
        return
    for one in found.effects:
        told["refused"] += one.ratio is None
        told["effects"] += one.ratio is not None
        if one.low is not None and one.high is not None:
            told["effects held"] += one.low <= truth.effect(one) <= one.high
    true = {frozenset(f for f, _ in pair) for pair in truth.pairs}
    seen = {frozenset(t.factors) for t in found.together}
    lost = {frozenset(u.factors) for u in found.untested}
    told["pairs"] += len(true - lost)
    told["pairs found"] += len(true & seen)
    told["matrices"] += 1
    told["with a false pair"] += bool(seen - true)
    told["drifting" if truth.drift else "steady"] += 1
    told["drift told" if truth.drift else "drift told falsely"] += found.drifts
    ranks = ranks_of(runs, "enclosure", MARGIN)
    if ranks is not None and ranks.places:
        order = sorted((p.level for p in ranks.places), key=lambda level: -truth.levels["enclosure", level])
        told["ranked"] += 1
        told["ranks held"] += all(p.best <= order.index(p.level) + 1 <= p.worst for p in ranks.places)


def main() -> None:
    """Print it."""
    parser = argparse.ArgumentParser()
    parser.add_argument("number", nargs="?", type=int, default=300)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--uneven", action="store_true")
    asked = parser.parse_args()
    told: Counter[str] = Counter()
    for number in range(asked.number):
        rng = random.Random(asked.seed * 100_000 + number)
        truth = made(rng)
        count(truth, runs_of(truth, rng, uneven=asked.uneven), told)
    for part, whole in (("effects held", "effects"), ("refused", "effects"), ("pairs found", "pairs"), ("with a false pair", "matrices"),
                        ("drift told", "drifting"), ("drift told falsely", "steady"), ("ranks held", "ranked")):  # fmt: skip
        print(f"{part}: {told[part]} of {told[whole]} ({100 * told[part] / max(told[whole], 1):.1f}%)")


if __name__ == "__main__":
    main()
