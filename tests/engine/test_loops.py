"""The timed loops: uncompiled on a clock and a kernel of the test's own, and compiled against that."""

from __future__ import annotations

import errno
import os
import random
import subprocess
import sys
import types
import unittest
from pathlib import Path

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.support import FolderCase
from ulterion.core.errors import TargetFailed
from ulterion.core.workloads.histogram import BUCKETS, buckets_of
from ulterion.core.workloads.series import IntervalSeries
from ulterion.engine.requests import compiler, loops, request_loop
from ulterion.engine.requests.request_loop import RequestRecorder

MS = 1_000_000


def plain_loops(**calls: object) -> types.ModuleType:
    """Return the module of the loops as it is written, with stand-ins for what it calls."""
    module = types.ModuleType("plain_loops")
    text = Path(loops.__file__).read_text()
    exec(compile(text, loops.__file__, "exec"), module.__dict__)
    for name, one in list(vars(module).items()):
        if hasattr(one, "py_func"):
            setattr(module, name, one.py_func)
    vars(module).update(calls)
    return module


PLAIN = plain_loops()


class Device:
    """Stands in for the system calls of positional transfers: takes 1 ms, counts, and fails on order."""

    def __init__(self, fail_at: int | None = None, result: int = -errno.EIO) -> None:
        self.now, self.fail_at, self.result = 0, fail_at, result
        self.seen: list[int] = []
        self.at: list[int] = []

    @property
    def ends(self) -> list[int]:
        """When each request ended: at the look at the clock that followed it."""
        return self.at[1::2]

    def clock(self, room: object) -> int:
        self.now += MS // 2
        self.at.append(self.now)
        return self.now

    def move(self, fd: int, address: int, size: int, offset: int) -> int:
        self.seen.append(offset)
        self.now += MS // 2
        return self.result if len(self.seen) == self.fail_at else size

    def loop(self) -> types.ModuleType:
        return plain_loops(clock=self.clock, read_at=self.move, write_at=self.move)


class Offsets:
    """A feed of consecutive blocks, few at a time."""

    def __init__(self, blocks: int, each: int = 7) -> None:
        self.left = list(range(0, blocks * 4096, 4096))
        self.each = each
        self.work = loops.Work([], [], [0])

    def more(self, state: list[int]) -> None:
        rest, self.left = [*self.work.offsets[state[loops.AT] :], *self.left[: self.each]], self.left[self.each :]
        self.work, state[loops.AT] = loops.Work(rest, [], [0]), 0


class OneAtATime(unittest.TestCase):
    def run_on(self, device: Device, seconds: float, between: int = 0) -> RequestRecorder:
        loop, recorder, feed = device.loop(), RequestRecorder(4096), Offsets(10_000)

        def turn() -> int:
            device.now += between  # whatever is done between two slices
            return loop.one_at_a_time(recorder.counted, feed.work)

        recorder.begin(0, round(seconds * 1e9))
        self.why = request_loop.drive(recorder, feed, turn, request_loop.threading.Event())
        return recorder

    def test_counts_every_request_and_nothing_else(self) -> None:
        """A request takes 1 ms, a turn 1.5: 1333 in two seconds, in order; time that passes between slices is in no request."""
        for between, fewest in ((0, 1333), (20 * MS, 300)):
            device = Device()
            recorder = self.run_on(device, 2.0, between)
            self.assertEqual(self.why, loops.OVER)
            self.assertGreaterEqual(recorder.requests, fewest)
            self.assertEqual(recorder.requests, len(device.seen))
            self.assertEqual(recorder.latency.counts[int(buckets_of(np.array([MS]))[0])], recorder.requests)
            self.assertEqual(sum(recorder.series.values), recorder.bytes)
            self.assertEqual(device.seen, list(range(0, recorder.bytes, 4096)))

    def test_a_failure_names_offset_and_bytes_before_it(self) -> None:
        """The fifth request fails: four are counted, and the error says where."""
        for result, says in (
            (-errno.EIO, "Input/output error"), (-errno.ENODEV, "No such device"), (2048, "moved 2048 of 4096"), (0, "moved 0"),
        ):  # fmt: skip
            recorder = self.run_on(Device(5, result), 1.0)
            self.assertEqual(self.why, loops.FAILED)
            error = request_loop.failure(recorder)
            self.assertRegex(str(error), f"{says}.* at offset 16384")
            self.assertEqual((error.offset, error.moved), (16384, 4 * 4096))


