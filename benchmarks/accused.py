"""Whether honest parts are accused: python -m benchmarks.accused [REVIEWS] [--seed N].

The random reviews of `benchmarks.bottlenecks`, in which a part claims more or less than what is true of it.  In half of them nothing is
connected directly.  Counted: parts that do what they claim and are said to miss it, by what a chain of them lets through; and of those
that do not, how many are found.
"""

from __future__ import annotations

import argparse
import random
from collections import Counter
from pathlib import Path

from benchmarks.bottlenecks import World, run_of, text_of, world
from ulterion.features.claims.judging import judge_claims
from ulterion.model.review import parse_review


def with_claims(w: World, rng: random.Random) -> tuple[str, dict[str, float]]:
    """Return the review with a claim of reading for every part that has a limit of its own, and the claims, bytes per second."""
    claims = {key: limit * rng.uniform(0.85, 1.15) for key, limit in w.limits.items()}
    text = text_of(w)
    for key, claim in claims.items():
        text += f'[parts.{key}.claims]\nread = "{claim / 1e6:.3f} MB/s"\n'
    return text, claims


def honest(w: World, key: str, claim: float) -> bool:
    """Return whether a part does what it claims: its own limit, and what its link gives it, reach it within the tolerance."""
    return min(w.limits[key], w.gives.get(key, float("inf"))) >= 0.98 * claim


def tally_of(reviews: int, seed: int) -> Counter[tuple[bool, str]]:
    """Judge random reviews; return how often an honest part (True) and one that falls short (False) got each verdict."""
    tally = Counter[tuple[bool, str]]()
    for number in range(reviews):
        rng = random.Random(seed * 90_001 + number)
        w = world(rng)
        if rng.random() < 0.5:
            w.chains = {n: c for n, c in w.chains.items() if n not in w.direct}
            w.direct = set()
        if not w.chains:
            continue
        runs = [run_of(w, name, chain, at + 1) for at, (name, chain) in enumerate(w.chains.items())]
        text, claims = with_claims(w, rng)
        for row in judge_claims(parse_review(text, Path("review.toml")), runs):
            if row.claim == "read" and row.part in claims:
                tally[honest(w, row.part, claims[row.part]), row.judgement.verdict] += 1
    return tally


def main() -> None:
    """Print how often each verdict was given."""
    parser = argparse.ArgumentParser()
    parser.add_argument("reviews", nargs="?", type=int, default=300)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    tally = tally_of(options.reviews, options.seed)
    for true in (True, False):
        verdicts = {v: n for (is_true, v), n in tally.items() if is_true == true}
        total = sum(verdicts.values())
        print("honest" if true else "short of it", total)
        print(*(f"  {v:<20} {n:>4}  {n / total * 100:5.1f}%" for v, n in sorted(verdicts.items())), sep="\n")


if __name__ == "__main__":
    main()
