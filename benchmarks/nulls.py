"""How often is a setup called different when nothing is?  python -m benchmarks.nulls [REVIEWS] [--seed N].

Reviews of 8 workloads and 5 setups of one medium, all with one truth.  Passes scatter by 0.3 to 5% around it, as each setup does by
itself (one may be ten times as restless as another), by the normal law or with heavier tails (Student's t with 4 degrees of freedom,
as passes beside a busy machine do).  Counted are reviews in which any setup is called faster or slower, or a little so; at most 5%
may be.

    fixed           3 to 8 passes
    until sure      4 passes, then until sure within 2%, 10 at most
    several runs    2 to 5 runs of 4 passes, that lie 1% apart besides, the same for all workloads of a run
    power           one setup of two is truly 6% slower (2%: at a margin of 3% that is no loss), 5 passes: how often that is said
"""

from __future__ import annotations

import argparse
import math
from collections import Counter
from collections.abc import Callable, Sequence

import numpy as np

from ulterion.core.stats.peeking import half_width_under_peeking
from ulterion.core.stats.samples import Looked, Runs
from ulterion.core.stats.verdicts import DIFFERENT, compare, compare_family

WORKLOADS, SETUPS = 8, 5
BETWEEN = 0.01  # from run to run
FIRST, MOST, SURE = 4, 10, 0.02
Noise = Callable[[], float]


def passes_of(how: str, rng: np.random.Generator, count: int, spread: float, noise: Noise) -> Sequence[float]:
    """Return the rates of the passes of one run around 1."""
    rates = [math.exp(spread * noise()) for _ in range(FIRST if how == "until sure" else count)]
    while how == "until sure" and len(rates) < MOST and not ((half_width_under_peeking(rates) or 1.0) <= SURE):
        rates.append(math.exp(spread * noise()))
    return Looked.of(rates, FIRST) if how == "until sure" else rates


def setup(how: str, rng: np.random.Generator, count: int, truth: list[float], noise: Noise) -> list[Runs]:
    """Return the runs of every workload on one setup."""
    shifts = rng.normal(0.0, BETWEEN, rng.integers(2, 6)) if how == "several runs" else [0.0]
    spread = [10 ** rng.uniform(math.log10(0.003), math.log10(0.05)) for _ in truth]
    return [
        [_shifted(passes_of(how, rng, count, s, noise), rate * math.exp(shift)) for shift in shifts]
        for rate, s in zip(truth, spread, strict=True)
    ]


def _shifted(rates: Sequence[float], by: float) -> Sequence[float]:
    moved = [r * by for r in rates]
    return Looked.of(moved, rates.first) if isinstance(rates, Looked) else moved


def verdicts(how: str, rng: np.random.Generator, *, heavy: bool) -> Counter[str]:
    """Return the verdicts of one null review."""
    count = 4 if how == "several runs" else int(rng.integers(3, 9))
    truth = [float(rng.uniform(1e7, 7e9)) for _ in range(WORKLOADS)]

    def noise() -> float:
        return float(rng.standard_t(4) / math.sqrt(2) if heavy else rng.standard_normal())

    base = setup(how, rng, count, truth, noise)
    others = [setup(how, rng, count, truth, noise) for _ in range(SETUPS - 1)]
    return Counter(
        str(c.verdict) for c in compare_family([(o, b) for other in others for o, b in zip(other, base, strict=True)])
    )


def power(rng: np.random.Generator, reviews: int) -> None:
    """Tell how often a true loss is called slower, by noise."""
    for loss in (0.06, 0.02):
        told = []
        for noise in (0.005, 0.01, 0.02, 0.03):
            sides = [np.exp(rng.normal(math.log(c), noise, (reviews, 5))) for c in (1 - loss, 1.0)]
            found = sum(compare(list(a), list(b)).verdict == "slower" for a, b in zip(*sides, strict=True))
            told.append(f"{noise * 100:g}%: {found / reviews * 100:.1f}%")
        print(f"a true {loss * 100:g}% less called slower, by noise: {', '.join(told)}")
    told = []
    for runs in (2, 3, 4, 5):
        found = 0
        for _ in range(reviews):
            apart: list[Runs] = [
                [list(c * np.exp(rng.normal(shift, 0.01, 4))) for shift in rng.normal(0.0, BETWEEN, runs)]
                for c in (0.94, 1.0)
            ]
            found += compare(apart[0], apart[1]).verdict == "slower"
        told.append(f"{runs} runs: {found / reviews * 100:.1f}%")
    print(f"a true 6% less called slower, runs and passes 1% apart: {', '.join(told)}")


def main() -> None:
    """Make reviews, count."""
    parser = argparse.ArgumentParser()
    parser.add_argument("reviews", nargs="?", type=int, default=2000)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    for number, how in enumerate(("fixed", "until sure", "several runs")):
        for heavy in (False, True):
            rng, called, every = np.random.default_rng([options.seed, heavy, number]), 0, Counter[str]()
            for _ in range(options.reviews):
                found = verdicts(how, rng, heavy=heavy)
                called += any(found[v] for v in DIFFERENT)
                every += found
            total = sum(every.values())
            shares = ", ".join(f"{word} {count / total * 100:.2f}%" for word, count in every.most_common())
            tails = "heavy tails" if heavy else "normal"
            print(
                f"{how}, {tails}: any setup called different in {called / options.reviews * 100:.2f}% of {options.reviews}; {shares}"
            )
    power(np.random.default_rng(options.seed), options.reviews)


if __name__ == "__main__":
    main()
