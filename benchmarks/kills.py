"""kill -9 over `ulterion measure`, at random times and at chosen calls: python -m benchmarks.kills [FOLDER] [--random N] [--chosen N].

A chosen kill falls just before or just after the n-th call of a function that matters: between a rename and the sync of its
folder, in a fork, while the test file is laid down, in a flush, while a test file with a name is made.  In some rounds a note
is left for the run before the kill.  After each kill the next start must find every finished pass that the journal held
and every note, leave neither test file nor scratch, and load every run.
"""

from __future__ import annotations

import argparse
import json
import random
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.engine.targets.test_file import PREFIX
from ulterion.features.notes.attach import note_words
from ulterion.model.runs.measure import MeasureRun
from ulterion.model.store import ReviewFolder

PROGRAM = Path(sys.executable).with_name("ulterion")
COMMAND = ["measure", "drive", "--workload", "random read 4 KiB depth 4", "--workload", "random write 4 KiB",
           "--seconds", "0.05", "--span", "16 MiB"]  # fmt: skip
ENDLESS, SHORT = ["--passes", "200"], ["--passes", "2"]
CALLS = {  # what is called, and whom the kill hits there: the program itself ('me'), or the one that watches a child ('parent')
    "pathlib:Path.replace": ("me", 4), "os:fsync": ("me", 12), "os:fork": ("me", 10), "pathlib:Path.unlink": ("me", 6),
    "ulterion.engine.targets.base:_lay": ("parent", 1), "ulterion.engine.targets.base:flush_to_medium": ("parent", 3),
    "ulterion.engine.targets.test_file:mark_of": ("parent", 2), "ulterion.engine.targets.test_file:_create": ("parent", 1),
    "os:ftruncate": ("parent", 1), "ulterion.model.store:take_notes": ("me", 1), "ulterion.model.store:forget_notes": ("me", 1),
    "ulterion.model.journal:Journal.add": ("me", 4), "ulterion.engine.targets.base:join": ("me", 4),
}  # fmt: skip
DRIVER = """
import importlib, mmap, os, signal, sys
where, nth, late, whom, named, *words = sys.argv[1:]
module, _, path = where.partition(":")
*owners, name = path.split(".")
owner = importlib.import_module(module)
for part in owners:
    owner = getattr(owner, part)
real, calls = getattr(owner, name), mmap.mmap(-1, 8)
first = os.getpid()
def dying(*rest, **more):
    calls[0] += 1
    mine = calls[0] == int(nth)
    victim = first if whom == "parent" else os.getpid()
    if mine and late == "0":
        os.kill(victim, signal.SIGKILL)
    result = real(*rest, **more)
    if mine and late == "1" and (name != "fork" or result):
        os.kill(victim, signal.SIGKILL)
    return result
import ulterion.features.measure.run
setattr(owner, name, dying)
if named == "1":
    from ulterion.engine.targets import test_file as testfile
    testfile._nameless = lambda folder: None
from ulterion.cli.main import main
sys.exit(main(words))
"""


@dataclass
class Tally:
    """What all rounds came to."""

    rounds: int = 0
    with_journal: int = 0
    passes: int = 0
    notes: int = 0


def kept_lines(review: Path) -> dict[str, int]:
    """Return how many whole passes each journal holds."""
    found = {}
    for journal in (review / "runs").glob("*.journal"):
        lines = journal.read_bytes().split(b"\n")[:-1]
        found[journal.stem] = sum(1 for line in lines[1:] if b'"pass"' in line and json.loads(line))
    return found


def noted(review: Path, text: str) -> str | None:
    """Leave a note for the run that goes on; return its run's id once it was said to be kept."""
    try:
        told = note_words(ReviewFolder.open(review), text, None, None)
    except UsageError:
        return None
    return str(told["where"]).rpartition("-")[2] if "in progress" in str(told["where"]) else None


