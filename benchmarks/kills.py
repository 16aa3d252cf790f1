"""kill -9 at random times over `ulterion measure`: python -m benchmarks.kills [FOLDER] [--kills N].

After each kill the next start must find every finished pass that the journal held, leave no test file, and load every run.
"""

from __future__ import annotations

import argparse
import json
import random
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from ulterion.engine.testfile import PREFIX
from ulterion.model.store import ReviewFolder

PROGRAM = Path(sys.executable).with_name("ulterion")
COMMAND = ["measure", "drive", "--workload", "random read 4 KiB depth 4", "--workload", "random write 4 KiB", "--passes", "200",
           "--seconds", "0.05", "--span", "16 MiB"]  # fmt: skip


def kept_lines(review: Path) -> dict[str, int]:
    """Return how many whole passes each journal holds."""
    found = {}
    for journal in (review / "runs").glob("*.journal"):
        lines = journal.read_bytes().split(b"\n")[:-1]
        found[journal.stem] = sum(1 for line in lines[1:] if b'"pass"' in line and json.loads(line))
    return found


def one_kill(review: Path, wait: float) -> tuple[int, list[str]]:
    """Start a run, kill it after `wait` seconds; return the passes kept and what was wrong."""
    with subprocess.Popen(
        [str(PROGRAM), *COMMAND], cwd=review, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    ) as process:
        time.sleep(wait)
        process.kill()
        process.wait()
    held = kept_lines(review)
    opened = ReviewFolder.open(review)
    runs = {f"{path.stem}": path for path in (review / "runs").glob("*.json")}
    loaded = {run.id: run for run in opened.runs()}
    faults = [f"set aside: {n}" for n in opened.notices if "finished passes are kept" not in n]
    for stem, count in held.items():
        run = loaded.get(stem.rpartition("-")[2])
        if stem not in runs or run is None:
            faults.append(f"lost: {stem}")
        elif sum(len(w.passes) for w in run.workloads) != count:
            faults.append(f"{stem}: {count} passes were held")
    faults += [f"left behind: {p.name}" for p in (review / "drive").iterdir() if p.name.startswith(PREFIX)]
    faults += [f"left behind: {p.name}" for p in (review / "runs").glob("*.journal")]
    return sum(held.values()), faults


def main() -> None:
    """Kill, look, count."""
    parser = argparse.ArgumentParser()
    parser.add_argument("folder", nargs="?", type=Path)
    parser.add_argument("--kills", type=int, default=200)
    options = parser.parse_args()
    rng, passes, with_journal, faults = random.Random(1), 0, 0, []
    with tempfile.TemporaryDirectory(dir=options.folder) as scratch:
        review = Path(scratch)
        (review / "drive").mkdir()
        (review / "review.toml").write_text("schema = 1\n")
        for _ in range(options.kills):
            kept, wrong = one_kill(review, rng.uniform(0.3, 2.5))
            passes, with_journal = passes + kept, with_journal + (kept > 0)
            faults += wrong
    print(f"{options.kills} kills, {with_journal} with finished passes; {passes} passes held, {len(faults)} faults")
    print("\n".join(faults))


if __name__ == "__main__":
    main()
