"""The archive at a million results: python -m benchmarks.archives [RESULTS] [--postgres].

Made-up results are put in by the archive's own tables, then a chart's question is asked five times; and 10,000 documents of the demo's kind,
written to a folder, are added by the archive itself.  Memory is the most that the process ever held.
"""

from __future__ import annotations

import argparse
import random
import resource
import statistics
import tempfile
import time
from pathlib import Path

from sqlalchemy.engine import Engine
from tests.support import BENCH, PEAK_READ, REVIEW, simulate

from ulterion.features.archive.adding import add_review
from ulterion.features.archive.opening import opened
from ulterion.features.archive.query import ask, parse_question
from ulterion.features.archive.schema import PARTS, RESULTS, RUNS
from ulterion.model.store import ReviewFolder

EACH = 10  # results of a run
QUESTIONS = (
    "USB 10 Gb/s enclosures, write over 900 MB/s, since 2025",
    "drives, read claimed over 3 GB/s, read under 1 GB/s",
    "read claimed over 100 GB/s",  # which nothing does
    "Maker 77, large read",  # one product of nine hundred
    "maker 77 maker 5 small write",  # two words in a few, two in all
)


def fill(engine: Engine, results: int) -> None:
    """Put made-up runs in, ten results each."""
    rng, lot = random.Random(1), 5000
    for start in range(0, results // EACH, lot):
        keys = [f"{n:064d}" for n in range(start, min(start + lot, results // EACH))]
        with engine.begin() as connection:
            connection.execute(RUNS.insert(), [_run(k, rng) for k in keys])
            connection.execute(PARTS.insert(), [p for k in keys for p in _parts(k, rng)])
            connection.execute(RESULTS.insert(), [r for k in keys for r in _results(k, rng)])
    with engine.begin() as connection:
        connection.exec_driver_sql("ANALYZE")


def _run(key: str, rng: random.Random) -> dict[str, object]:
    link = rng.choice(["USB 5 Gb/s", "USB 10 Gb/s", "USB4 40 Gb/s"])
    started = f"{rng.randint(2018, 2026)}-{rng.randint(1, 12):02d}-{rng.randint(1, 28):02d}T10:00:00+00:00"
    names = ("review", "title", "path", "label", "host")
    return {"key": key, "run": key[-6:], "sum": key, **{n: f"{n} {rng.randint(1, 500)}" for n in names}, "kind": "measure",
            "setup": "h", "system": None, "version": "1", "started": started, "state": "complete", "link": link, "driver": "uas",
            "filesystem": "ext4", "baseline": False}  # fmt: skip


def _parts(key: str, rng: random.Random) -> list[dict[str, object]]:
    kinds = ("enclosure", "drive") if rng.random() < 0.5 else ("reader", "card")
    return [
        {
            "key": key,
            "place": i,
            "name": f"Maker {rng.randint(1, 900)}",
            "kind": k,
            "link": "USB 10 Gb/s",
            "claims_read": rng.uniform(1e8, 4e9),
            "claims_write": None,
        }
        for i, k in enumerate(kinds)
    ]


def _results(key: str, rng: random.Random) -> list[dict[str, object]]:
    return [
        {"key": key, "workload": f"w{i}", "text": f"text {i}", "direction": "read" if i % 2 else "write", "pattern": "sequential" if i < 4 else "random",
         "state": None, "passes": 5, "rate": rng.lognormvariate(19.5, 1), "low": 1.0, "high": 2.0}
        for i in range(EACH)
    ]  # fmt: skip


def documents(folder: Path, count: int) -> ReviewFolder:
    """Write so many documents of one simulated run, each with an id of its own."""
    (folder / "review.toml").write_text(REVIEW)
    (folder / "bench.toml").write_text(BENCH)
    review = ReviewFolder.open(folder)
    done = simulate(review, "box", [PEAK_READ], passes=4)
    text, known = done.path.read_text(), done.run.id
    for number in range(count - 1):
        (folder / "runs" / done.path.name.replace(known, f"{number:06x}")).write_text(
            text.replace(known, f"{number:06x}")
        )
    return ReviewFolder.open(folder)


def asked(engine: Engine, question: str) -> str:
    """Return how long a question takes, in words."""
    times = []
    for _ in range(5):
        begun = time.monotonic()
        found = ask(engine, parse_question(question), 200)
        times.append(time.monotonic() - begun)
    return f"{statistics.median(times):.2f} s in the middle of 5, {len(found)} answers"


def main() -> None:
    """Print all of it."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("results", type=int, nargs="?", default=1_000_000)
    parser.add_argument("--postgres", action="store_true")
    arguments = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        where = str(Path(scratch) / "archive.sqlite")
        if arguments.postgres:
            from pgserver import postgres_server

            where = str(postgres_server.get_server(Path(scratch) / "pg").get_uri())
        engine = opened(where)
        begun = time.monotonic()
        fill(engine, arguments.results)
        print(f"{arguments.results} made-up results in {time.monotonic() - begun:.0f} s")
        for question in QUESTIONS:
            print(f"'{question}': {asked(engine, question)}")
        (Path(scratch) / "review").mkdir()
        review = documents(Path(scratch) / "review", 10_000)
        begun = time.monotonic()
        print(add_review(engine, review), f"in {time.monotonic() - begun:.0f} s")
        begun = time.monotonic()
        print(add_review(engine, ReviewFolder.open(review.path)), f"in {time.monotonic() - begun:.0f} s")
        print(f"memory at most {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MiB")
        engine.dispose()


if __name__ == "__main__":
    main()
