"""The ring, and workers in processes of their own, on this machine's own kernel."""

from __future__ import annotations

import errno
import os
import signal
import subprocess
import sys
import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from tests.support import FolderCase
from ulterion.core.errors import TargetFailed, WorkerLost
from ulterion.core.workloads.workload import Workload, parse_workload
from ulterion.engine.requests import io_methods, loops, uring
from ulterion.engine.requests.ring_loop import RingLoop
from ulterion.engine.workers import worker_pool

MIB = 2**20
REASON = uring.available()


@unittest.skipIf(REASON is not None, f"no ring here: {REASON}")
class RingLanes(FolderCase):
    def setUp(self) -> None:
        super().setUp()
        path = self.folder / "data"
        path.write_bytes(os.urandom(MIB) * 8)
        self.fd = os.open(path, os.O_RDWR)
        self.addCleanup(os.close, self.fd)

    def loop(self, words: str, span: int = 8 * MIB) -> tuple[RingLoop, Workload]:
        workload = parse_workload(words).settled(0.2, span)
        return RingLoop(self.fd, workload, 3), workload

    def drive(self, loop: RingLoop, seconds: float = 0.2) -> None:
        start = time.perf_counter_ns()
        loop.run(start, start + round(seconds * 1e9))

    def test_every_request_is_counted_once(self) -> None:
        """Bytes, requests, histogram and series agree, and all slots come home."""
        for words in (
            "random read 4 KiB depth 32",
            "sequential write 64 KiB depth 5",
            "random mixed 50% writes 4 KiB depth 8",
        ):
            loop, _ = self.loop(words)
            self.drive(loop)
            recorder = loop.recorder
            self.assertGreater(recorder.requests, 50, words)
            self.assertEqual(recorder.requests, recorder.latency.total)
            self.assertEqual(sum(recorder.series.values), recorder.bytes)
            self.assertEqual(recorder.state[loops.IN_FLIGHT], 0)

    def test_each_buffer_goes_to_its_own_offset(self) -> None:
        """After writing through the span, no 4 KiB is missing or there twice: every stamp is different and new."""
        before = os.pread(self.fd, 8 * MIB, 0)
        loop, _ = self.loop("sequential write 64 KiB depth 16")
        self.drive(loop)
        self.assertGreater(loop.recorder.bytes, 16 * MIB)
        words = np.frombuffer(os.pread(self.fd, 8 * MIB, 0), dtype=np.uint64)[:: 4096 // 8]
        self.assertEqual(len(np.unique(words)), 8 * MIB // 4096)
        self.assertFalse(np.isin(words, np.frombuffer(before, dtype=np.uint64)[:: 4096 // 8]).any())

    def test_a_ring_that_fails_outright_is_the_targets_failure(self) -> None:
        """When the kernel refuses a submission altogether it is told as a failure, with the bytes moved before."""
        loop, _ = self.loop("random read 4 KiB depth 8")
        turn, calls = loop._turn, iter(range(10**9))

        def refuse() -> int:
            if next(calls) > 1:
                loop.recorder.state[loops.RING] = -1
            return turn()

        with (
            mock.patch.object(loop, "_turn", refuse),
            self.assertRaisesRegex(TargetFailed, "the kernel's ring failed: Bad file descriptor") as caught,
        ):
            self.drive(loop, 5.0)
        self.assertGreater(caught.exception.moved, 0)

    def test_a_failing_request_is_named_and_the_rest_comes_home(self) -> None:
        """Reading past the end of the file: the offset is told, what was moved before is counted, nothing is in flight."""
        loop, _ = self.loop("sequential read 1 MiB depth 4", span=12 * MIB)
        with self.assertRaisesRegex(TargetFailed, "moved 0 of 1048576 bytes.* at offset 8388608") as caught:
            self.drive(loop, 5.0)
        self.assertEqual((caught.exception.offset, caught.exception.moved), (8 * MIB, 8 * MIB))
        self.assertEqual(loop.recorder.state[loops.IN_FLIGHT], 0)
        loop, _ = self.loop("random read 4 KiB depth 4")
        os.dup2(os.open(self.folder, os.O_RDONLY), self.fd)
        loop, _ = self.loop("random read 4 KiB depth 4")
        with self.assertRaisesRegex(TargetFailed, "EISDIR|EINVAL"):
            self.drive(loop)

    def test_workers_share_a_sequential_span(self) -> None:
        """Three workers take every third block each; together they cover the span."""
        workload = parse_workload("sequential read 64 KiB depth 4").settled(0.1, 8 * MIB)
        taken = [list(RingLoop(self.fd, workload, 1, loop, 3).feed.work.offsets[:40]) for loop in range(3)]
        self.assertEqual(sorted(o for part in taken for o in part), [i * 65536 for i in range(120)])

    def test_the_share_of_writes_is_kept(self) -> None:
        """A quarter of a mixed workload's requests write, on a ring and one at a time: by the stamps that have changed."""
        before = os.pread(self.fd, 8 * MIB, 0)
        for words in ("random mixed 25% writes 4 KiB depth 8", "random mixed 25% writes 4 KiB depth 1"):
            os.pwrite(self.fd, before, 0)
            workload = parse_workload(words).settled(60.0, 8 * MIB)
            job = io_methods.WorkerTask(self.fd, workload, 4)
            job.tick = lambda seconds, moved, job=job: job.stop.set() if moved > 4 * MIB else None
            moved = io_methods.choose(workload.depth).move(job)
            requests = sum(r.requests for r in moved.recorders)
            now = np.frombuffer(os.pread(self.fd, 8 * MIB, 0), dtype=np.uint64)[:: 4096 // 8]
            changed = int((now != np.frombuffer(before, dtype=np.uint64)[:: 4096 // 8]).sum())
            wanted = 2048 * (1 - (1 - 1 / 2048) ** (requests / 4))  # places hit once or more
            self.assertAlmostEqual(changed / wanted, 1.0, delta=0.15, msg=f"{requests} requests")


class Fallback(unittest.TestCase):
    def test_large_buffers_are_registered_where_pages_stay_joined(self) -> None:
        """By the kernel's release: from 6.12 on."""
        found = {r: uring.joins_pages(r) for r in ("6.11.9-x", "6.12", "6.18.44-a.b", "7.0-rc1", "5.15.0", "odd")}
        self.assertEqual([r for r, joined in found.items() if joined], ["6.12", "6.18.44-a.b", "7.0-rc1"])

    def test_older_kernels_get_older_flags_and_none_gets_threads(self) -> None:
        """Flags refused as invalid are tried down to none; any other refusal means threads, with the reason."""
        tried: list[int] = []

        def refuse(number: int) -> mock.Mock:
            def call(code: int, entries: int, params: int, *rest: int) -> int:
                import ctypes

                tried.append(ctypes.c_uint32.from_address(params + 8).value)
                ctypes.set_errno(number)
                return -1

            return mock.Mock(side_effect=call)

        for number, attempts in ((errno.EINVAL, 3), (errno.EPERM, 1), (errno.ENOSYS, 1)):
            tried.clear()
            with mock.patch("ulterion.engine.requests.uring._syscall", return_value=refuse(number)):
                reason = uring.available()
            self.assertIn(errno.errorcode[number], reason or "")
            self.assertEqual(tried, [flags for _, flags in uring.FLAG_SETS][:attempts])
        with mock.patch("ulterion.engine.requests.io_methods._no_ring", return_value="the kernel refuses a ring"):
            io_method = io_methods.choose(8)
        self.assertEqual((io_method.name, io_method.why), ("threads", "the kernel refuses a ring"))


class WorkerPool(unittest.TestCase):
    def test_results_come_back_in_order_and_all_start_together(self) -> None:
        """Each job's result is in its place; the common start is one moment, and they see it within a millisecond."""

        def job(slot: worker_pool.WorkerSlot) -> tuple[int, int, int]:
            start = slot.wait_for_start()
            return slot.number, start, time.perf_counter_ns()

        spread = 10**9
        for _ in range(100):  # other processes of the machine may delay one: until both are seen to start as one
            found = worker_pool.run([job, job])
            self.assertEqual([f[0] for f in found], [0, 1])
            self.assertEqual(found[0][1], found[1][1])
            self.assertTrue(all(f[2] >= f[1] for f in found), "begun before the common start")
            spread = min(spread, abs(found[0][2] - found[1][2]))
            if spread < 1_000_000:
                break
        self.assertLess(spread, 1_000_000)

    def test_a_failure_comes_back_whole_and_stops_the_others(self) -> None:
        """Offset and bytes of the failure are kept, with what the others moved; they end without being killed."""

        def fails(slot: worker_pool.WorkerSlot) -> None:
            slot.wait_for_start()
            raise TargetFailed("gone", offset=4096, moved=10)

        def waits(slot: worker_pool.WorkerSlot) -> object:
            slot.wait_for_start()
            while not slot.stop.is_set():
                time.sleep(0.01)
            return 7

        with self.assertRaisesRegex(TargetFailed, "gone") as caught:
            worker_pool.run([waits, fails])
        self.assertEqual((caught.exception.offset, caught.exception.moved), (4096, 10))
        outcome = worker_pool.run_each([fails, lambda slot: slot.wait_for_start() and 5])
        self.assertIsInstance(outcome[0], TargetFailed)
        self.assertEqual(outcome[1], 5)

    def test_a_silent_device_is_not_waited_for(self) -> None:
        """Without progress for the given time the pass fails with what was moved, and the child is gone."""

        def hangs(slot: worker_pool.WorkerSlot) -> None:
            slot.wait_for_start()
            slot.report(0.0, 12345)
            while True:
                time.sleep(1)

        with (
            mock.patch("ulterion.engine.workers.worker_pool.GRACE", 0.1),
            self.assertRaisesRegex(TargetFailed, "stalled") as caught,
        ):
            worker_pool.run([hangs], stall=0.5)
        self.assertEqual(caught.exception.moved, 12345)

    def test_a_flush_may_be_silent_while_its_device_works(self) -> None:
        """As long as the device's counters move it goes on; where they stand still it is given up, where there are none later."""

        def flushes(slot: worker_pool.WorkerSlot) -> int:
            slot.wait_for_start()
            slot.flushing()
            time.sleep(0.9)
            return 3

        self.assertEqual(worker_pool.run([flushes], stall=0.2, pulse=time.monotonic), [3])
        for pulse, longest in ((lambda: (5, 5), 0.6), (None, 0.85)):
            begin = time.monotonic()
            with (
                mock.patch("ulterion.engine.workers.worker_pool.GRACE", 0.0),
                self.assertRaisesRegex(TargetFailed, "flush has not ended"),
            ):
                worker_pool.run([flushes], stall=0.2, pulse=pulse)
            self.assertLess(time.monotonic() - begin, longest)

    def test_a_pass_that_was_stopped_and_continued_is_no_result(self) -> None:
        """SIGSTOP and SIGCONT, as by Ctrl-Z and fg: the child says so in its share."""

        def work(slot: worker_pool.WorkerSlot) -> bool:
            slot.wait_for_start()
            slot.report(0.0, os.getpid())
            while not slot.paused:
                time.sleep(0.01)
            return slot.paused

        def tick(seconds: float, pid: int) -> None:
            if pid:
                os.kill(pid, signal.SIGSTOP)
                os.kill(pid, signal.SIGCONT)

        self.assertEqual(worker_pool.run([work], tick, stall=20), [True])

    def test_a_broken_or_killed_worker_is_said(self) -> None:
        """An error of ours in a child, or its sudden death, is an error here and not a result."""

        def killed(slot: worker_pool.WorkerSlot) -> None:
            os.kill(os.getpid(), signal.SIGKILL)

        def short_of_files(slot: worker_pool.WorkerSlot) -> None:
            raise OSError(errno.EMFILE, "x")

        for job, kind, says in ((lambda slot: 1 // 0, RuntimeError, "ZeroDivisionError"), (killed, WorkerLost, "by SIGKILL"),
                                (short_of_files, OSError, "Too many open files")):  # fmt: skip
            with self.assertRaisesRegex(kind, says):
                worker_pool.run([job])

    def test_children_die_with_their_parent(self) -> None:
        """kill -9 of the parent ends a child that would run for ever."""
        code = (
            "import os,sys,time\nfrom ulterion.engine.workers import worker_pool\n"
            "def job(slot):\n    slot.wait_for_start()\n    slot.report(0.0, os.getpid())\n    time.sleep(600)\n"
            "worker_pool.run([job], lambda seconds, pid: pid and print(pid, flush=True))\n"
        )
        with subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True) as process:
            assert process.stdout is not None
            child = int(process.stdout.readline())
            process.kill()
            process.wait()
        deadline = time.monotonic() + 10
        while time.monotonic() < deadline:
            try:
                os.kill(child, 0)
            except ProcessLookupError:
                return
            stat = Path(f"/proc/{child}/stat")
            if stat.exists() and stat.read_text().rpartition(")")[2].split()[0] == "Z":
                return
            time.sleep(0.05)
        self.fail("the child lives on")
