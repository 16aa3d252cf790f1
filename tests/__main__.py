"""All tests, by as many processes as there are processors: python -m tests [MODULE ...]

Each module is one process's at a time; `python -m unittest discover -s tests -t .` runs the same, one after the other.
"""

from __future__ import annotations

import io
import multiprocessing
import os
import sys
import tempfile
import time
import unittest
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from pathlib import Path

SHARED = "ULTERION_TESTS_SHARED"  # in the environment: a folder that all processes of the tests share
TOP = Path(__file__).parents[1]
SLOWEST = 12  # modules that are named at the end
LONG = (
    "test_docs", "features.test_plan", "features.test_charts", "features.test_report", "features.test_copy", "engine.test_portable",
    "engine.test_network", "cli.test_program", "cli.test_hostile", "cli.test_others",
)  # fmt: skip
MOST = 4  # processes; more would disturb what is timed


@dataclass(frozen=True)
class Ran:
    """A module that was run: how many tests, which were skipped and why, the report of what failed, seconds."""

    module: str
    tests: int
    skipped: list[str]
    failed: str
    seconds: float


def modules() -> list[str]:
    """Return the names of all test modules, those that take long first, so that none of them is left alone at the end."""
    found = sorted((TOP / "tests").rglob("test_*.py"), key=lambda p: -p.stat().st_size)
    names = [".".join(p.relative_to(TOP).with_suffix("").parts) for p in found]
    return sorted(names, key=lambda name: name.removeprefix("tests.") not in LONG)


def run(module: str) -> Ran:
    """Run a module's tests."""
    report, start = io.StringIO(), time.monotonic()
    result = unittest.TextTestRunner(report, verbosity=1).run(unittest.defaultTestLoader.loadTestsFromName(module))
    skipped = [f"{test}: {why}" for test, why in result.skipped]
    failed = "" if result.wasSuccessful() else report.getvalue()
    return Ran(module, result.testsRun, skipped, failed, time.monotonic() - start)


def main(wanted: list[str]) -> int:
    """Hand the modules out, print what failed and how many there were; return the exit status."""
    names, start, ran = wanted or modules(), time.monotonic(), list[Ran]()
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as the program has it
    count = min(MOST, (os.cpu_count() or 1) + 1, len(names))  # one more: some wait more than they compute
    with tempfile.TemporaryDirectory(prefix="ulterion-tests-shared-") as shared:
        os.environ[SHARED] = shared
        # libraries are loaded once, and the processes forked from here
        unittest.defaultTestLoader.loadTestsFromNames(names)
        with ProcessPoolExecutor(count, mp_context=multiprocessing.get_context("fork")) as pool:
            at_work = {pool.submit(run, name): name for name in names}
            for done in as_completed(at_work):
                try:
                    ran.append(done.result())
                except BrokenProcessPool as error:
                    ran.append(Ran(at_work[done], 0, [], f"{at_work[done]}: not finished: {error}\n", 0.0))
                print(ran[-1].failed or "." * ran[-1].tests, end="", flush=True)
    return _told(ran, time.monotonic() - start, count)


def _told(ran: list[Ran], seconds: float, count: int) -> int:
    """Print the sum of it; return the exit status."""
    skipped, failed = [s for r in ran for s in r.skipped], sum(bool(r.failed) for r in ran)
    print(f"\nRan {sum(r.tests for r in ran)} tests in {seconds:.0f} s by {count} processes, {len(skipped)} skipped")
    print("".join(f"skipped: {one}\n" for one in skipped), end="")
    slowest = sorted(ran, key=lambda r: -r.seconds)[:SLOWEST]
    print("longest: " + ", ".join(f"{r.module.removeprefix('tests.')} {r.seconds:.0f} s" for r in slowest))
    print(f"FAILED ({failed} modules)" if failed else "OK")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
