"""Simulated hands with a stopwatch: how often the interval of a rate timed by hand holds the truth, and what few timings decide.

    python -m benchmarks.hands [HANDS]

Hands are late or early by a normal error of 0.2 s at each end, or by a reaction that is skewed (lognormal, 0.2 s in the middle) at both; transfers
last 6 s to 20 minutes and vary by nothing or up to 5% from one to the next; sizes are typed to two or three digits, times to the second or to
a tenth, cut off or rounded.  Or one who starts late every time: by 0.25 s, always, and stops well.  The truth is the rate that the transfers vary around.
"""

from __future__ import annotations

import math
import sys

import numpy as np

from ulterion.core.stats.estimates import estimate
from ulterion.core.stats.verdicts import DIFFERENT, compare
from ulterion.core.transfers.timings import Timing, rates_of


def hand(rng: np.random.Generator, skewed: bool) -> float:
    """Return what a hand adds to a time, seconds."""
    if skewed:
        start, end = 0.2 * np.exp(rng.normal(0, 0.35, 2))
        return float(end - start)
    return float(rng.normal(0, 0.2) - rng.normal(0, 0.2))


LATE = 0.25  # seconds that a late hand starts late by, each time


def holds(rng: np.random.Generator, count: int, varies: float, *, late: bool = False) -> tuple[bool, float]:
    """Return whether the interval of so many timings of one transfer holds its rate, and its half width."""
    rate, length = (
        math.exp(rng.uniform(math.log(1e6), math.log(3e9))),
        math.exp(rng.uniform(math.log(6), math.log(1200))),
    )
    size = rate * length
    step = 10.0 ** (math.floor(math.log10(size)) - int(rng.integers(1, 3)))
    typed = round(size / step) * step
    tick, cut, skewed = float(rng.choice([0.1, 1.0])), bool(rng.integers(2)), bool(rng.integers(2))
    timings = []
    for _ in range(count):
        seconds = length * math.exp(rng.normal(0, varies)) + (rng.normal(0, 0.05) - LATE if late else hand(rng, skewed))
        shown = max(tick, (math.floor(seconds / tick) if cut else round(seconds / tick)) * tick)
        timings.append(Timing("done", typed, step, shown, tick))
    one = estimate(rates_of(timings))
    assert one.low is not None and one.high is not None
    return one.low <= rate <= one.high, math.sqrt(one.high / one.low) - 1


def called_different(rng: np.random.Generator, counts: tuple[int, int], varies: float, times: float = 1.0) -> bool:
    """Return whether one transfer is called faster or slower than another that takes `times` as long; both vary by so much."""
    length = math.exp(rng.uniform(math.log(20), math.log(600)))
    sides = []
    for count, longer in zip(counts, (1.0, times), strict=True):
        timings = []
        for _ in range(count):
            # what real transfers vary by is skewed: now and then one takes much longer
            slower = rng.gamma(4.0, 0.5) if rng.integers(2) else rng.normal(2.0, 1.0)
            seconds = length * longer * math.exp((slower - 2.0) * varies) + hand(rng, bool(rng.integers(2)))
            timings.append(Timing("done", 2.6e9, 1e8, max(1.0, round(seconds)), 1.0))
        sides.append(rates_of(timings))
    return compare(sides[0], sides[1]).verdict in DIFFERENT


def few(hands: int, rng: np.random.Generator) -> None:
    """Print how often two alike are called different, and twice as fast is found, by how many timings."""
    print("| timings | two alike, varying by 10% | by 20% | by 3% | twice as fast, varying by 10% |")
    print("|---:|---:|---:|---:|---:|")
    for counts in ((1, 1), (1, 2), (2, 2), (1, 3), (2, 3), (3, 3)):
        alike = [np.mean([called_different(rng, counts, v) for _ in range(hands)]) for v in (0.1, 0.2, 0.03)]
        found = np.mean([called_different(rng, counts, 0.1, 2.0) for _ in range(hands)])
        print(f"| {counts[0]} and {counts[1]} | " + " | ".join(f"{v * 100:.1f}%" for v in (*alike, found)) + " |")


def main() -> None:
    """Print the tables."""
    hands, rng = int(sys.argv[1]) if len(sys.argv) > 1 else 1000, np.random.default_rng(15)
    few(hands, rng)
    print()
    print("| timings | the transfers vary by | the interval holds the truth | half of it, in the middle |")
    print("|---:|---:|---:|---:|")
    for count in (1, 2, 3, 5, 10):
        for varies in (0.0, 0.01, 0.05):
            found = [holds(rng, count, varies) for _ in range(hands)]
            share, width = np.mean([h for h, _ in found]), np.median([w for _, w in found])
            print(f"| {count} | {varies * 100:g}% | {share * 100:.1f}% | {width * 100:.2f}% |")
        share = np.mean([holds(rng, count, 0.0, late=True)[0] for _ in range(hands)])
        print(f"| {count}, started late | 0% | {share * 100:.1f}% | |")


if __name__ == "__main__":
    main()
