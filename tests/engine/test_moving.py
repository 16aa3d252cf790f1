"""Data, offsets, the timed loop and the movers."""

from __future__ import annotations

import os
import threading
import unittest
import zlib
from itertools import islice
from typing import Any

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.support import FolderCase
from ulterion.core.errors import TargetFailed
from ulterion.core.workloads.workload import parse_workload
from ulterion.engine.requests import io_methods, loops, offsets
from ulterion.engine.requests.buffers import Buffers

BLOCKS = st.sampled_from([512, 4096, 6144, 65536, 2**20])


class Data(unittest.TestCase):
    def test_no_4_kib_is_ever_the_same(self) -> None:
        """Over several rounds through the pool no piece repeats, for blocks smaller, equal and larger than 4 KiB."""
        for block, count in ((512, 600), (4096, 600), (6144, 200), (65536, 40)):
            supply = Buffers.pool(block, 1, pool_bytes=8 * block)
            seen = set()
            for buffer in map(supply.renewed, range(count)):
                self.assertEqual(len(buffer), block)
                pieces = [bytes(buffer[i : i + 4096]) for i in range(0, block, 4096)]
                self.assertFalse(seen.intersection(pieces))
                seen.update(pieces)

    def test_is_incompressible_and_follows_the_seed(self) -> None:
        """A compressor gains nothing; another seed gives other data."""
        first, second = (bytes(Buffers.pool(2**20, seed).renewed(0)) for seed in (1, 2))
        self.assertGreater(len(zlib.compress(first)), len(first))
        self.assertNotEqual(first[:4096], second[:4096])


class Offsets(unittest.TestCase):
    @given(BLOCKS, st.integers(1, 400), st.integers(0, 2**40))
    def test_random_ones_are_aligned_inside_and_repeatable(self, block: int, places: int, seed: int) -> None:
        """Multiples of the block, within the span, the same for the same seed."""
        span = block * places + block // 2
        drawn = next(offsets.random_chunks(span, block, seed)).tolist()
        self.assertEqual(drawn, next(offsets.random_chunks(span, block, seed)).tolist())
        self.assertTrue(all(o % block == 0 and 0 <= o <= span - block for o in drawn))

    def test_random_ones_cover_the_span_evenly(self) -> None:
        """A chi-square over 100 places stays where uniform draws stay (99.99%)."""
        drawn = np.concatenate([*islice(offsets.random_chunks(100 * 4096, 4096, 3), 7)])[:50_000] // 4096
        counts = np.bincount(drawn, minlength=100)
        self.assertLess(float(((counts - 500) ** 2 / 500).sum()), 165.0)

    @given(st.integers(1, 5), st.integers(5, 60), st.integers(1, 9))
    def test_sequential_ones_are_handed_out_once_to_several_workers(
        self, workers: int, places: int, chunk: int
    ) -> None:
        """Workers take every block of the span exactly once a round, each in order, and start over at its end."""
        streams = [
            offsets.sequential_chunks(4096 * places + 100, 4096, worker, workers, 0, chunk=chunk)
            for worker in range(workers)
        ]
        taken = []
        for worker, stream in enumerate(streams):
            once = len(range(worker, places, workers))
            mine = np.concatenate([next(stream) for _ in range(-(-2 * once // chunk))])[: 2 * once].tolist()
            self.assertEqual(mine[:once], sorted(mine[:once]))
            self.assertEqual(mine[:once], mine[once:])
            taken += mine[:once]
        self.assertEqual(sorted(taken), list(range(0, 4096 * places, 4096)))

    def test_a_feed_loses_no_offset(self) -> None:
        """What a loop left over comes first when more is drawn, with its kinds."""
        feed = offsets.Feed(offsets.random_chunks(2**24, 4096, 5), None, 0.25, 7)
        state = [0] * loops.STATE_WORDS
        first, kinds = list(feed.work.offsets), list(feed.work.kinds)
        state[loops.AT] = offsets.CHUNK - 3
        feed.more(state)
        self.assertEqual((list(feed.work.offsets)[:3], list(feed.work.kinds)[:3]), (first[-3:], kinds[-3:]))
        self.assertEqual((len(feed.work.offsets), state[loops.AT]), (offsets.CHUNK + 3, 0))
        self.assertAlmostEqual(float(np.mean(kinds)), 0.25, delta=0.03)


class Deep(FolderCase):
    def job(self, words: str, blocks: int, **settings: Any) -> io_methods.WorkerTask:
        path = self.folder / "data"
        path.write_bytes(bytes(blocks * 4096))
        fd = os.open(path, os.O_RDONLY)
        self.addCleanup(os.close, fd)
        return io_methods.WorkerTask(fd, parse_workload(words).settled(60.0, 2**20), 1, **settings)

    def test_threads_stop_together_when_one_fails(self) -> None:
        """A failing request in one thread ends the pass with its offset; no thread is left."""
        before = threading.active_count()
        with self.assertRaises(TargetFailed) as caught:  # the file is shorter than the span
            io_methods.Threads().move(self.job("random read 4 KiB depth 8", 200))
        self.assertGreaterEqual(caught.exception.offset, 200 * 4096)
        self.assertEqual(caught.exception.moved % 4096, 0)
        self.assertEqual(threading.active_count(), before)

    def test_a_stop_from_outside_ends_every_thread(self) -> None:
        """An interruption while the workers run leaves no thread behind."""
        before = threading.active_count()

        def interrupt(seconds: float, moved: int) -> None:
            raise KeyboardInterrupt

        with self.assertRaises(KeyboardInterrupt):
            io_methods.Threads().move(self.job("sequential read 4 KiB depth 4", 256, tick=interrupt))
        self.assertEqual(threading.active_count(), before)

    def test_threads_go_through_a_span_together(self) -> None:
        """Four threads over 200 blocks: as many requests as are counted, until a stop sign."""
        job = self.job("sequential read 4 KiB depth 4", 256)
        job.tick = lambda seconds, moved: job.stop.set() if moved > 2**20 else None
        moved = io_methods.Threads().move(job)
        self.assertEqual(len(moved.recorders), 4)
        self.assertTrue(all(r.latency.total == r.requests > 0 for r in moved.recorders))
