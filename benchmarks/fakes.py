"""Simulated memories that answer for more than they have, honest ones and bad ones: how often the proof and the quick look are right.

    python -m benchmarks.fakes [NUMBER]

A quarter each wraps round at some size, swallows from some place on, has a few bad units, or is honest.  The quick look promises nothing of bad units.
"""

from __future__ import annotations

import random
import sys

from tests.cli.test_capacity import Memory, small

from ulterion.core.capacity import UNIT, Capacity, Tally, proven
from ulterion.engine.capacity.proof import Scribe, quick_look

WANTED = {"wraps": "wraps", "swallows": "swallows", "bad": "bad areas", "honest": "whole"}


def full(memory: Memory, key: int) -> Capacity:
    """Write a memory all over and read it back."""
    scribe, tally, units = Scribe(memory, key), Tally(), memory.size // UNIT
    scribe.write(0, units)
    scribe.check(0, units, tally)
    return proven(tally, memory.size, units)


def main() -> None:
    """Print how many were judged right."""
    number, rng = int(sys.argv[1]) if len(sys.argv) > 1 else 400, random.Random(1)
    proofs = looks = asked = 0
    for turn in range(number):
        kind, units = list(WANTED)[turn % len(WANTED)], rng.randrange(2000, 9000)
        real = rng.randrange(100, units - 1)
        bad = frozenset(rng.sample(range(units), 7)) if kind == "bad" else frozenset()
        made = [Memory(units, real, "honest" if kind == "bad" else kind, bad) for _ in range(2)]
        there = {"honest": units, "bad": units - len(bad)}.get(kind, real)
        found = full(made[0], turn + 1)
        proofs += found.finding == WANTED[kind] and found.real == there * UNIT
        if kind == "bad":
            continue
        with small():
            quick = quick_look(Scribe(made[1], turn + 1))
        asked += 1
        looks += quick.finding == WANTED[kind] and (kind != "wraps" or quick.real == real * UNIT)
    print(f"full proof right in {proofs} of {number}, quick look in {looks} of {asked}")


if __name__ == "__main__":
    main()
