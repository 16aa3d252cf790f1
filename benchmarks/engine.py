"""The engine against a loop of C on the same file or raw device: python -m benchmarks.engine [PATH].

The reference (loop.c) is compiled on the spot.  Each figure comes from pairs of passes run in turn, ours and the
reference's, so that a machine whose speed drifts does not favour either; the median of the paired ratios is shown.
Without a FILE one of 512 MiB is made in memory-backed storage where there is some.
"""

from __future__ import annotations

import argparse
import os
import statistics
import subprocess
import sys
import tempfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from ulterion.core.workloads.passes import PassResult
from ulterion.core.workloads.workload import parse_workload
from ulterion.engine.requests.calibration import own_cost
from ulterion.engine.targets.device import is_device
from ulterion.engine.targets.plain_file import FileTarget
from ulterion.run.overwrite_guard import Overwrite, open_device

SOURCE = Path(__file__).with_name("loop.c")
SIZE = 512 * 2**20
Row = tuple[str, str, str, str]


@dataclass(frozen=True)
class Figures:
    """One pass: requests a second, processor seconds a request, median latency in seconds."""

    rate: float
    cpu: float
    median: float


def ours(path: Path, words: str, seconds: float, workers: int | None = 1) -> Figures:
    """Run one pass of the engine; `workers` None for as many as are needed."""
    own_cost()  # compiled in this process, for its children
    target = open_device(path, Overwrite()) if is_device(path) else FileTarget(path)
    target.workers = workers
    try:
        one: PassResult = target.run_pass(parse_workload(words).settled(seconds, target.span_bytes), os.getpid())
    finally:
        target.close()
    return Figures(one.requests / one.seconds, (one.cpu_seconds or 0) / one.requests, one.latency.percentile(50))


def reference(loop: Path, path: Path, mode: str, block: int, depth: int, *, seconds: float) -> Figures:
    """Run one pass of the loop of C."""
    command = [str(loop), str(path), mode, str(block), str(depth), str(seconds), "1"]
    told = subprocess.run(command, check=True, capture_output=True, text=True).stdout.split()
    requests, elapsed, cpu, median = (float(t) for t in told)
    return Figures(requests / elapsed, cpu / requests, median / 1e9)


def paired(rounds: int, first: Callable[[], Figures], second: Callable[[], Figures]) -> list[tuple[Figures, Figures]]:
    """Run both in turn, `rounds` times after one that is not counted."""
    return [(first(), second()) for _ in range(rounds + 1)][1:]


def row(
    what: str, pairs: Sequence[tuple[Figures, Figures]], value: Callable[[Figures, Figures], float], wanted: str
) -> Row:
    """Return a row: what, the median over the pairs, the middle half of them, and what is wanted."""
    values = sorted(value(a, b) for a, b in pairs)
    low, high = values[len(values) // 4], values[-1 - len(values) // 4]
    return what, f"{statistics.median(values):.2f}", f"{low:.2f} to {high:.2f}", wanted


def table(loop: Path, path: Path, rounds: int, seconds: float) -> list[Row]:
    """Return the rows of the table."""
    rows = []
    cases = (("1 MiB sequential, 8 in flight", "sequential read 1 MiB depth 8", "ring-sequential", 2**20, 8, ">= 0.98"),
             ("4 KiB random, 32 in flight", "random read 4 KiB depth 32", "ring-random", 4096, 32, ">= 0.95"),
             ("4 KiB random, one at a time", "random read 4 KiB depth 1", "plain-random", 4096, 1, None))  # fmt: skip
    for what, words, mode, block, depth, rate in cases:
        theirs = partial(reference, loop, path, mode, block, depth, seconds=seconds)
        pairs = paired(rounds, partial(ours, path, words, seconds), theirs)
        if rate is not None:
            rows.append(row(f"{what}: rate, ours / C", pairs, lambda a, b: a.rate / b.rate, rate))
        else:
            rows.append(
                row(f"{what}: added to the median wait, us", pairs, lambda a, b: (a.median - b.median) * 1e6, "<= 0.5")
            )
            rows.append(
                row(f"{what}: added to a turn, us", pairs, lambda a, b: (1 / a.rate - 1 / b.rate) * 1e6, "<= 0.6")
            )
        if block == 4096:
            rows.append(
                row(f"{what}: processor time a request, ours / C", pairs, lambda a, b: a.cpu / b.cpu, "<= 1.15")
            )
    for depth in (1, 32):
        words = f"random read 4 KiB depth {depth}"
        workers = paired(rounds, partial(ours, path, words, seconds, 2), partial(ours, path, words, seconds, 1))
        wanted = ">= 1.8 with two free cores"
        rows.append(row(f"two workers / one, {depth} in flight each", workers, lambda a, b: a.rate / b.rate, wanted))
    return [*rows, automatic_row(path, rounds, seconds), memory_row(path, seconds)]


def automatic_row(path: Path, rounds: int, seconds: float) -> Row:
    """Return how lanes that are left to the program do against the best number of them."""
    words = "random read 4 KiB depth 32"

    def best() -> Figures:
        each = [ours(path, f"random read 4 KiB depth {32 // n}", seconds, n) for n in (1, 2)]
        return max(each, key=lambda f: f.rate)

    pairs = paired(rounds, partial(ours, path, words, seconds, None), best)
    return row(
        "workers auto / the best fixed number, 32 in flight in all", pairs, lambda a, b: a.rate / b.rate, ">= 0.95"
    )


def memory_row(path: Path, seconds: float) -> Row:
    """Return how much more memory the largest process needs for a ten times longer pass."""
    words, peaks = "random read 4 KiB depth 32", []
    for length in (seconds / 2, seconds * 5):
        code = (f"from pathlib import Path; import resource; from benchmarks.engine import ours; ours(Path({str(path)!r}), "
                f"{words!r}, {length}); print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)")  # fmt: skip
        told = subprocess.run([sys.executable, "-c", code], check=True, capture_output=True, text=True).stdout
        peaks.append(int(told))
    return (
        "memory of a ten times longer pass",
        f"{(peaks[1] - peaks[0]) / 1024:+.1f} MiB of {peaks[0] / 1024:.0f}",
        "",
        "flat, 220 at most",
    )


def main() -> None:
    """Compile the reference, measure, print the table."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0] if __doc__ else "")
    parser.add_argument("file", nargs="?", type=Path)
    parser.add_argument("--rounds", type=int, default=7)
    parser.add_argument("--seconds", type=float, default=1.0)
    options = parser.parse_args()
    memory = Path("/dev/shm")
    with tempfile.TemporaryDirectory(dir=memory if memory.is_dir() else None) as scratch:
        loop = Path(scratch) / "loop"
        subprocess.run(["cc", "-O2", "-o", str(loop), str(SOURCE)], check=True)
        path = options.file or Path(scratch) / "data"
        if options.file is None:
            with path.open("wb") as out:
                for _ in range(SIZE // 2**24):
                    out.write(os.urandom(2**24))
        rows = table(loop, path, options.rounds, options.seconds)
    width = max(len(what) for what, *_ in rows)
    for what, found, middle, wanted in rows:
        print(f"{what:<{width}}  {found:>18}  {middle:>15}  {wanted}")
    print(
        f"(medians, and the middle half, of {options.rounds} pairs of {options.seconds:g} s on {os.cpu_count()} processors)"
    )


if __name__ == "__main__":
    main()
