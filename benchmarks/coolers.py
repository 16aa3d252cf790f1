"""Whether two coolers are told apart while still warming up, on made-up pairs of soaks whose truth is known.

    python -m benchmarks.coolers [PAIRS]

The coolers are a chain of two bodies with resistances of their own, stepped twice a second; rate, write cache, heat and
room are drawn anew for each pair.  In half of the pairs both loads are alike, in the others one falls earlier or by more.  Prints how
often the 95% interval holds the true difference, and how often a comparison is refused.
"""

from __future__ import annotations

import sys
from dataclasses import dataclass

import numpy as np

from ulterion.core.soak.same_load import at_the_same_moment
from ulterion.core.soak.trace import LOAD, Phase, Trace

PAIRS = 400
SECONDS, STEPS = 900, 2  # of a load; steps of a second
MARGIN = 0.03


@dataclass(frozen=True)
class Cooler:
    """A drive in a cooler: heat of the drive and of the case (J/K), and what they let through (K/W)."""

    drive: float
    case: float
    to_case: float
    to_room: float


def rates(rng: np.random.Generator, *, cache: float | None, fast: float, slow: float) -> np.ndarray:
    """Return the rate of each second: fast until the cache is full, then slow, with noise."""
    moved, made = 0.0, []
    for _ in range(SECONDS):
        rate = (fast if cache is None or moved < cache else slow) * (1 + rng.normal(0, 0.01))
        moved += rate
        made.append(rate)
    return np.array(made)


def warmed(cooler: Cooler, rate: np.ndarray, room: float, watts: tuple[float, float], start: float) -> np.ndarray:
    """Return the true temperature of the drive in each second."""
    idle, per_byte = watts
    drive, case = start, room + (start - room) * cooler.to_room / (cooler.to_case + cooler.to_room)
    made = []
    for now in rate:
        for _ in range(STEPS):
            out = (drive - case) / cooler.to_case
            drive += (idle + per_byte * now - out) / cooler.drive / STEPS
            case += (out - (case - room) / cooler.to_room) / cooler.case / STEPS
        made.append(drive)
    return np.array(made)


def pair(rng: np.random.Generator) -> tuple[Trace, Trace, tuple[float, float], float, bool]:
    """Return two soaks, their rooms, the true difference of the rise at the end, and whether the loads were alike."""
    alike = bool(rng.random() < 0.5)
    fast = float(np.exp(rng.uniform(np.log(3e8), np.log(4e9))))
    cache = None if rng.random() < 0.3 else fast * rng.uniform(60, 700)
    slow = fast * rng.uniform(0.15, 0.8)
    watts = (rng.uniform(0.5, 1.5), rng.uniform(3, 8) / fast)
    step, start_by = rng.choice([1.0, 1.0, 0.1]), rng.uniform(0, 4)
    truths, traces, rooms = [], [], []
    for number in range(2):
        cooler = Cooler(rng.uniform(20, 60), rng.uniform(60, 400), rng.uniform(1, 4), rng.uniform(1.5, 7))
        room = 21.0 + (0 if rng.random() < 0.5 else rng.normal(0, 1.5))
        mine = cache if alike or number == 0 or cache is None else cache * rng.uniform(0.3, 0.8)
        then = slow if alike or number == 0 or cache is not None else fast * rng.uniform(0.5, 0.9)
        rate = rates(rng, cache=mine, fast=fast if alike or number == 0 or cache is not None else then, slow=slow)
        start = room + watts[0] * (cooler.to_case + cooler.to_room) + start_by * rng.random()
        true = warmed(cooler, rate, room, watts, start)
        read = np.round((true + rng.normal(0, 0.05, SECONDS)) / step) * step
        traces.append(
            Trace(
                np.arange(SECONDS, dtype=float),
                np.ones(SECONDS),
                rate,
                {"drive": read},
                (Phase(LOAD, 0.0, float(SECONDS)),),
            )
        )
        truths.append(float(true[-60:].mean()) - room)
        rooms.append(
            room if room == 21.0 else round(room + rng.normal(0, 0.07), 1)
        )  # two thermometers never agree quite
    return traces[0], traces[1], (rooms[0], rooms[1]), truths[0] - truths[1], alike


def main(pairs: int = PAIRS) -> None:
    """Print the shares."""
    rng = np.random.default_rng(34)
    told = held = refused = could = wrongly = 0
    for _ in range(pairs):
        one, other, rooms, truth, alike = pair(rng)
        found = at_the_same_moment(one, other, rooms, MARGIN)
        could += alike
        refused += alike and found is None
        wrongly += not alike and found is not None
        if found is not None and alike:
            told += 1
            held += found.warmer.low <= truth <= found.warmer.high
    print(f"alike: {could}; refused {refused} ({100 * refused / could:.1f}%, wanted: at most 5%)")
    print(f"the 95% interval holds the truth in {held} of {told} ({100 * held / told:.1f}%, wanted: 92 to 98%)")
    print(f"not alike: {pairs - could}; compared all the same {wrongly} ({100 * wrongly / (pairs - could):.1f}%)")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else PAIRS)
