"""Work that is foretold against work that is played: python -m benchmarks.works [DRIVES] [--seed N].

Drives of the simulated bench with a write cache of 5 to 150 GB (three in four), heat that throttles (a third), noise of 0.3 to 2% from pass to pass and as much from
day to day, soaked for 20 minutes and measured; then 20 GB to 1.5 TB are written in one go, from cold and fresh, on another day.  How often the 90% interval holds the
played time, how far the middle is off, and how far size over the best rate would have been.
"""

from __future__ import annotations

import argparse
import random
import statistics
import tempfile
from pathlib import Path

from ulterion.core.workloads.workload import parse_workload
from ulterion.features.estimate.transfer_time import moving
from ulterion.features.measure.run import measure
from ulterion.features.soak.run import soak
from ulterion.model.runs.soak import SoakPlan
from ulterion.model.store import ReviewFolder
from ulterion.results.pooling import runs_for_results
from ulterion.run.observers import Observer
from ulterion.run.place import Place
from ulterion.run.requests import MeasureRequest, SoakRequest
from ulterion.sim.bench import load_bench
from ulterion.sim.target import SimTarget

LARGE = parse_workload("sequential write 4 MiB depth 4")
REVIEW = """
schema = 2
[ports.slot]
link = "PCIe 4.0 x4"
[parts.drive]
name = "A drive"
kind = "drive"
[setups.one]
chain = ["slot", "drive"]
target = "sim:bench.toml"
"""


def bench_of(rng: random.Random) -> tuple[str, float]:
    """Return the text of a bench, and its spread from day to day."""
    write = rng.uniform(300, 4000)
    noise = rng.uniform(0.003, 0.02)
    lines = [
        f'capacity = "4 TB"\nread = "{write * 1.1:.0f} MB/s"\nwrite = "{write:.0f} MB/s"\nnoise = "{noise * 100:.2f}%"\nsmall_noise = "2%"'
    ]
    if rng.random() < 0.75:
        after = write * rng.uniform(0.15, 0.7)
        lines.append(
            f'cache = "{rng.uniform(5, 150):.0f} GB"\nafter_cache = "{after:.0f} MB/s"\nfold = "{after:.0f} MB/s"'
        )
    if rng.random() < 0.33:
        lines.append(
            f'[parts.drive.heat]\nidle = "0.5 W"\nawake = "1.8 W"\nwriting = "{rng.uniform(3, 6):.1f} W"\nreading = "3 W"\ncapacity = "{rng.uniform(8, 25):.0f} J/K"\n'
            f'to_case = "4 K/W"\nthrottles_at = "{rng.uniform(60, 75):.0f} °C"\nresumes_at = "55 °C"\nthrottled = "{write * 0.1:.0f} MB/s"\nlimit = "80 °C"\nstep = 0.1'
        )
    head = f'schema = 2\n[bench]\nhost = "b"\nseed = {rng.randrange(1, 9999)}\nepoch = 2026-01-01T00:00:00Z\nroom = "21 °C"\n[ports.slot]\nlink = "PCIe 4.0 x4"\n[parts.drive]\n'
    return head + "\n".join(lines) + "\n", noise


def one(rng: random.Random, folder: Path) -> tuple[float, float, float, float, float]:
    """Return seconds foretold, low, high, played, and by the best rate alone."""
    text, noise = bench_of(rng)
    (folder / "review.toml").write_text(REVIEW)
    (folder / "bench.toml").write_text(text)
    review = ReviewFolder.open(folder)
    place = Place(review, folder, None, "one")
    measure(MeasureRequest(place, "test", [LARGE], 4, 1.0), Observer())
    plan = SoakPlan(idle=None, load_seconds=1200.0, cool=0.0)
    soak(SoakRequest(place, parse_workload("sequential write 1 MiB depth 4"), plan), Observer())
    size = round(10 ** rng.uniform(10.3, 12.2))
    (row,) = moving(review.review, runs_for_results(ReviewFolder.open(folder)), size, "write")
    assert row.work is not None and row.naive is not None
    chain = SimTarget(load_bench(folder / "bench.toml"), ["slot", "drive"], "one", "sim:bench.toml", 4 * 10**12)
    chain.move(LARGE, 0, size)
    played = chain.elapsed * rng.lognormvariate(0, noise)
    return row.work.seconds, row.work.low, row.work.high, played, row.naive


def main() -> None:
    """Print it."""
    parser = argparse.ArgumentParser()
    parser.add_argument("drives", nargs="?", type=int, default=300)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    told = []
    for number in range(asked.drives):
        with tempfile.TemporaryDirectory() as name:
            told.append(one(random.Random(asked.seed * 10_000 + number), Path(name)))
    held = sum(low <= played <= high for _, low, high, played, _ in told)
    off = [abs(seconds / played - 1) for seconds, _, _, played, _ in told]
    naive = [abs(best / played - 1) for _, _, _, played, best in told]
    print(f"the 90% interval holds the played time in {held} of {len(told)} ({100 * held / len(told):.1f}%)")
    print(f"off by {100 * statistics.median(off):.1f}% in the middle, by more than 20% in {sum(o > 0.2 for o in off)}")
    print(
        f"size over the best rate: {100 * statistics.median(naive):.1f}% in the middle, by more than 20% in {sum(o > 0.2 for o in naive)}"
    )


if __name__ == "__main__":
    main()
