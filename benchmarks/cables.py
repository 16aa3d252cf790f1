"""Power over a cable against a circuit that is solved otherwise: python -m benchmarks.cables [CABLES] [--seed N].

A cable is taken as a hundred pieces of wire each way, with the resistance of copper from a table of gauges (mm2), and its load is found by stepping: its current is raised
by tiny steps until it draws its watts, or until raising it brings less.  Compared are the volts at its end, the watts lost, and whether the load works at all.
"""

from __future__ import annotations

import argparse
import random

from ulterion.core.estimates.power import Cable

SQUARE_MM = {20: 0.518, 22: 0.326, 24: 0.205, 26: 0.129, 28: 0.0810, 30: 0.0509, 32: 0.0320}
RESISTIVITY = 0.01724  # ohm mm2 / m, annealed copper at 20 °C
PIECES = 100


def played(volts: float, metres: float, gauge: int, watts: float) -> float | None:
    """Return the volts at the far end, or None where the watts never come through."""
    piece = RESISTIVITY * metres / PIECES / SQUARE_MM[gauge]
    amperes, step, best = 0.0, 1e-4, 0.0
    while True:
        amperes += step
        far = volts
        for _ in range(2 * PIECES):  # there and back
            far -= amperes * piece
        if far * amperes >= watts:
            return far
        if far * amperes < best:
            return None
        best = far * amperes


def main() -> None:
    """Print it."""
    parser = argparse.ArgumentParser()
    parser.add_argument("cables", nargs="?", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    rng, worst_volts, worst_watts, wrong = random.Random(asked.seed), 0.0, 0.0, 0
    for _ in range(asked.cables):
        volts, metres, gauge = rng.choice([5.0, 5.0, 12.0]), rng.uniform(0.2, 5), rng.choice(list(SQUARE_MM))
        watts = rng.uniform(0.5, 15)
        cable, truth = Cable.of(metres, gauge, volts), played(volts, metres, gauge, watts)
        found, lost = cable.far_volts(watts), cable.lost(watts)
        edge = abs(watts / cable.most - 1) < 0.01  # tables of gauges are rounded
        wrong += (found is None) != (truth is None) and not edge
        if found is not None and truth is not None and lost is not None and not edge:
            worst_volts = max(worst_volts, abs(found - truth) / truth)
            worst_watts = max(worst_watts, abs(lost - (volts - truth) * watts / truth) / watts)
    print(f"{asked.cables} cables: {wrong} said to work that do not, or the reverse; volts at the end off by {100 * worst_volts:.2f}% "
          f"at most, watts lost by {100 * worst_watts:.2f}% of what is drawn")  # fmt: skip


if __name__ == "__main__":
    main()