class Kernel:
    """Stands in for a ring's kernel: answers some of what is in flight, in any order, after times of the test's choice."""

    def __init__(self, seed: int, slots: int, fail_at: int | None) -> None:
        self.choose, self.fail_at, self.now = random.Random(seed), fail_at, 1000
        size = 1 << max(0, (slots - 1).bit_length())
        self.rings = loops.Rings(
            sq=[0, 0], cq=[0, 0], entries=[0] * 8 * slots, order=[0] * size, done=[0] * 4 * size, results=[0] * 8 * size,
            begun=[0] * slots, batch=[0] * slots, kinds=[0] * 4,
        )  # fmt: skip
        self.size, self.slots = size, slots
        self.flying: dict[int, tuple[int, int]] = {}
        self.waits: list[int] = []
        self.offsets: list[int] = []
        self.recorder = RequestRecorder(4096)
        state = self.recorder.state
        state[loops.SQ_TAIL], state[loops.CQ_TAIL] = 1, 1
        state[loops.SQ_MASK], state[loops.CQ_MASK] = size - 1, 2 * size - 1

    def clock(self, room: object) -> int:
        self.now += 100
        return self.now

    def system(self, number: int, *rest: int) -> int:
        rings = self.rings
        while rings.sq[0] != rings.sq[1]:
            slot = rings.order[rings.sq[0] & (self.size - 1)]
            assert slot not in self.flying, "a slot was submitted while it was in flight"
            self.flying[slot] = (self.now, rings.entries[slot * 8 + 1])
            self.offsets.append(rings.entries[slot * 8 + 1])
            rings.sq[0] += 1
        self.now += self.choose.randint(1000, 3_000_000)
        done = self.choose.sample(sorted(self.flying), self.choose.randint(0, len(self.flying)))
        for slot in done:
            begun, offset = self.flying.pop(slot)
            at = rings.cq[1] & (2 * self.size - 1)
            rings.done[at * 2] = slot
            good = self.fail_at is None or len(self.waits) != self.fail_at
            rings.results[at * 4 + 2] = 4096 if good else -errno.EIO
            self.failed_offset = offset if not good else getattr(self, "failed_offset", None)
            if good:
                self.waits.append(self.now + 100 - begun)
            else:
                self.fail_at = None
            rings.cq[1] += 1
        return 0 if done else -errno.ETIME


