"""Data, offsets, the timed loop and the movers."""

from __future__ import annotations

import errno
import os
import threading
import unittest
import zlib
from itertools import islice
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from ulterion.core.errors import TargetFailed
from ulterion.core.workload import parse_workload
from ulterion.engine import movers, offsets
from ulterion.engine.data import WriteData
from ulterion.engine.lane import BATCH, Lane, Recorder

BLOCKS = st.sampled_from([512, 4096, 6144, 65536, 2**20])


class Data(unittest.TestCase):
    def test_no_4_kib_is_ever_the_same(self) -> None:
        """Over several rounds through the pool no piece repeats, for blocks smaller, equal and larger than 4 KiB."""
        for block, count in ((512, 600), (4096, 600), (6144, 200), (65536, 40)):
            supply = WriteData(block, 1, pool_bytes=8 * block).buffers()
            seen = set()
            for (buffer,) in islice(supply, count):
                self.assertEqual(len(buffer), block)
                pieces = [bytes(buffer[i : i + 4096]) for i in range(0, block, 4096)]
                self.assertFalse(seen.intersection(pieces))
                seen.update(pieces)

    def test_is_incompressible_and_follows_the_seed(self) -> None:
        """A compressor gains nothing; another seed gives other data."""
        first, second = (bytes(next(WriteData(2**20, seed).buffers())[0]) for seed in (1, 2))
        self.assertGreater(len(zlib.compress(first)), len(first))
        self.assertNotEqual(first[:4096], second[:4096])


class Offsets(unittest.TestCase):
    @given(BLOCKS, st.integers(1, 400), st.integers(0, 2**40))
    def test_random_ones_are_aligned_inside_and_repeatable(self, block: int, places: int, seed: int) -> None:
        """Multiples of the block, within the span, the same for the same seed."""
        span = block * places + block // 2
        drawn = list(islice(offsets.scattered(span, block, seed), 500))
        self.assertEqual(drawn, list(islice(offsets.scattered(span, block, seed), 500)))
        self.assertTrue(all(o % block == 0 and 0 <= o <= span - block for o in drawn))

    def test_random_ones_cover_the_span_evenly(self) -> None:
        """A chi-square over 100 places stays where uniform draws stay (99.99 %)."""
        drawn = np.fromiter(islice(offsets.scattered(100 * 4096, 4096, 3), 50_000), dtype=np.int64) // 4096
        counts = np.bincount(drawn, minlength=100)
        self.assertLess(float(((counts - 500) ** 2 / 500).sum()), 165.0)

    def test_sequential_ones_are_handed_out_once_to_several_threads(self) -> None:
        """Threads sharing one stream take every offset exactly once, and it starts over at the span."""
        stream, lock, taken = offsets.sequential(4096 * 4000 + 100, 4096), threading.Lock(), []

        def take() -> None:
            mine = list(islice(stream, 2000))
            with lock:
                taken.extend(mine)

        threads = [threading.Thread(target=take) for _ in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(sorted(taken), sorted([*range(0, 4096 * 4000, 4096)] * 2))


class FakeDevice:
    """Stands in for the system call: counts, and fails on order."""

    def __init__(self, fail_at: int | None = None, error: int = errno.EIO, short: bool = False) -> None:
        self.calls, self.fail_at, self.error, self.short = 0, fail_at, error, short
        self.seen: list[int] = []

    def __call__(self, fd: int, buffers: list, offset: int) -> int:
        self.calls += 1
        self.seen.append(offset)
        if self.calls == self.fail_at:
            if self.short:
                return len(buffers[0]) // 2
            raise OSError(self.error, os.strerror(self.error))
        return len(buffers[0])


def lane(device: FakeDevice, clock: list[int], step: int) -> Lane:
    """Return a lane on a clock that advances by `step` nanoseconds at each look."""

    def look() -> int:
        clock[0] += step
        return clock[0]

    patcher = mock.patch("ulterion.engine.lane.time.perf_counter_ns", look)
    patcher.start()
    unittest.addModuleCleanup(patcher.stop)
    buffer = [bytearray(4096)]
    return Lane(0, device, offsets.sequential(4096 * 1000, 4096), iter(lambda: buffer, None), Recorder(4096))


class TimedLoop(unittest.TestCase):
    def tearDown(self) -> None:
        mock.patch.stopall()

    def test_counts_every_request_and_nothing_else(self) -> None:
        """On a clock of 1 ms a look, a 2 s pass is 1000 requests of 1 ms each, in order."""
        device = FakeDevice()
        made = lane(device, [0], 1_000_000)
        made.run(0, 2_000_000_000)
        recorder = made.recorder
        self.assertEqual((device.calls, recorder.requests, recorder.latency.total), (1000, 1000, 1000))
        self.assertAlmostEqual(recorder.latency.percentile(50), 1e-3, delta=1e-5)
        self.assertEqual(sum(recorder.series.values), 1000 * 4096)
        self.assertEqual(recorder.last_ns, 2_000_000_000)
        self.assertEqual(device.seen[:3], [0, 4096, 8192])

    def test_a_batch_that_fills_before_the_deadline_is_counted(self) -> None:
        """Faster than the batch holds in a tenth of a second, nothing is lost or counted twice."""
        device = FakeDevice()
        made = lane(device, [0], 1_000)
        made.run(0, 3 * BATCH * 2_000)
        self.assertEqual((device.calls, made.recorder.requests), (3 * BATCH, 3 * BATCH))

    def test_a_failure_names_offset_and_bytes_before_it(self) -> None:
        """The fifth request fails: four are counted, and the error says where."""
        for device, says in ((FakeDevice(5), "Input/output error"), (FakeDevice(5, errno.ENODEV), "No such device"),
                             (FakeDevice(5, short=True), "moved 2048 of 4096")):  # fmt: skip
            made = lane(device, [0], 1_000_000)
            with self.assertRaisesRegex(TargetFailed, f"{says}.* at offset 16384") as caught:
                made.run(0, 10**9)
            self.assertEqual((caught.exception.offset, caught.exception.moved), (16384, 4 * 4096))
            mock.patch.stopall()


class Deep(unittest.TestCase):
    def test_threads_stop_together_when_one_fails(self) -> None:
        """A failing request in one thread ends the pass with its offset; no thread is left."""
        before = threading.active_count()
        workload = parse_workload("random read 4 KiB depth 8").settled(60.0, 2**20)
        device = FakeDevice(500)
        with mock.patch("ulterion.engine.movers.os.preadv", device), self.assertRaises(TargetFailed) as caught:
            movers.Threads().move(movers.Job(0, workload, 1))
        self.assertIn(caught.exception.offset, device.seen)
        self.assertLessEqual(abs(caught.exception.moved // 4096 - device.calls), 9)
        self.assertEqual(threading.active_count(), before)

    def test_a_stop_from_outside_ends_every_thread(self) -> None:
        """An interruption while the workers run leaves no thread behind."""
        before = threading.active_count()
        workload = parse_workload("sequential read 4 KiB depth 4").settled(60.0, 2**20)

        def interrupt(seconds: float, moved: int) -> None:
            raise KeyboardInterrupt

        with mock.patch("ulterion.engine.movers.os.preadv", FakeDevice()), self.assertRaises(KeyboardInterrupt):
            movers.Threads().move(movers.Job(0, workload, 1, tick=interrupt))
        self.assertEqual(threading.active_count(), before)
