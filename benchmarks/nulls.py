"""How often is a hookup called different when nothing is?  python -m benchmarks.nulls [REVIEWS] [--seed N].

Reviews of 8 workloads and 5 hookups of one medium, all with one truth: passes scatter by 0.3 to 5 % around it, by the normal law or
with heavier tails (Student's t with 4 degrees of freedom, as passes beside a busy machine do), 3 to 8 passes each.  Counted are
reviews in which any hookup is called faster or slower, or a little so; at most 5 % may be.
"""

from __future__ import annotations

import argparse
import math
from collections import Counter

import numpy as np

from ulterion.core.verdicts import DIFFERENT, compare_family

WORKLOADS, HOOKUPS = 8, 5


def verdicts(rng: np.random.Generator, *, heavy: bool) -> Counter[str]:
    """Return the verdicts of one null review."""
    passes, truth = int(rng.integers(3, 9)), [rng.uniform(1e7, 7e9) for _ in range(WORKLOADS)]
    spread = [10 ** rng.uniform(math.log10(0.003), math.log10(0.05)) for _ in range(WORKLOADS)]

    def rates(workload: int) -> list[float]:
        noise = rng.standard_t(4, passes) / math.sqrt(2) if heavy else rng.standard_normal(passes)
        return [float(truth[workload] * math.exp(spread[workload] * n)) for n in noise]

    base = [rates(w) for w in range(WORKLOADS)]
    pairs = [(rates(w), base[w]) for _ in range(HOOKUPS - 1) for w in range(WORKLOADS)]
    return Counter(str(c.verdict) for c in compare_family(pairs))


def main() -> None:
    """Make reviews, count."""
    parser = argparse.ArgumentParser()
    parser.add_argument("reviews", nargs="?", type=int, default=2000)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    for heavy in (False, True):
        rng, called, every = np.random.default_rng([options.seed, heavy]), 0, Counter[str]()
        for _ in range(options.reviews):
            found = verdicts(rng, heavy=heavy)
            called += any(found[v] for v in DIFFERENT)
            every += found
        total = sum(every.values())
        shares = ", ".join(f"{word} {count / total * 100:.1f} %" for word, count in every.most_common())
        print(
            f"{'heavy tails' if heavy else 'normal'}: {called / options.reviews * 100:.2f} % of {options.reviews} reviews call any hookup different; {shares}"
        )


if __name__ == "__main__":
    main()
