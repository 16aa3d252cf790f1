"""How far from rest is a drive when its rest is over?  python -m benchmarks.rests [DRIVES] [--seed N].

Drives that cool by two bodies (20 to 120 s, and 300 to 2000 s), a quarter of them cold from the beginning, in a room that drifts, seen by a sensor
that lags and moves in whole degrees or tenths.  Counted are the degrees that were really left when a rest ended by itself within 15
minutes, when it was given up, and how often more was left than was said.
"""

from __future__ import annotations

import argparse

import numpy as np

from ulterion.core.arrays import Floats
from ulterion.core.soak.resting import is_at_rest, left_to_settle, stands_still

LONGEST, LOOK = 900, 15  # seconds


def cooling(rng: np.random.Generator) -> tuple[Floats, Floats, float]:
    """Return what a sensor shows over a rest by the second, how far the drive really is from rest, and the sensor's step."""
    at = np.arange(1.0, LONGEST + 1)
    quick, slow = rng.uniform(20, 120), rng.uniform(300, 2000)
    falls = (0.0, 0.0) if rng.random() < 0.25 else (rng.uniform(0, 25), rng.uniform(2, 15))
    left = falls[0] * np.exp(-at / quick) + falls[1] * np.exp(-at / slow)
    keep, step = float(np.exp(-1 / rng.uniform(1, 15))), float(rng.choice([1.0, 0.1]))
    seen = 35 + left + rng.uniform(-1, 1) * at / 3600
    for row in range(1, seen.size):
        seen[row] = keep * seen[row - 1] + (1 - keep) * seen[row]
    return np.round((seen + rng.normal(0, 0.15, seen.size)) / step) * step, left, step


def main() -> None:
    """Rest, count, print."""
    parser = argparse.ArgumentParser()
    parser.add_argument("drives", nargs="?", type=int, default=400)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    rng = np.random.default_rng(options.seed)
    ended: dict[tuple[str, float], list[tuple[float, float]]] = {}
    given_up: list[tuple[float, float]] = []
    for _ in range(options.drives):
        shown, left, step = cooling(rng)
        for name, over in (("stands still", stands_still), ("at rest", is_at_rest)):
            at = next((n for n in range(LOOK, LONGEST + 1, LOOK) if over(np.arange(float(n)), shown[:n])), None)
            if at is not None:
                ended.setdefault((name, step), []).append((float(left[at - 1]), float(at)))
            elif name == "at rest":
                said = left_to_settle(np.arange(float(LONGEST)), shown)
                given_up.append((float(left[-1]), said or 0.0))
    for (name, step), found in sorted(ended.items()):
        degrees, seconds = (np.array(v) for v in zip(*found, strict=True))
        print(f"{name}, steps of {step:g} °C: {len(found)} ended after {np.median(seconds):.0f} s in the middle; "
              f"left {np.median(degrees):.1f} °C in the middle, {np.percentile(degrees, 95):.1f} °C in 95%, {degrees.max():.1f} °C at most")  # fmt: skip
    if given_up:
        more = np.mean([left > said + 0.5 for left, said in given_up])
        print(f"given up after {LONGEST} s: {len(given_up)}; more was left than was said in {more * 100:.0f}%")


if __name__ == "__main__":
    main()
