"""Memories that answer for more than they have, bad ones and honest ones: how often the proof and the quick look are right.

    python -m benchmarks.fakes [NUMBER]

First small memories that keep every byte, then chains of the simulated bench of 2 GB to 4 TB.  A quarter each wraps round at some size, swallows from
some place on, has a few bad places, or is honest.  The quick look promises nothing of bad places.
"""

from __future__ import annotations

import random
import sys
from collections.abc import Callable

from tests.features.test_capacity import Memory, small

from ulterion.core.capacity import UNIT, Capacity, Tally, proven
from ulterion.engine.capacity.proof import Hand, Scribe, quick_look
from ulterion.sim.bench import About, BadArea, SimBench, SimPart
from ulterion.sim.proving import SimHand
from ulterion.sim.target import SimTarget

WANTED = {"wraps": "wraps", "swallows": "swallows", "bad": "bad areas", "honest": "whole"}
Made = Callable[[str, int, int, list[int], int], Hand]
"""Kind, units, real units, bad units, key."""


def full(hand: Hand) -> Capacity:
    """Write a memory all over and read it back."""
    tally, units = Tally(), hand.size // UNIT
    hand.write(0, units)
    hand.flush()
    hand.check(0, units, tally)
    return proven(tally, hand.size, units)


def kept(kind: str, units: int, real: int, bad: list[int], key: int) -> Hand:
    """Return a memory that keeps every byte."""
    return Scribe(Memory(units, real, "honest" if kind == "bad" else kind, frozenset(bad)), key)


def simulated(kind: str, units: int, real: int, bad: list[int], key: int) -> Hand:
    """Return a chain of the simulated bench."""
    part = SimPart.made_of(
        read=1e9, write=1e9, capacity=units * UNIT, swallows=kind == "swallows",
        real_capacity=real * UNIT if kind in ("wraps", "swallows") else None,
        bad_areas=[BadArea.made_of(at=b * UNIT, size=UNIT) for b in bad],
    )  # fmt: skip
    about = About.from_data({"host": "bench", "seed": key, "epoch": "2026-01-01T00:00:00Z"})
    bench = SimBench.from_data({"schema": 1, "bench": about, "parts": {"drive": part}})
    return SimHand(SimTarget(bench, ["drive"], None, "sim:bench", units * UNIT), lambda count: None)


def right(number: int, made: Made, sizes: Callable[[random.Random], int]) -> str:
    """Return in words how many were judged right."""
    rng, proofs, looks, asked = random.Random(1), 0, 0, 0
    for turn in range(number):
        kind, units = list(WANTED)[turn % len(WANTED)], sizes(rng)
        real = rng.randrange(units // 50, units - 1)
        bad = sorted(rng.sample(range(units), 7)) if kind == "bad" else []
        there = {"honest": units, "bad": units - len(bad)}.get(kind, real)
        found = full(made(kind, units, real, bad, turn + 1))
        proofs += found.finding == WANTED[kind] and found.real == there * UNIT
        if kind == "bad":
            continue
        quick = quick_look(made(kind, units, real, bad, turn + 1))
        asked += 1
        looks += quick.finding == WANTED[kind] and (kind != "wraps" or quick.real == real * UNIT)
    return f"full proof right in {proofs} of {number}, quick look in {looks} of {asked}"


def main() -> None:
    """Print how many were judged right."""
    number = int(sys.argv[1]) if len(sys.argv) > 1 else 400
    with small():
        print(f"every byte kept: {right(number, kept, lambda rng: rng.randrange(2000, 9000))}")
    print(f"simulated bench: {right(number, simulated, lambda rng: round(10 ** rng.uniform(9.3, 12.6)) // UNIT)}")


if __name__ == "__main__":
    main()
