"""What a setting does across sizes, on made-up matrices of which the truth is known: is what is said of it true?

    python -m benchmarks.sweeps [NUMBER] [--seed N]

A setting (two or three levels) on two or three controllers, six to twelve sizes of a request.  In truth the setting does nothing, the same at
every size, more at small ones, more at large ones, or something only around one size; in a quarter of them it does more on one
controller.  All sizes of a cell are measured in one visit, so that what varies from visit to visit (0.2 to 1%) is shared by them; passes
vary by 0.3 to 2%, every cell is visited twice, and rates drift by up to 2% over the day.
"""

from __future__ import annotations

import argparse
import math
import random
from collections import Counter

from ulterion.core.matrix.across_sizes import AcrossSizes, across_sizes
from ulterion.core.matrix.effects import Effects, effects_of
from ulterion.core.matrix.grid import Cell
from ulterion.core.matrix.weights import Observed

MARGIN = 0.03
SHAPES = ("nothing", "the same", "small", "large", "one size")


class Truth:
    """What a setting does: its logs by level and size, and by how much more on one controller."""

    def __init__(self, rng: random.Random) -> None:
        self.shape = rng.choice(SHAPES)
        self.sizes = [4096 * 2**n for n in range(rng.randint(6, 12))]
        self.settings = ["off", "on", "full"][: rng.choice([2, 2, 3])]
        self.controllers = ["left", "right", "rear"][: rng.choice([2, 3])]
        self.strength = {s: 0.0 if s == "off" else rng.choice([-1, 1]) * rng.uniform(0.1, 1.3) for s in self.settings}
        self.knee = rng.choice(self.sizes[1:-1])
        self.more = rng.uniform(0.08, 0.3) if rng.random() < 0.25 else 0.0
        self.controller = {c: rng.gauss(0, 0.3) for c in self.controllers}

    def does(self, setting: str, size: int) -> float:
        """Return the log of what a setting does at a size, over all controllers."""
        part = size / self.knee
        share = {"nothing": 0.0, "the same": 1.0, "small": 1 / (1 + part**1.5), "large": 1 - 1 / (1 + part**1.5),
                 "one size": math.exp(-(math.log2(part) ** 2) / 2)}[self.shape]  # fmt: skip
        return float(self.strength[setting] * share)

    def of(self, setting: str, controller: str, size: int) -> float:
        """Return the log of a cell's rate at a size."""
        more = self.more if setting == "on" and self.shape != "nothing" else 0.0
        places = len(self.controllers)
        extra = more * ((places - 1) / places if controller == "left" else -1 / places)
        return 17 + 0.3 * math.log(size / 4096) + self.controller[controller] + self.does(setting, size) + extra


def measured(truth: Truth, rng: random.Random) -> dict[int, Effects]:
    """Return what the runs of a day show, by size."""
    between, within, drift = rng.uniform(0.002, 0.01), rng.uniform(0.003, 0.02), rng.uniform(-0.02, 0.02)
    cells: list[Cell] = [(("setting", s), ("controller", c)) for s in truth.settings for c in truth.controllers]
    visits = [*rng.sample(cells, len(cells)), *rng.sample(cells, len(cells))]
    runs: dict[int, list[Observed]] = {size: [] for size in truth.sizes}
    for at, cell in enumerate(visits):
        shared = rng.gauss(0, between) + drift * at / len(visits)
        levels = dict(cell)
        for size in truth.sizes:
            mean = truth.of(levels["setting"], levels["controller"], size) + shared
            logs = tuple(mean + rng.gauss(0, within) for _ in range(4))
            runs[size].append(Observed(cell, f"{levels['setting']}-{levels['controller']}", logs, at / 3))
    return {size: found for size, some in runs.items() if (found := effects_of(some)) is not None}


def count(truth: Truth, one: AcrossSizes, told: Counter[str]) -> None:
    """Count what is said of one level, and what of it is so."""
    real = {size: truth.does(one.level, size) - truth.does(one.against, size) for size in truth.sizes}
    limit, flat = math.log1p(MARGIN), max(real.values()) - min(real.values()) < 1e-9
    told["levels"] += 1
    if one.shown:
        effect = one.effects[one.most]
        assert effect.low is not None and effect.high is not None
        told["most named"] += 1
        told["most held"] += math.log(effect.low) <= real[one.most] <= math.log(effect.high)
        told["wrong way"] += any((real[s] > 0) != ((one.effects[s].ratio or 1) > 1) for s in one.shown)
    if flat:
        told["the same in truth"] += 1
        told["the same, called unlike"] += bool(one.shown) and not one.alike
    elif one.alike and one.shown:
        told["called alike"] += 1
        told["called alike falsely"] += max(real.values()) - min(real.values()) > 3 * limit
    told["sizes called none"] += len(one.none)
    told["sizes called none falsely"] += sum(abs(real[s]) > limit for s in one.none)
    if "controller" in one.with_each and one.shown:
        told["said alike on every controller"] += 1
        told["although it is not"] += truth.more > 0 and truth.shape != "nothing" and "on" in (one.level, one.against)
    told["said to differ by controller"] += bool(one.differs_with)
    told["although it does not"] += bool(one.differs_with) and (truth.more == 0 or truth.shape == "nothing")


def main() -> None:
    """Print it."""
    parser = argparse.ArgumentParser()
    parser.add_argument("number", nargs="?", type=int, default=300)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    told: Counter[str] = Counter()
    for number in range(asked.number):
        rng = random.Random(asked.seed * 100_000 + number)
        truth = Truth(rng)
        for one in across_sizes(measured(truth, rng), MARGIN):
            if one.factor == "setting":
                count(truth, one, told)
    for part, whole in (("most held", "most named"), ("wrong way", "most named"), ("the same, called unlike", "the same in truth"),
                        ("called alike falsely", "called alike"), ("sizes called none falsely", "sizes called none"),
                        ("although it is not", "said alike on every controller"),
                        ("although it does not", "said to differ by controller")):  # fmt: skip
        print(f"{whole}: {told[whole]}; {part}: {told[part]} ({100 * told[part] / max(told[whole], 1):.1f}%)")


if __name__ == "__main__":
    main()