class OnARing(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(st.integers(0, 2**32), st.sampled_from([1, 2, 5, 32]), st.one_of(st.none(), st.integers(0, 40)))
    def test_every_request_comes_home_once_with_its_own_wait(self, seed: int, slots: int, fail_at: int | None) -> None:
        """Whatever order the kernel answers in: waits, offsets and counts are right, and none is left in flight."""
        kernel = Kernel(seed, slots, fail_at)
        loop = plain_loops(clock=kernel.clock, system=kernel.system, acquire=lambda words, at: words[at],
                           release=lambda words, at, value: words.__setitem__(at, value))  # fmt: skip
        recorder, feed = kernel.recorder, Offsets(100_000, each=40)
        feed.more(recorder.state)
        recorder.begin(1000, 60 * MS)
        loop.prime(recorder.counted, kernel.rings, feed.work, slots)
        why = request_loop.drive(
            recorder,
            feed,
            lambda: loop.on_a_ring(recorder.counted, kernel.rings, feed.work),
            request_loop.threading.Event(),
        )
        self.assertEqual((why, recorder.state[loops.IN_FLIGHT], kernel.flying), (loops.OVER, 0, {}))
        self.assertEqual(recorder.requests, len(kernel.waits))
        self.assertEqual(kernel.offsets, list(range(0, len(kernel.offsets) * 4096, 4096)))
        buckets = [loop.bucket_of(wait) for wait in kernel.waits]
        self.assertEqual(recorder.latency.counts.tolist(), np.bincount(buckets, minlength=BUCKETS).tolist())
        if kernel.waits:
            seen = (recorder.latency.sum_ns, recorder.latency.least_ns, recorder.latency.greatest_ns)
            self.assertEqual(seen, (sum(kernel.waits), min(kernel.waits), max(kernel.waits)))
        self.assertEqual(sum(recorder.series.values), recorder.bytes)
        if recorder.state[loops.FAILURES]:
            self.assertEqual(request_loop.failure(recorder).offset, kernel.failed_offset)


class Counting(unittest.TestCase):
    @given(st.lists(st.integers(0, 10**13), min_size=1, max_size=50))
    def test_a_latency_has_the_bucket_of_the_histogram(self, latencies: list[int]) -> None:
        """Compiled, one by one, as by arrays; a boundary may fall either way by the last digit of a logarithm."""
        ours = np.array([loops.bucket_of(one) for one in latencies])
        self.assertLessEqual(int(np.abs(ours - buckets_of(np.array(latencies, dtype=np.int64))).max()), 1)
        self.assertEqual(ours.tolist(), [PLAIN.bucket_of(one) for one in latencies])

    @given(st.lists(st.floats(0, 90), min_size=1, max_size=30))
    def test_a_long_pass_is_folded_like_a_series(self, waits: list[float]) -> None:
        """Requests over minutes and hours: the same intervals and the same bytes as the series of the core counts."""
        recorder, wanted, now = RequestRecorder(4096), IntervalSeries(), 0
        recorder.begin(0, 10**18)
        for wait in waits:
            now += round(wait * 1e9)
            loops.tally(recorder.counted, now, 3)
            wanted.add(np.array([now / 1e9] * 3), 4096)
        self.assertEqual(recorder.series.interval, wanted.interval)
        self.assertEqual(sum(recorder.series.values), sum(wanted.values))
        self.assertLessEqual(abs(len(recorder.series.values) - len(wanted.values)), 1)

    def test_slices_end_with_the_intervals_of_a_load(self) -> None:
        """What ended at an interval's end or later is the next one's; an interval without a request is passed over."""
        told: list[tuple[int, int]] = []

        class Intervals:
            seconds = 0.05

            def add(self, source: int, number: int, requests: int, worst_ns: int, counts: np.ndarray) -> None:
                told.append((number, requests))
                assert counts.sum() == requests

            def reached(self, source: int, number: int) -> None:
                pass

        device, feed = Device(), Offsets(1000)
        loop, recorder = device.loop(), RequestRecorder(4096, Intervals())
        recorder.begin(0, 200 * MS)

        def turn() -> int:
            if len(device.seen) == 40:
                device.now += 60 * MS
            return loop.one_at_a_time(recorder.counted, feed.work)

        request_loop.drive(recorder, feed, turn, request_loop.threading.Event())
        wanted = np.bincount(np.array(device.ends) // (50 * MS))
        self.assertEqual(told, [(number, count) for number, count in enumerate(wanted.tolist()) if count])


@unittest.skipIf(compiler.WHY_NOT is not None, f"no compiler here: {compiler.WHY_NOT}")
class Compiled(unittest.TestCase):
    def test_memory_is_read_and_written_in_order_on_every_processor(self) -> None:
        """In the machine code for arm64 the tail is read before what lies below it, and written after what it announces."""
        code = (
            "import re\nfrom llvmlite import binding\nfrom numba import njit, types\n"
            "from ulterion.engine.requests.compiled_calls import acquire, release\n"
            "def take(words):\n    tail = acquire(words, 1)\n    return tail + words[2]\n"
            "def give(words, value):\n    words[2] = value\n    release(words, 1, value)\n"
            "binding.initialize_all_targets(); binding.initialize_all_asmprinters()\n"
            "machine = binding.Target.from_triple('aarch64-unknown-linux-gnu').create_target_machine()\n"
            "words = types.uint32[::1]\n"
            "for one, kinds in ((take, (words,)), (give, (words, types.int64))):\n"
            "    made = njit(nogil=True)(one); made.compile(kinds)\n"
            "    text = next(iter(made.inspect_llvm().values()))\n"
            "    body = [f for f in re.findall('^define .*?^}', text, re.M | re.S) if re.search('(load|store) atomic', f)][0]\n"
            "    body = re.sub(r' #\\d+|, !\\S+ !\\d+|!\\S+', '', body)\n"
            "    asked = 'target triple = \"aarch64-unknown-linux-gnu\"\\n' + body\n"
            "    said = machine.emit_assembly(binding.parse_assembly(asked))\n"
            "    print(*re.findall(r'\\b(ldar|ldapr|stlr|ldr|str)\\tw', said))\n"
        )
        told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60)
        if "No available targets" in told.stderr:
            self.skipTest("this compiler knows no arm64")
        self.assertEqual(told.returncode, 0, told.stderr)
        take, give = (line.split() for line in told.stdout.splitlines())
        self.assertIn(take, (["ldar", "ldr"], ["ldapr", "ldr"]))
        self.assertEqual(give[-2:], ["str", "stlr"])


class Uncompiled(FolderCase):
    def test_without_the_compiler_everything_works_and_is_marked(self) -> None:
        """A program without the package measures reads, writes and mixes, shallow and deep, and the run says how."""
        code = (
            "import sys\nsys.modules['numba'] = None\nfrom ulterion.cli.main import main\n"
            "words = ['random read 4 KiB', 'sequential write 64 KiB depth 4', 'random mixed 30% writes 4 KiB depth 8']\n"
            "asked = [w for one in words for w in ('--workload', one)]\n"
            "sys.exit(main(['measure', '.', *asked, '--passes', '1', '--seconds', '0.1', '--span', '16 MiB', '--json']))\n"
        )
        environment = {**self.environment(), "PYTHONPATH": os.pathsep.join(sys.path)}
        done = subprocess.run(
            [sys.executable, "-c", code], cwd=self.folder, env=environment, capture_output=True, text=True, timeout=100
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("the timed loops run uncompiled (ModuleNotFoundError", " ".join(done.stderr.split()))
        self.assertIn('"uncompiled": "ModuleNotFoundError', done.stdout)

    def test_compiled_code_is_kept_where_it_may_be_and_nowhere_else(self) -> None:
        """A home that cannot be written: no folder, no error; else one folder for these very sources."""
        code = "from ulterion.engine.requests import code_cache; print(code_cache.folder(), code_cache.is_kept())"
        for home, says in (("/proc/nowhere", "None False"), (str(self.folder), f"{self.folder}/ulterion/engine/")):
            environment = {**os.environ, "XDG_CACHE_HOME": home}
            told = subprocess.run(
                [sys.executable, "-c", code], env=environment, capture_output=True, text=True, check=True
            )
            self.assertTrue(told.stdout.startswith(says), told.stdout)


class Failing(unittest.TestCase):
    def test_the_error_is_the_systems_own(self) -> None:
        """A descriptor that is not open, compiled: minus the system's number, by reading, writing and calling."""
        from ulterion.engine.requests import calls

        self.assertEqual([calls.read_at(-1, 0, 1, 0), calls.write_at(-1, 0, 1, 0)], [-errno.EBADF] * 2)
        self.assertEqual(calls.system(loops.SYS_ENTER, -1, 0, 0, 0, 0, 0), -errno.EBADF)
        recorder = RequestRecorder(4096)
        one = request_loop.RequestLoop(-1, Offsets(5), recorder)
        with self.assertRaisesRegex(TargetFailed, "Bad file descriptor .EBADF. at offset 0"):
            one.feed.more(recorder.state)
            one.feed.work = loops.Work(np.arange(5) * 4096, np.empty(0, np.uint8), np.zeros(1, np.int64))
            one.run(0, 10**9)
