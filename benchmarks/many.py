"""A review of many runs: python -m benchmarks.many [RUNS ...]   (default: 1000 10000).

The runs are of the demo's kind: the whole suite, five passes with series and histograms, over six setups.  For `compare`,
`claims`, `note` and a short `measure` the wall time and the greatest memory of the installed program are shown.
"""

from __future__ import annotations

import argparse
import json
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from tests.support import BENCH, REVIEW

from ulterion.core.workloads.suites import DEFAULT_SUITE, SUITES
from ulterion.features.measure.run import measure
from ulterion.model.runs.layout import compact_json
from ulterion.model.store import ReviewFolder
from ulterion.run.observers import Observer
from ulterion.run.place import Place
from ulterion.run.requests import MeasureRequest

PROGRAM = Path(sys.executable).with_name("ulterion")
COMMANDS = (
    ["compare"], ["claims"], ["note", "hum"],
    ["measure", "--setup", "box", "--workload", "random read 4 KiB", "--passes", "3", "--seconds", "0.1"],
)  # fmt: skip
WANTED = {1000: (2.0, 200.0), 10_000: (15.0, None)}
"""Seconds and MiB that `compare` may take, by number of runs."""


def fill(folder: Path, count: int) -> None:
    """Fill a review with copies of one run of each setup, each with its own id and moment."""
    (folder / "review.toml").write_text(REVIEW)
    (folder / "bench.toml").write_text(BENCH)
    review = ReviewFolder.open(folder)
    suite = SUITES[DEFAULT_SUITE]
    made = [measure(MeasureRequest(Place(review, folder, None, setup), suite.name, suite.workloads, 5, 2.0), Observer()).path
            for setup in ("direct", "box")]  # fmt: skip
    texts = [json.loads(path.read_text()) for path in made]
    for number in range(count - len(made)):
        data = texts[number % len(texts)] | {"id": f"{number + 0x100000:06x}"}
        minutes = number + 60
        data["started"] = (
            f"2026-{2 + minutes // 40320:02d}-{1 + minutes // 1440 % 28:02d}T{minutes // 60 % 24:02d}:{minutes % 60:02d}:00.000Z"
        )
        stamp = data["started"].replace("-", "").replace(":", "").partition(".")[0]
        (folder / f"runs/{stamp}Z-measure-{data['setup']}-{data['id']}.json").write_text(compact_json(data))


def timed(words: list[str], folder: Path) -> tuple[float, float]:
    """Run the program; return its seconds and its greatest memory in MiB."""
    begin = time.perf_counter()
    process = subprocess.Popen([str(PROGRAM), *words], cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)
    _, status, usage = os.wait4(process.pid, 0)
    if status:
        raise SystemExit(f"{words} ended with {status}: {process.stderr.read().decode() if process.stderr else ''}")
    return time.perf_counter() - begin, usage.ru_maxrss / 1024


def main() -> None:
    """Fill reviews and time the commands in them."""
    parser = argparse.ArgumentParser()
    parser.add_argument("runs", nargs="*", type=int)
    counts = parser.parse_args().runs or list(WANTED)
    print("| runs | command | seconds | memory, MiB |\n|---|---|---|---|")
    for count in counts:
        with tempfile.TemporaryDirectory() as scratch:
            fill(Path(scratch), count)
            for words in COMMANDS:
                best = min(timed(words, Path(scratch)) for _ in range(3))
                print(f"| {count} | {words[0]} | {best[0]:.2f} | {best[1]:.0f} |", flush=True)
        if count in WANTED:
            print(
                f"wanted of compare at {count}: {WANTED[count][0]:g} s"
                + (f", {WANTED[count][1]:g} MiB" if WANTED[count][1] else "")
            )


if __name__ == "__main__":
    main()