def after(review: Path, tally: Tally, note: tuple[str, str] | None = None) -> list[str]:
    """Look at a review after a kill; return what is wrong."""
    held = kept_lines(review)
    opened = ReviewFolder.open(review)
    runs = {path.stem for path in (review / "runs").glob("*.json")}
    loaded = {run.id: run for run in opened.runs()}
    faults = [f"set aside: {n}" for n in opened.notices if "finished passes are kept" not in n]
    for stem, count in held.items():
        run = loaded.get(stem.rpartition("-")[2])
        if stem not in runs or run is None:
            faults.append(f"lost: {stem}")
        elif not isinstance(run, MeasureRun) or sum(len(w.passes) for w in run.workloads) != count:
            faults.append(f"{stem}: {count} passes were held")
    if note is not None and (note[0] not in loaded or [n.text for n in loaded[note[0]].notes].count(note[1]) != 1):
        faults.append(f"the note '{note[1]}' on {note[0]} is not there once")
    left = [*(review / "drive").iterdir(), *(review / "runs").glob("*.journal"), *(review / "runs").glob("*.notes"),
            *(review / "runs").glob(".*.new")]  # fmt: skip
    faults += [f"left behind: {p.name}" for p in left if p.parent.name != "drive" or p.name.startswith(PREFIX)]
    tally.rounds += 1
    tally.with_journal += int(any(held.values()))
    tally.passes += sum(held.values())
    tally.notes += note is not None
    return faults


def sweep_of(review: Path) -> None:
    """Start a short measurement, which sweeps what a kill left on the drive."""
    subprocess.run([str(PROGRAM), *COMMAND, "--passes", "1"], cwd=review, capture_output=True, check=True)


def random_kill(review: Path, rng: random.Random, tally: Tally) -> list[str]:
    """Kill a run at a random time, in one of three rounds with a note left for it before."""
    note = None
    with subprocess.Popen(
        [str(PROGRAM), *COMMAND, *ENDLESS], cwd=review, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    ) as process:
        time.sleep(rng.uniform(0.3, 2.5))
        if rng.random() < 0.3:
            text = f"note {rng.random()}"
            run = noted(review, text)
            note = (run, text) if run is not None else None
            time.sleep(rng.uniform(0, 0.2))
        process.kill()
        process.wait()
    return after(review, tally, note)


def chosen_kill(review: Path, rng: random.Random, tally: Tally) -> list[str]:
    """Kill a run at a chosen call."""
    where = rng.choice(list(CALLS))
    whom, most = CALLS[where]
    nth, late = str(rng.randint(1, most)), rng.choice("01")
    named = "1" if "testfile" in where or "ftruncate" in where else rng.choice("01")
    words = [sys.executable, "-c", DRIVER, where, nth, late, whom, named, *COMMAND, *SHORT]
    done = subprocess.run(words, cwd=review, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True, check=False)
    faults = [] if done.returncode in (0, -9, 130) else [f"ended with {done.returncode}: {done.stderr[-300:]}"]
    if named == "1":
        sweep_of(review)
    return [f"{where} {nth} {late}: {fault}" for fault in [*faults, *after(review, tally)]]


def rounds(
    count: int, kill: Callable[[Path, random.Random, Tally], list[str]], folder: Path | None
) -> tuple[Tally, list[str]]:
    """Run many rounds in a review of their own, new every hundred; return the tally and what was wrong."""
    rng, tally, faults = random.Random(1), Tally(), []
    while tally.rounds < count:
        with tempfile.TemporaryDirectory(dir=folder) as scratch:
            review = Path(scratch)
            (review / "drive").mkdir()
            (review / "review.toml").write_text("schema = 2\n")
            for _ in range(min(100, count - tally.rounds)):
                faults += kill(review, rng, tally)
    return tally, faults


def main() -> None:
    """Kill, look, count."""
    parser = argparse.ArgumentParser()
    parser.add_argument("folder", nargs="?", type=Path)
    parser.add_argument("--random", type=int, default=200)
    parser.add_argument("--chosen", type=int, default=300)
    options = parser.parse_args()
    for name, count, kill in (("random", options.random, random_kill), ("chosen", options.chosen, chosen_kill)):
        tally, faults = rounds(count, kill, options.folder)
        print(f"{tally.rounds} {name} kills, {tally.with_journal} with finished passes; {tally.passes} passes and {tally.notes} notes held, "
              f"{len(faults)} faults", flush=True)  # fmt: skip
        print("\n".join(faults))


if __name__ == "__main__":
    main()
