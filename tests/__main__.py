"""All tests, by as many processes as there are processors: python -m tests [MODULE ...]

Each module is one process's at a time; `python -m unittest discover -s tests -t .` runs the same, one after the other.
"""

from __future__ import annotations

import io
import json
import os
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

SHARED = "ULTERION_TESTS_SHARED"  # in the environment: a folder that all processes of the tests share
TOP = Path(__file__).parents[1]
SLOWEST = 12  # modules that are named at the end
MOST = 4  # processes; more would disturb what is timed


def modules() -> list[str]:
    """Return the names of all test modules, the largest first: they take longest."""
    found = sorted((TOP / "tests").rglob("test_*.py"), key=lambda p: -p.stat().st_size)
    return [".".join(p.relative_to(TOP).with_suffix("").parts) for p in found]


def work() -> None:
    """Run modules named on the standard input, and answer each with a line of JSON: how many ran, which were skipped and why, and the report of what failed."""
    for line in sys.stdin:
        report = io.StringIO()
        suite = unittest.defaultTestLoader.loadTestsFromName(line.strip())
        result = unittest.TextTestRunner(report, verbosity=1).run(suite)
        failed = "" if result.wasSuccessful() else report.getvalue()
        told = json.dumps([result.testsRun, [f"{test}: {why}" for test, why in result.skipped], failed])
        sys.__stdout__.write(f"{told}\n")  # type: ignore[union-attr]
        sys.__stdout__.flush()  # type: ignore[union-attr]


def main(wanted: list[str]) -> int:
    """Hand the modules out, print what failed and how many there were; return the exit status."""
    import selectors

    waiting, start = wanted or modules(), time.monotonic()
    shared = tempfile.TemporaryDirectory(prefix="ulterion-tests-shared-")
    os.environ[SHARED] = shared.name
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as the program has it
    count = min(MOST, (os.cpu_count() or 1) + 1, len(waiting))  # one more: some wait more than they compute
    command = [sys.executable, "-m", "tests", "--worker"]
    workers = [
        subprocess.Popen(command, cwd=TOP, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
        for _ in range(count)
    ]
    ready = selectors.DefaultSelector()
    total = failed = 0
    skipped: list[str] = []
    at: dict[int, str] = {}
    since: dict[int, float] = {}
    took: dict[str, float] = {}
    for worker in workers:
        ready.register(worker.stdout, selectors.EVENT_READ, worker)  # type: ignore[arg-type]
        at[worker.pid], since[worker.pid] = _give(worker, waiting), time.monotonic()
    while ready.get_map():
        for key, _ in ready.select():
            worker = key.data
            line = worker.stdout.readline()
            if not line:  # it is over, or was lost with a module in hand
                ready.unregister(worker.stdout)
                if at[worker.pid]:
                    print(f"{at[worker.pid]}: its process ended, status {worker.wait()}")
                    failed += 1
                continue
            run, left, text = json.loads(line)
            total, skipped = total + run, [*skipped, *left]
            if text:
                failed += 1
                print(text)
            print("." * run, end="", flush=True)
            took[at[worker.pid]] = time.monotonic() - since[worker.pid]
            at[worker.pid], since[worker.pid] = _give(worker, waiting), time.monotonic()
    shared.cleanup()
    print(f"\nRan {total} tests in {time.monotonic() - start:.0f} s by {count} processes, {len(skipped)} skipped")
    print("".join(f"skipped: {one}\n" for one in skipped), end="")
    slowest = sorted(took, key=lambda name: -took[name])[:SLOWEST]
    print("longest: " + ", ".join(f"{name.removeprefix('tests.')} {took[name]:.0f} s" for name in slowest))
    print("OK" if not failed else f"FAILED ({failed} modules)")
    return 1 if failed else 0


def _give(worker: subprocess.Popen[str], waiting: list[str]) -> str:
    """Give a worker its next module, or let it go; return what it was given."""
    assert worker.stdin is not None
    if not waiting:
        worker.stdin.close()
        return ""
    worker.stdin.write(f"{waiting[0]}\n")
    worker.stdin.flush()
    return waiting.pop(0)


if __name__ == "__main__":
    if sys.argv[1:] == ["--worker"]:
        work()
    else:
        sys.exit(main(sys.argv[1:]))
