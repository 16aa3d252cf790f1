"""Whether the figures of a drive with a write cache are of one state: python -m benchmarks.states [DRIVES] [--seed N].

Random drives on the simulated bench: a cache of 2 to 200 GB, writes after it at 0.1 to 0.8 of the rate, emptied at some rate or not,
noise of 0.3 to 3 %.  Each is measured by every suite that has large writes, in passes of three lengths.  Counted, for the large writes:
figures named `cached` or `after the cache` that are within 3 % of the truth (and twice the drive's own noise over the root of the
passes), figures without a name that are of one state, and figures that are of neither.
"""

from __future__ import annotations

import argparse
import random
import tempfile
from collections import Counter
from pathlib import Path

from ulterion.conduct.measure import measure
from ulterion.conduct.observers import Observer
from ulterion.conduct.place import Place
from ulterion.conduct.requests import Access, MeasureRequest
from ulterion.core.stats import estimate
from ulterion.core.suites import SUITES
from ulterion.model.runs.measure import MeasureRun
from ulterion.model.store import ReviewFolder

REVIEW = """schema = 1
[ports.slot]
link = "PCIe 4.0 x4"
[parts.drive]
name = "Drive"
kind = "drive"
[hookups.direct]
chain = ["slot", "drive"]
target = "sim:bench.toml"
direct = true
"""
LENGTHS = (1.0, 4.0, 12.0)
CLOSE = 0.03


def bench(rng: random.Random) -> tuple[str, float, float, float]:
    """Return a bench file, the two rates of its drive, bytes per second, and its noise, a ratio."""
    noise = rng.uniform(0.3, 3)
    write, share, cache = rng.uniform(400, 6000), rng.uniform(0.1, 0.8), 2 * 100 ** rng.random()
    fold = f'fold = "{rng.uniform(0.05, 0.9) * write:.0f} MB/s"\n' if rng.random() < 0.5 else ""
    return (
        f'schema = 1\n[bench]\nhost = "b"\nseed = {rng.randrange(10**6)}\nepoch = 2026-01-01T00:00:00Z\n'
        '[ports.slot]\nlink = "PCIe 4.0 x4"\n[parts.drive]\nlink = "PCIe 4.0 x4"\ncapacity = "1 TB"\n'
        f'read = "6800 MB/s"\nwrite = "{write:.1f} MB/s"\ncache = "{cache:.1f} GB"\nafter_cache = "{write * share:.1f} MB/s"\n'
        f'{fold}noise = "{noise:.2f} %"\nread_wait = "60 us"\nwrite_wait = "20 us"\nparallel = 32\n'
    ), write * 1e6, write * share * 1e6, noise / 100  # fmt: skip


def figures(folder: ReviewFolder, suite: str, seconds: float, seed: int) -> MeasureRun:
    """Measure the drive by a suite."""
    place = Place(folder, folder.path, None, "direct")
    request = MeasureRequest(place, suite, SUITES[suite].workloads, 5, seconds, Access(seed=seed))
    return measure(request, Observer()).run


def word_of(state: str | None, rate: float, fast: float, slow: float, noise: float) -> str:
    """Return whether a figure is of the state that it is said to be of."""
    close = [
        name for name, true in (("cached", fast), ("after the cache", slow)) if abs(rate / true - 1) < CLOSE + 2 * noise
    ]
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
    suites = [s for s, suite in SUITES.items() if any(w.name == "flat-out-write" for w in suite.workloads)]
    for number in range(options.drives):
        text, fast, slow, noise = bench(random.Random(options.seed * 10_007 + number))
        with tempfile.TemporaryDirectory() as scratch:
            (Path(scratch) / "bench.toml").write_text(text)
            (Path(scratch) / "review.toml").write_text(REVIEW)
            folder = ReviewFolder.open(Path(scratch))
            for suite in suites:
                for seconds in LENGTHS:
                    run = figures(folder, suite, seconds, number)
                    (record,) = [w for w in run.workloads if w.workload.name == "flat-out-write"]
                    for one in record.figures:
                        found = estimate([p.rate for p in one.passes])
                        own = noise / len(one.passes) ** 0.5
                        tally[word_of(one.passes[0].state, found.rate, fast, slow, own)] += 1
    total = sum(tally.values())
    for word, count in tally.most_common():
        print(f"{word:<32} {count:>5}  {count / total * 100:5.1f} %")


if __name__ == "__main__":
    main()
