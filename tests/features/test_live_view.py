"""The live view of a run: rows that fill, what runs now, and how much time is left."""

from __future__ import annotations

import io
import unittest

from hypothesis import given
from hypothesis import strategies as st

from ulterion.core import remaining
from ulterion.core.workloads.histogram import LatencyHistogram
from ulterion.core.workloads.passes import PassResult
from ulterion.core.workloads.suites import SUITES
from ulterion.features.measure.live_view import Display, window
from ulterion.model.runs.header import State
from ulterion.model.runs.measure import MeasureRun, Settings, WorkloadRecord
from ulterion.show.live import console


def run_of(**settings: int | float) -> MeasureRun:
    """Return a run of the default suite before its first pass."""
    works = [w.settled(4.0, 2**30) for w in SUITES["full"].workloads]
    return MeasureRun(
        id="aaaaaa",
        started="2026-03-02T09:00:00Z",
        target={"path": "/x", "kind": "folder"},
        bench={"host": "b"},
        cache_bypassed=True,
        state=State(name="interrupted", why="in progress"),
        suite="full",
        settings=Settings(span_bytes=2**30, seed=1, passes=4, seconds=4.0, **settings),
        workloads=[WorkloadRecord(workload=w, text=w.text, engine="ring") for w in works],
    )


class View(unittest.TestCase):
    def shown(self, display: Display) -> list[str]:
        out = io.StringIO()
        console(out).print(display._render())
        return out.getvalue().splitlines()

    def test_rows_fill_as_passes_end(self) -> None:
        """Each finished workload with its passes and rate, the one that runs with its own, the time left below."""
        run, display = run_of(relative_half_width=0.02, max_passes=10), Display(io.StringIO(), "MB/s")
        display._run = run
        first, second = run.workloads[0].workload, run.workloads[1].workload
        for number in (1, 2, 3):
            display.begin(0, first, number)
            display.end(0, first, number, PassResult(4 * 10**9, 4.0, 1000, LatencyHistogram(), None, None, 0.1, ()))
        display.begin(1, second, 1)
        display.tick(0.5, 10**9)
        rows = self.shown(display)
        self.assertRegex(rows[0], "sequential-read +3 passes +1,000 MB/s +0.0%")
        self.assertRegex(rows[1], "sequential-write +pass 1 of 4 +2,000 MB/s")
        self.assertRegex(rows[-1], r"^at least \d+m.* left; Ctrl-C keeps what is measured")
        display.tick(1.0, int(1.5e9))
        self.assertRegex(self.shown(display)[-2], r"^rate +1,000 MB/s +▇▄ +0 to 2,000")
        for index, record in enumerate(run.workloads):
            for number in range(1, 5):
                display.end(
                    index, record.workload, number, PassResult(10**9, 1.0, 9, LatencyHistogram(), None, None, 0.1, ())
                )
            display.ended(index, "sure")
        display._over.discard(0)
        display.begin(0, first, 8)
        rows = self.shown(display)
        self.assertRegex(rows[0], "sequential-read +pass 8 of 10 at most")
        self.assertRegex(rows[-1], r"^at most 1[0-3]\.?\d* s left")

    @given(st.integers(0, 200), st.integers(1, 200), st.integers(1, 20))
    def test_what_runs_is_always_in_view(self, at: int, count: int, most: int) -> None:
        """Of many workloads as many as fit, among them the one that runs."""
        at = min(at, count - 1)
        first, last = window(at, count, most)
        self.assertTrue(0 <= first <= at < last <= count)
        self.assertEqual(last - first, min(most, count))

    @given(st.lists(st.tuples(st.floats(0, 100), st.integers(0, 9)), max_size=9), st.floats(0, 1000))
    def test_time_left_is_never_negative(self, works: list[tuple[float, int]], running: float) -> None:
        """And falls by what is running."""
        lengths, left = [w for w, _ in works], [n for _, n in works]
        now = remaining.of_run(lengths, left, running)
        self.assertGreaterEqual(now, 0.0)
        self.assertLessEqual(now, remaining.of_run(lengths, left, 0.0))
