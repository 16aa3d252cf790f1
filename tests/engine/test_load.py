"""A long load in a worker process: its intervals, its end, and what it leaves behind."""

from __future__ import annotations

import os
import time

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

from tests.support import FolderCase
from ulterion.core.errors import TargetFailed, UsageError
from ulterion.core.soak.trace import TraceRow
from ulterion.core.workloads.workload import parse_workload
from ulterion.engine.requests import loops
from ulterion.engine.requests.buffers import Buffers
from ulterion.engine.requests.intervals import Intervals
from ulterion.engine.requests.request_loop import RequestRecorder
from ulterion.engine.targets.file_cycles import FileCycles
from ulterion.engine.targets.folder import FolderTarget, set_room_aside
from ulterion.engine.targets.load import FileSizes, Load, LoadEnd, block_for

MIB = 2**20


class Counting(FolderCase):
    @settings(max_examples=40, deadline=None)
    @given(st.lists(st.tuples(st.floats(1e-5, 0.2), st.integers(0, 1)), min_size=5, max_size=300))
    @example([(0.125, 0), (0.1328125, 1), (0.1328125, 1), (0.134765625, 1), (0.099609375, 1)])  # ends with an interval
    @example([(0.125, 0)] * 4 + [(0.1, 1)])
    @example([(0.1, 0)] * 5 + [(0.0004, 0), (0.1, 1)])  # ends within a thousandth of an interval after one
    def test_every_request_is_counted_once_in_its_interval(self, waits: list[tuple[float, int]]) -> None:
        """Requests of two recorders come out in the interval in which they ended; a sliver belongs to the one before."""
        intervals, rows = Intervals(0.5, 4096, 2), []
        recorders = [RequestRecorder(4096, intervals, source) for source in (0, 1)]
        clocks, truth = [0, 0], np.zeros(400, dtype=int)
        for recorder in recorders:
            recorder.begin(0, 10**15)
        for wait, source in waits:
            recorder, begun = recorders[source], clocks[source]
            clocks[source] += round(wait * 1e9)
            recorder.state[loops.NOW] = clocks[source]
            recorder.tell()
            loops.timed(recorder.counted, clocks[source] - begun)
            loops.tally(recorder.counted, clocks[source], 1)
            truth[clocks[source] // 500_000_000] += 1
            rows += intervals.ready()
        for recorder in recorders:
            recorder.tell(last=True)
        rows += intervals.rest(max(clocks) / 1e9)
        last, left = divmod(max(clocks), 500_000_000)
        if last and left < 500_000:
            truth[last - 1], truth[last] = truth[last - 1] + truth[last], 0
        self.assertEqual([r.requests for r in rows], truth[: len(rows)].tolist())
        self.assertEqual(sum(r.requests for r in rows), len(waits))
        self.assertAlmostEqual(sum(r.seconds for r in rows), max(clocks) / 1e9, delta=1e-9 * len(rows))
        self.assertTrue(len(rows) == 1 or rows[-1].seconds > 0.0005 - 1e-9)
        self.assertTrue(all(r.p50 is None or 0 < r.p50 <= (r.worst or 0) for r in rows))


class Loading(FolderCase):
    def rows(self, load: Load, seconds: float) -> tuple[list[TraceRow], LoadEnd]:
        rows, until = [], time.monotonic() + seconds
        while time.monotonic() < until:
            rows += load.look()
        more, end = load.stop()
        return rows + more, end

    def target(self, span: int = 64 * MIB) -> FolderTarget:
        target = FolderTarget(self.folder, span)
        self.addCleanup(target.close)
        return target

    def test_the_rows_add_up_to_the_load(self) -> None:
        """Rows follow one another without a gap, sum to what the workers reported, and the kernel saw those bytes."""
        target = self.target()
        self.assertTrue(set_room_aside(target))
        self.assertEqual(os.fstat(target.fd).st_size, 64 * MIB)
        workload = parse_workload("sequential write 1 MiB depth 4").settled(1e6, target.span_bytes)
        load = Load(target, workload, 3, 0.2)
        before = time.monotonic()
        rows, end = self.rows(load, 1.5)
        self.assertLess(time.monotonic() - before, 20)
        self.assertGreater(sum(r.bytes for r in rows), 0)
        self.assertEqual(sum(r.bytes for r in rows) % MIB, 0)
        self.assertAlmostEqual(sum(r.seconds for r in rows), end.seconds, delta=1e-3)
        self.assertTrue(all(abs(r.seconds - 0.2) < 1e-9 for r in rows[:-1]))
        self.assertIsNotNone(end.flush)
        self.assertGreaterEqual(sum(r.bytes for r in rows), load.moved)

    def test_a_load_ends_with_its_time_or_goes_on_until_it_is_stopped(self) -> None:
        """Whatever length its workload has: without one of its own it goes on; with one it ends, to the request."""
        target = self.target()
        self.assertTrue(set_room_aside(target))
        workload = parse_workload("sequential write 1 MiB depth 4").settled(0.2, target.span_bytes)
        rows, _ = self.rows(Load(target, workload, 3, 0.1), 1.2)
        self.assertGreater(sum(r.seconds for r in rows), 1.1)
        timed, rows = Load(target, workload, 3, 0.1, seconds=0.75), []
        until = time.monotonic() + 20
        while not timed.ended and time.monotonic() < until:
            rows += timed.look()
        more, end = timed.stop()
        self.assertEqual((list(timed.look()), more), ([], []))
        self.assertAlmostEqual(sum(r.seconds for r in rows), end.seconds, delta=1e-3)
        self.assertTrue(0.7 < end.seconds < 2.0, end)
        self.assertGreaterEqual(sum(r.bytes for r in rows), timed.moved)

    def test_a_mixed_load_of_small_requests(self) -> None:
        """Deep random requests give latencies in order: median, 99%, worst."""
        target = self.target()
        target.prepare(1)
        workload = parse_workload("random mixed 30% writes 4 KiB depth 8").settled(1e6, target.span_bytes)
        rows, _ = self.rows(Load(target, workload, 3, 0.2), 1.0)
        full = [r for r in rows if r.requests]
        self.assertTrue(full)
        for row in full:
            self.assertTrue(0 < (row.p50 or 0) <= (row.p99 or 0) <= (row.worst or 0) * 1.01)

    def test_files_are_written_deleted_and_none_is_left(self) -> None:
        """The room is used up several times over; afterwards the folder is as empty as before."""
        target = self.target(16 * MIB)
        sizes = FileSizes(MIB, 4 * MIB)
        workload = parse_workload(f"sequential write {block_for(sizes.low) // 1024} KiB").settled(1e6, 16 * MIB)
        rows, end = self.rows(Load(target, workload, 3, 0.2, sizes), 1.5)
        self.assertGreater(sum(r.bytes for r in rows), 16 * MIB)
        self.assertIsNotNone(end.flush)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_load_that_fails_keeps_its_rows(self) -> None:
        """A target whose file is gone fails with TargetFailed; a stalled one is given up; both leave the rows before."""
        target = self.target()
        workload = parse_workload("sequential read 1 MiB").settled(1e6, target.span_bytes)
        load = Load(target, workload, 3, 0.2)  # nothing was laid down: reading past the end moves nothing
        with self.assertRaises(TargetFailed):
            self.rows(load, 5.0)
        self.assertEqual(load.remains(), [])
        load.abandon()
        with self.assertRaises(UsageError):
            FileCycles(self.folder, (MIB, 32 * MIB), 16 * MIB, Buffers.pool(MIB, 1), 1)
