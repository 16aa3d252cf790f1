"""Passes where verdicts are open against as many passes everywhere: python -m benchmarks.plans [PLANS] [--seed N].

Plans of 24 cells against a baseline with 18 passes.  The true ratios: a third alike, a third well apart (10 to 60%), a third between 1 and 10%;
noise of a pass 0.3 to 3%, another in each plan, one pass in twenty three times as noisy.  Adaptive passes stop at the verdict that may be taken at
every look (`core/matrix/deciding.py`), after 3 to 12, and visit what is open once more.  As many passes everywhere are judged each by itself at 5%, which favours
them, as often as it takes to decide as many.  `false`: a verdict that the truth contradicts.
"""

from __future__ import annotations

import argparse
import math
from collections.abc import Callable

import numpy as np

from ulterion.core.matrix.deciding import decided
from ulterion.core.stats.verdicts import MARGIN, Verdict, compare

CELLS, DIRECT, LEAST, MOST, VISITS = 24, 18, 3, 12, 2
EQUAL = range(3, 31)


def is_false(verdict: Verdict, truth: float) -> bool:
    """Return whether the log of the true ratio contradicts a verdict."""
    band = math.log1p(MARGIN)
    if verdict == "same":
        return abs(truth) > band
    if verdict in ("faster", "a little faster"):
        return truth <= 0
    return verdict in ("slower", "a little slower") and truth >= 0


def truths(rng: np.random.Generator) -> list[float]:
    """Return the logs of the true ratios of a plan's cells."""
    near = rng.uniform(-0.1, 0.1, CELLS)
    far = -rng.uniform(0.1, 0.6, CELLS)
    kind = rng.integers(0, 3, CELLS)
    return [float((0.0, math.log1p(f), math.log1p(n))[k]) for k, f, n in zip(kind, far, near, strict=True)]


def passes_of(rng: np.random.Generator, noise: float) -> Callable[[float], float]:
    """Return what gives a pass of a setup with such a mean log."""

    def one(mean: float) -> float:
        return float(np.exp(mean + rng.normal(0, noise * (3 if rng.random() < 0.05 else 1))))

    return one


def adaptive(true: list[float], one: Callable[[float], float], direct: list[float]) -> tuple[int, list[Verdict]]:
    """Return the passes that were run, and the verdicts."""
    rates: list[list[float]] = [[] for _ in true]
    verdicts: list[Verdict] = ["undecided"] * len(true)
    for _ in range(VISITS):
        for at, mean in enumerate(true):
            until = len(rates[at]) + MOST
            least = len(rates[at]) + LEAST
            while verdicts[at] == "undecided" and len(rates[at]) < until:
                rates[at].append(one(mean))
                if len(rates[at]) >= least:
                    verdicts[at] = decided(rates[at], direct, MARGIN)
    return sum(map(len, rates)), verdicts


def main() -> None:
    """Print what is saved, and what is false."""
    parser = argparse.ArgumentParser()
    parser.add_argument("plans", nargs="?", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    rng = np.random.default_rng(asked.seed)
    passes = made = wrong = 0
    equal = {n: [0, 0] for n in EQUAL}
    for _ in range(asked.plans):
        true, one = truths(rng), passes_of(rng, float(rng.uniform(0.003, 0.03)))
        direct = [one(0.0) for _ in range(DIRECT)]
        spent, verdicts = adaptive(true, one, direct)
        passes += spent
        made += sum(v != "undecided" for v in verdicts)
        wrong += sum(is_false(v, t) for v, t in zip(verdicts, true, strict=True))
        long = [[one(t) for _ in range(max(EQUAL))] for t in true]
        for n in EQUAL:
            found = [compare(rates[:n], direct).verdict for rates in long]
            equal[n][0] += sum(v != "undecided" for v in found)
            equal[n][1] += sum(is_false(v, t) for v, t in zip(found, true, strict=True))
    total = CELLS * asked.plans
    print(
        f"adaptive: {made} of {total} decided with {passes / total:.2f} passes a cell; false {wrong / max(made, 1) * 100:.1f}% of those"
    )
    enough = next((n for n in EQUAL if equal[n][0] >= made), None)
    for n in sorted({5, 10, 15, 20, 30, *([enough] if enough else [])}):
        print(f"{n} everywhere: {equal[n][0]} decided; false {equal[n][1] / max(equal[n][0], 1) * 100:.1f}%")
    if enough is None:
        print(f"not even {max(EQUAL)} everywhere decide as many")
    else:
        print(
            f"as many are decided by {enough} passes everywhere: {100 * (1 - passes / total / enough):.0f}% are saved"
        )


if __name__ == "__main__":
    main()
