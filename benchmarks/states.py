"""Whether the figures of a drive are of one state: python -m benchmarks.states [DRIVES] [--seed N].

Random drives on the simulated bench: a cache of 2 to 200 GB, writes after it at 0.1 to 0.8 of the rate, emptied at some rate or not,
noise of 0.3 to 3%; two in five also throttle by heat, with or without counting it.  Each is measured by every suite that has large
writes, in passes of three lengths, its workloads in three orders.  Counted, for the large writes: figures that are named and within
3% of that state's truth (and twice the drive's own noise over the root of the passes), figures without a name that are of one
state, and figures that are of neither.
"""

from __future__ import annotations

import argparse
import itertools
import random
import tempfile
from collections import Counter
from dataclasses import dataclass
from pathlib import Path

from ulterion.core.stats.estimates import estimate
from ulterion.core.workloads.suites import SUITES
from ulterion.features.measure.run import measure
from ulterion.model.runs.measure import MeasureRun
from ulterion.model.store import ReviewFolder
from ulterion.run.observers import Observer
from ulterion.run.place import Place
from ulterion.run.requests import MeasureRequest, TargetOptions

REVIEW = """schema = 2
[ports.slot]
link = "PCIe 4.0 x4"
[parts.drive]
name = "Drive"
kind = "drive"
[setups.direct]
chain = ["slot", "drive"]
target = "sim:bench.toml"
baseline = true
"""
LENGTHS = (1.0, 4.0, 12.0)
CLOSE = 0.03


@dataclass(frozen=True)
class Drive:
    """A bench file, and the truth: bytes per second by state, and the noise, a ratio."""

    text: str
    truth: dict[str, float]
    noise: float


def drive(rng: random.Random) -> Drive:
    """Return a random drive."""
    noise = rng.uniform(0.3, 3)
    write, share, cache = rng.uniform(400, 6000), rng.uniform(0.1, 0.8), 2 * 100 ** rng.random()
    fold = f'fold = "{rng.uniform(0.05, 0.9) * write:.0f} MB/s"\n' if rng.random() < 0.5 else ""
    truth = {"cached": write * 1e6, "after the cache": write * share * 1e6}
    heat = ""
    if rng.random() < 0.4:
        slow = write * rng.uniform(0.05, 0.5)
        truth["throttled"] = slow * 1e6
        at = rng.uniform(60, 85)
        heat = (
            f'[parts.drive.heat]\nidle = "1 W"\nawake = "{rng.uniform(1, 4):.1f} W"\nwriting = "{rng.uniform(2, 12):.1f} W"\n'
            f'reading = "2 W"\ncapacity = "{rng.uniform(3, 20):.1f} J/K"\nto_case = "{rng.uniform(2, 6):.1f} K/W"\n'
            f'throttles_at = "{at:.0f} °C"\nresumes_at = "{at - rng.uniform(3, 15):.0f} °C"\nthrottled = "{slow:.1f} MB/s"\n'
            f'limit = "{at + rng.choice([0, 1, 5]):.0f} °C"\ncounters = {rng.choice(["true", "false"])}\n'
        )
    text = (
        f'schema = 2\n[bench]\nhost = "b"\nseed = {rng.randrange(10**6)}\nepoch = 2026-01-01T00:00:00Z\n'
        '[ports.slot]\nlink = "PCIe 4.0 x4"\n[parts.drive]\nlink = "PCIe 4.0 x4"\ncapacity = "1 TB"\n'
        f'read = "6800 MB/s"\nwrite = "{write:.1f} MB/s"\ncache = "{cache:.1f} GB"\nafter_cache = "{write * share:.1f} MB/s"\n'
        f'{fold}noise = "{noise:.2f}%"\nread_wait = "60 µs"\nwrite_wait = "20 µs"\nparallel = 32\n{heat}'
    )
    return Drive(text, truth, noise / 100)


def figures(folder: ReviewFolder, suite: str, seconds: float, order: int, seed: int) -> MeasureRun:
    """Measure the drive by a suite, its workloads in one of three orders."""
    place = Place(folder, folder.path, None, "direct")
    workloads = list(SUITES[suite].workloads)
    workloads = [workloads, workloads[::-1], random.Random(seed).sample(workloads, len(workloads))][order]
    return measure(MeasureRequest(place, suite, workloads, 5, seconds, TargetOptions(seed=seed)), Observer()).run


def word_of(state: str | None, rate: float, truth: dict[str, float], own: float) -> str:
    """Return whether a figure is of the state that it is said to be of."""
    close = [name for name, true in truth.items() if abs(rate / true - 1) < CLOSE + 2 * own]
    if state is None:
        return "without a name, of one state" if close else "without a name, OF NEITHER"
    return f"{state}, true" if state in close else f"{state}, WRONG"


def main() -> None:
    """Make drives, measure, count."""
    parser = argparse.ArgumentParser()
    parser.add_argument("drives", nargs="?", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    tally = Counter[str]()
    suites = [s for s, suite in SUITES.items() if any(w.name == "sequential-write" for w in suite.workloads)]
    for number in range(options.drives):
        one = drive(random.Random(options.seed * 10_007 + number))
        for suite, seconds, order in itertools.product(suites, LENGTHS, range(3)):
            with tempfile.TemporaryDirectory() as scratch:
                (Path(scratch) / "bench.toml").write_text(one.text)
                (Path(scratch) / "review.toml").write_text(REVIEW)
                run = figures(ReviewFolder.open(Path(scratch)), suite, seconds, order, number)
            (record,) = [w for w in run.workloads if w.workload.name == "sequential-write"]
            tally["no figure"] += not record.figures
            for figure in record.figures:
                found = estimate([p.rate for p in figure.passes])
                own = one.noise / len(figure.passes) ** 0.5
                tally[word_of(figure.passes[0].state, found.rate, one.truth, own)] += 1
    total = sum(tally.values())
    for word, count in tally.most_common():
        print(f"{word:<32} {count:>5}  {count / total * 100:5.1f}%")


if __name__ == "__main__":
    main()
