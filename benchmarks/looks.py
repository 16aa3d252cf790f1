"""What passes until sure come to: python -m benchmarks.looks [RUNS] [--seed N].

Runs of one workload, 4 passes and then until sure within 2%, 30 at most, at a noise of 0.2 to 5 times that: how many stop as sure, after how
many passes, how often the truth lies within the 2% that were promised, and within the interval shown.
"""

from __future__ import annotations

import argparse
import math

import numpy as np

from ulterion.core.stats.estimates import estimate
from ulterion.core.stats.peeking import half_width_under_peeking
from ulterion.core.stats.samples import Looked

FIRST, MOST, SURE = 4, 30, 0.02


def main() -> None:
    """Run, count, print."""
    parser = argparse.ArgumentParser()
    parser.add_argument("runs", nargs="?", type=int, default=4000)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    rng = np.random.default_rng(options.seed)
    print(
        "| noise of a pass | stop as sure | passes | truth within 2%, of those | within the interval, of those | of all |\n|---:|---:|---:|---:|---:|---:|"
    )
    for noise in (0.004, 0.01, 0.014, 0.02, 0.03, 0.04, 0.06, 0.1):
        stopped = within = held = held_all = passes = 0
        for _ in range(options.runs):
            rates = list(np.exp(rng.normal(0.0, noise, FIRST)))
            while not (sure := (half_width_under_peeking(rates) or 1.0) <= SURE) and len(rates) < MOST:
                rates.append(math.exp(rng.normal(0.0, noise)))
            found = estimate(Looked.of(rates, FIRST))
            holds = found.low is not None and found.high is not None and found.low <= 1 <= found.high
            stopped, passes, held_all = stopped + sure, passes + len(rates), held_all + holds
            within, held = within + (sure and abs(found.rate - 1) <= SURE), held + (sure and holds)
        of = [f"{n / stopped * 100:.0f}%" if stopped >= 20 else "-" for n in (within, held)]
        print(
            f"| {noise * 100:g}% | {stopped / options.runs * 100:.1f}% | {passes / options.runs:.1f} | {of[0]} | {of[1]} | {held_all / options.runs * 100:.1f}% |"
        )


if __name__ == "__main__":
    main()
