"""How many workers a workload gets, and what is said of the spent in this program part."""

from __future__ import annotations

import os
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st

from tests.support import FolderCase
from ulterion.core.workloads.histogram import LatencyHistogram
from ulterion.core.workloads.overhead import BUSY, request_overhead
from ulterion.core.workloads.passes import PassResult
from ulterion.core.workloads.workload import Workload, parse_workload
from ulterion.engine.workers import worker_count
from ulterion.model.runs.document import parse_run
from ulterion.model.runs.measure import MeasureRun
from ulterion.run import warnings

DEEP = parse_workload("random read 4 KiB depth 32").settled(5.0, 2**30)
MEMORY = Path("/dev/shm")


class Needed(unittest.TestCase):
    @given(st.integers(1, 300), st.integers(1, 64))
    def test_workers_together_keep_the_depth(self, depth: int, count: int) -> None:
        """However it is split, as many requests are in flight as the workload says, and no worker is more than one apart."""
        parts = [w.depth for w in worker_count.split(replace(DEEP, depth=depth), min(count, depth))]
        self.assertEqual(sum(parts), depth)
        self.assertLessEqual(max(parts) - min(parts), 1)
        self.assertGreaterEqual(min(parts), 1)

    def needed(self, worker: float, drive: float, cores: int, depth: int = 32) -> tuple[int, list[int]]:
        """Return the number of workers chosen for the cost of one and a drive of so many requests a second each, and what was tried."""
        tried: list[int] = []

        def trial(workload: Workload, count: int) -> PassResult:
            assert workload.seconds is not None and workload.seconds <= worker_count.TRIAL
            tried.append(count)
            rate = min(drive, worker * min(count, cores))
            return PassResult(
                round(rate * 4096),
                1.0,
                round(rate),
                LatencyHistogram(),
                None,
                1.0,
                0.1,
                (),
                count,
                rate / count / worker,
            )

        with mock.patch("os.sched_getaffinity", return_value=set(range(cores))):
            return worker_count.needed(replace(DEEP, depth=depth), trial), tried

    def test_as_many_as_the_drive_takes_and_the_machine_has(self) -> None:
        """A slow drive takes one, a faster one two or four; more than the processors is not tried, nor is a shallow workload."""
        self.assertEqual(self.needed(500e3, 90e3, 8), (1, [1]))
        self.assertEqual(self.needed(500e3, 900e3, 8), (2, [1, 2, 4]))
        self.assertEqual(self.needed(500e3, 5e6, 8), (8, [1, 2, 4, 8]))
        self.assertEqual(self.needed(500e3, 5e6, 2), (2, [1, 2]))
        self.assertEqual(self.needed(500e3, 5e6, 8, depth=4), (1, []))

    @given(st.floats(0, 1e-5), st.floats(1e-3, 100), st.integers(1, 10**7), st.integers(1, 64))
    def test_our_share_is_of_a_workers_time(self, cost: float, seconds: float, requests: int, count: int) -> None:
        """Cost over the time that each of the workers has for a request, never above all of it."""
        share = request_overhead(cost, None, seconds, requests, count).share
        assert share is not None
        self.assertLessEqual(share, 1.0)
        self.assertAlmostEqual(share, min(1.0, cost / (seconds * count / requests)), places=9)
        self.assertIsNone(request_overhead(None, 0.9, seconds, requests, count).share)


class Told(FolderCase):
    def measured(self, folder: str, *words: str) -> MeasureRun:
        data = self.json_of("measure", folder, *words, "--passes", "1", "--seconds", "0.3", "--span", "16 MiB")
        cost = data["run"]["bench"]["request_cost"]
        self.assertTrue(1e-8 < cost < 1e-4, cost)
        run = parse_run(Path(data["kept_in"]).read_bytes(), "run")
        assert isinstance(run, MeasureRun)
        return run

    @unittest.skipUnless(MEMORY.is_dir() and os.access(MEMORY, os.W_OK), "no memory-backed folder here")
    def test_a_pass_that_waits_for_no_drive_is_told(self) -> None:
        """On memory our part is not small; the worker is told as the limit where it was, which others may keep it from."""
        import tempfile

        with tempfile.TemporaryDirectory(dir=MEMORY) as folder:
            for words in (["random read 4 KiB"], ["random read 4 KiB depth 16", "--workers", "1"]):
                run = self.measured(folder, "--workload", *words)
                (one,) = run.workloads[0].passes
                said, busy = " ".join(run.warnings), one.busy or 0.0
                cost = run.bench.request_cost if run.workloads[0].workload.depth == 1 else run.bench.request_cost_deep
                own = request_overhead(cost, busy, one.seconds, one.requests, one.workers or 1)
                self.assertGreater(own.share or 0.0, 0.005)
                self.assertEqual("of a request is spent in this program" in said, own.is_large, (said, own))
                self.assertTrue(0.05 < busy < 1.1, busy)
                self.assertEqual("the limit" in said, busy > BUSY, (said, busy))
        (record,) = run.workloads
        for many, busy, told in ((1, 0.97, "one worker was the limit, busy 97% of the time: try --workers auto"), (1, 0.5, None),
                                  (3, 0.9, "its 3 workers were busy 90% of the time: the processor was the limit, not the drive")):  # fmt: skip
            one = record.passes[0].changed(busy=busy, workers=many)
            changed = run.changed(workloads=[record.changed(passes=[one])])
            limits = [w for w in warnings.on_run(changed) if "the limit" in w]
            self.assertEqual(limits, [f"{record.workload.name}: {told}"] if told else [])

    def test_what_a_pass_waits_for_the_drive_is_not_ours(self) -> None:
        """Of passes made up with the cost that was measured: 3 ms a request leave nothing to say of us, 20 times the cost do."""
        run = self.measured(".", "--workload", "sequential read 1 MiB depth 2")
        (record,) = run.workloads
        cost = run.bench.request_cost_deep
        assert cost is not None
        for each, ours in ((3e-3 + cost * 100, False), (cost * 20, True)):
            made_up = record.passes[0].changed(
                busy=0.1, workers=1, requests=1000, seconds=each * 1000, flush_seconds=None
            )
            waiting = run.changed(workloads=[record.changed(passes=[made_up])])
            words = " ".join(warnings.on_run(waiting))
            self.assertEqual("spent in this program" in words, ours, words)
            self.assertNotIn("the limit", words)
