"""Copies by `copy` against the system's own `cp` and `sync`, in turn; what they cost foretold; and memory by the number of files.

    python -m benchmarks.copies [FOLDER] [PAIRS]

The folder (default: a temporary one) holds both ends.  Ours is the time of a pass, sums and flush included, by two workers.
"""

from __future__ import annotations

import os
import random
import resource
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from ulterion.core.transfers.copies import cost_of
from ulterion.engine.copies import onepass, sets
from ulterion.engine.copies.file_pool import FilePool

LARGE, SMALL = ("huge", 1_000_000_000), ("tree", 600_000_000)  # some 20,000 files


@contextmanager
def laid(folder: Path, name: str, total: int, seed: int) -> Iterator[Path]:
    """Make a set, and remove it."""
    top = folder / f"{name}-{seed}"
    sets.lay(os.fsencode(top), sets.plan(name, total, seed))
    os.sync()
    try:
        yield top
    finally:
        shutil.rmtree(top)


def ours(top: Path, target: Path) -> tuple[float, int, int]:
    """Copy by our own means; return seconds, files and bytes."""
    target.mkdir()
    with FilePool(2, 60.0) as workers:
        onepass.drop_cache(workers, [os.fsencode(top)])
        done = onepass.copy_all(workers, [os.fsencode(top)], os.fsencode(target), kernel=True)
    shutil.rmtree(target)
    os.sync()
    return done.seconds, done.files, done.bytes


def theirs(top: Path, target: Path) -> float:
    """Copy by the system's command and flush; return the seconds."""
    target.mkdir()
    with FilePool(1, 60.0) as workers:
        onepass.drop_cache(workers, [os.fsencode(top)])
    start = time.perf_counter()
    subprocess.run(["cp", "-a", str(top), str(target)], check=True)
    subprocess.run(["sync", "-f", str(target)], check=True)
    seconds = time.perf_counter() - start
    shutil.rmtree(target)
    os.sync()
    return seconds


def against(folder: Path, pairs: int) -> None:
    """Print the ratio of rates, the middle of several pairs."""
    print("| what | ours / cp and sync | wanted |\n|---|---:|---:|")
    for (name, total), wanted in ((LARGE, 0.95), (SMALL, 0.9)):
        with laid(folder, name, total, 1) as top:
            ratios = []
            for number in range(pairs):
                turns = [lambda: ours(top, folder / "out")[0], lambda: theirs(top, folder / "out")]
                first, second = (turns[i]() for i in ((0, 1) if number % 2 else (1, 0)))
                ratios.append(second / first if number % 2 else first / second)
        low, _, high = statistics.quantiles(ratios, n=4)
        print(f"| {name}, {total // 10**6} MB | {statistics.median(ratios):.2f} ({low:.2f} to {high:.2f}) | {wanted} |")


def foretold(folder: Path) -> None:
    """Print how near the cost that three sets gave comes to twenty other folders."""
    known = []
    for name, total in (("huge", 400_000_000), ("session", 300_000_000), ("tree", 60_000_000)):
        with laid(folder, name, total, 3) as top:
            known += [_told(ours(top, folder / "out")) for _ in range(3)]
    cost = cost_of(known)
    assert cost is not None
    rng, near, held = random.Random(4), 0, 0
    for number in range(20):
        name = rng.choice(["huge", "session", "tree", "session"])
        total = int(rng.uniform(0.5, 2) * {"huge": 400, "session": 300, "tree": 60}[name]) * 10**6
        with laid(folder, name, total, 100 + number) as top:
            times = [ours(top, folder / "out") for _ in range(3)]  # as many passes as the command makes
            (_, files, size), seconds = times[0], statistics.fmean(t for t, _, _ in times)
        low, high = cost.between(files, size)
        print(f"{name:<8} {seconds:.2f} s, foretold {cost.seconds(files, size):.2f}", flush=True)
        near += abs(seconds / cost.seconds(files, size) - 1) <= 0.15
        held += low <= seconds <= high
    print(
        f"cost: {cost.per_file * 1e6:.0f} µs a file, {cost.rate / 1e6:.0f} MB/s; 20 other folders: within 15% {near}, in the interval {held}"
    )


def _told(done: tuple[float, int, int]) -> tuple[int, int, float]:
    seconds, files, size = done
    return files, size, seconds


def memory(folder: Path) -> None:
    """Print the memory of the program after few files and after many."""
    for total in (18_000_000, 360_000_000):
        with laid(folder, "tree", total, 9) as top:
            _, files, _ = ours(top, folder / "out")
        print(f"{files} files: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024} MiB at most")


def main() -> None:
    """Print all of it."""
    pairs = int(sys.argv[2]) if len(sys.argv) > 2 else 7
    with tempfile.TemporaryDirectory(dir=sys.argv[1] if len(sys.argv) > 1 else None) as name:
        folder = Path(name)
        foretold(folder)
        memory(folder)
        against(folder, pairs)


if __name__ == "__main__":
    main()
