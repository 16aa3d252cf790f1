"""The test file, folders and files as targets, and the runner, on this machine's own disk."""

from __future__ import annotations

import errno
import fcntl
import gc
import os
import signal
import subprocess
import sys
import time
from pathlib import Path
from unittest import mock

from tests.support import FolderCase
from ulterion.core.errors import PassSpoiled, UsageError
from ulterion.core.workloads.histogram import LatencyHistogram
from ulterion.core.workloads.passes import PassResult
from ulterion.core.workloads.workload import Workload, parse_workload
from ulterion.engine import runner
from ulterion.engine.targets import test_file
from ulterion.engine.targets.base import MIB
from ulterion.engine.targets.folder import FolderTarget, reserve, usable_span
from ulterion.engine.targets.plain_file import FileTarget, open_target
from ulterion.features.measure.rest import MAX_COOLING, Rest

READ, WRITE = parse_workload("sequential read 1 MiB depth 2"), parse_workload("random write 4 KiB depth 1")
MIXED = parse_workload("random mixed 30% writes 16 KiB depth 4")


class TestFile(FolderCase):
    def without_nameless(self) -> None:
        patcher = mock.patch("ulterion.engine.targets.test_file._nameless", return_value=None)
        patcher.start()
        self.addCleanup(patcher.stop)

    def test_has_no_name(self) -> None:
        """The file is usable and the folder stays empty, with and without the kernel's nameless files."""
        for _ in range(2):
            opened = test_file.create(self.folder)
            self.assertEqual(list(self.folder.iterdir()), [])
            self.assertEqual(os.fstat(opened.fd).st_size, 0)
            opened.close()
            opened.close()
            self.without_nameless()

    def test_where_names_cannot_be_removed_it_is_removed_on_closing(self) -> None:
        """A platform that keeps the name of an open file loses it at the end."""
        self.without_nameless()
        with mock.patch("os.unlink", side_effect=PermissionError):
            opened = test_file.create(self.folder)
        self.assertEqual(len(list(self.folder.iterdir())), 2)
        self.assertEqual(self.sweep(), [])  # in use
        opened.close()
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_the_next_start_removes_what_a_dead_one_left_and_nothing_else(self) -> None:
        """A file whose writer was killed goes; one in use, a link, and anything of the reviewer's stay."""
        mine = self.write("holiday.mov", "x")
        link = self.folder / f"{test_file.PREFIX}9-0123abcd"
        link.symlink_to(mine)
        (self.folder / f"{test_file.PREFIX}8-0123abcd").mkdir()
        notes = [self.write(f"{test_file.PREFIX}{name}", "mine") for name in
                 ("my-notes", "12-deadbeef", "12-deadbee0.mark", "7-0123abcd", "7-0123abcd.mark", "x")]  # fmt: skip
        kept = {p.name for p in self.folder.iterdir()}
        code = (
            "import mmap,os,sys,time; from pathlib import Path; from unittest import mock; from ulterion.engine.targets import test_file as testfile\n"
            "testfile._nameless = lambda folder: None\n"
            "with mock.patch('os.unlink', side_effect=PermissionError):\n"
            "    opened = testfile.create(Path(sys.argv[1]))\n"
            "os.pwritev(opened.fd, [mmap.mmap(-1, 8192)], 0); print('ready', flush=True); time.sleep(60)\n"
        )
        with subprocess.Popen([sys.executable, "-c", code, str(self.folder)], stdout=subprocess.PIPE) as process:
            assert process.stdout is not None
            process.stdout.readline()
            self.assertEqual(self.sweep(), [])
            os.kill(process.pid, signal.SIGKILL)
            process.wait()
        self.assertEqual(len(self.sweep()), 2)  # the file and the mark beside it
        self.assertEqual({p.name for p in self.folder.iterdir()}, kept)
        self.assertEqual({p.read_text() for p in notes} | {mine.read_text()}, {"mine", "x"})

    def sweep(self) -> list[str]:
        folder = os.open(self.folder, os.O_RDONLY)
        try:
            return test_file.sweep(folder)
        finally:
            os.close(folder)

    def test_one_killed_before_its_name_was_gone_is_removed(self) -> None:
        """Between making the name and removing it the file holds our mark, and nothing else of ours."""
        self.without_nameless()
        with mock.patch("os.unlink", side_effect=KeyboardInterrupt), self.assertRaises(KeyboardInterrupt):
            test_file.create(self.folder)
        (left,) = self.folder.iterdir()
        self.assertEqual(left.read_bytes(), test_file.mark_of(left.name))
        gc.collect()
        for fd in [p.name for p in Path("/proc/self/fd").iterdir()]:  # the lock goes with the process that died
            if os.path.realpath(f"/proc/self/fd/{fd}") == str(left):
                os.close(int(fd))
        self.assertEqual(self.sweep(), [left.name])

    def test_refusals_say_what_to_do(self) -> None:
        """A read-only, forbidden or full place is refused with its own remedy."""
        for number, says in (
            (errno.EROFS, "read-only; remount"),
            (errno.EACCES, "that you may write to"),
            (errno.ENOSPC, "make room"),
        ):
            with mock.patch("os.open", side_effect=OSError(number, "x")), self.assertRaisesRegex(UsageError, says):
                test_file.create(self.folder)


class Room(FolderCase):
    def room(self, blocks: int, free: int) -> mock._patch:
        facts = mock.Mock(f_bavail=free, f_blocks=blocks, f_frsize=MIB)
        return mock.patch("ulterion.engine.targets.folder.os.statvfs", return_value=facts)

    def test_the_reserve_stays_free(self) -> None:
        """5% but 32 MiB at least and 4 GiB at most stay free, whatever is asked for."""
        self.assertEqual([reserve(s * MIB) // MIB for s in (100, 10_000, 10**7)], [32, 500, 4096])
        with self.room(10_000, 5_000):
            self.assertEqual(usable_span(self.folder, None), 4096 * MIB)
            self.assertEqual(usable_span(self.folder, 4500 * MIB), 4500 * MIB)
            with self.assertRaisesRegex(UsageError, "use --span"):
                usable_span(self.folder, 4504 * MIB)
        with self.room(10_000, 600):
            self.assertEqual(usable_span(self.folder, None), 100 * MIB)
        with self.room(10_000, 510), self.assertRaisesRegex(UsageError, "make room"):
            usable_span(self.folder, None)


class RealPass(FolderCase):
    def test_a_folder_is_measured_and_left_as_it_was(self) -> None:
        """Passes on this disk add up, reads find real data laid down before, and nothing stays behind."""
        target = FolderTarget(self.folder, 16 * MIB)
        self.addCleanup(target.close)
        told: list[tuple[int, int]] = []
        target.prepare(1, lambda done, total: told.append((done, total)))
        self.assertEqual(told[-1], (16 * MIB, 16 * MIB))
        facts = os.fstat(target._file.fd)
        self.assertGreaterEqual(facts.st_blocks * 512, 16 * MIB)
        on_prefill = Path(f"/proc/self/fd/{target.fd}").read_bytes()
        self.assertEqual(
            len({on_prefill[i : i + 4096] for i in range(0, 16 * MIB, 4096)}), 4096
        )  # no hole, no repetition
        for workload in (READ, WRITE, MIXED):
            one = target.run_pass(workload.settled(0.3, target.span_bytes), 5)
            self.assertEqual(one.bytes, one.requests * workload.block_bytes)
            self.assertEqual(one.bytes, sum(one.interval_bytes))
            self.assertEqual(one.requests, one.latency.total)
            self.assertGreaterEqual(one.seconds, 0.3)
            self.assertEqual(one.flush_seconds is None, workload is READ)  # mixed passes end on the medium, too
            self.assertGreaterEqual(one.seconds * workload.depth * 1.001, one.latency.mean * one.requests)
        target.close()
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_file_of_the_reviewers_is_read_and_never_written(self) -> None:
        """Reads run, writes are refused before anything happens, holes are noticed."""
        path = self.folder / "clip.mov"
        path.write_bytes(os.urandom(MIB) * 20)
        before = path.stat()
        target = open_target(path)
        self.addCleanup(target.close)
        assert isinstance(target, FileTarget)
        self.assertFalse(target.holes)
        self.assertGreater(target.run_pass(READ.settled(0.1, target.span_bytes), 1).requests, 0)
        with self.assertRaisesRegex(UsageError, "your own file"):
            target.check(WRITE)
        self.assertEqual(path.stat().st_mtime_ns, before.st_mtime_ns)
        with (self.folder / "sparse.mov").open("wb") as out:
            out.truncate(32 * MIB)
        sparse = FileTarget(self.folder / "sparse.mov")
        self.addCleanup(sparse.close)
        self.assertTrue(sparse.holes)

    def test_what_is_not_a_target_is_refused(self) -> None:
        """Missing, too small, a device node or pipe: each is said."""
        self.write("small", "x")
        os.mkfifo(self.folder / "pipe")
        cases = {"nope/deeper": "nor does", "small": "too small"}
        for name, says in cases.items():
            with self.subTest(name), self.assertRaisesRegex(UsageError, says):
                open_target(self.folder / name)
        with self.assertRaisesRegex(UsageError, "neither a folder nor a plain file"):
            FileTarget(Path("/dev/zero"))

    def test_without_direct_access_the_run_says_so(self) -> None:
        """Where the cache cannot be bypassed, be it refused at once or with the first transfer, the pass still runs and `cache_bypassed` is False."""
        for refused in ("fcntl.fcntl", "os.preadv"):
            with self.subTest(refused):
                with mock.patch(refused, side_effect=OSError(errno.EINVAL, "x")):
                    target = FolderTarget(self.folder, 16 * MIB)
                self.addCleanup(target.close)
                self.assertFalse(fcntl.fcntl(target._file.fd, fcntl.F_GETFL) & os.O_DIRECT)
                target.prepare(1)
                self.assertFalse(target.cache_bypassed)
                self.assertGreater(target.run_pass(READ.settled(0.05, target.span_bytes), 1).bytes, 0)


class Rounds(FolderCase):
    def test_workloads_take_turns_and_no_seed_repeats(self) -> None:
        """Pass 1 of each, then pass 2 of each; every pass has its own seed; the same schedule has the same seeds."""
        steps: list[str] = []
        seeds: list[int] = []

        class Fake:
            span_bytes = MIB

            def prepare(self, seed: int, on_prefill: object = None) -> None:
                steps.append("prepare")

            def run_pass(self, workload: Workload, seed: int, tick: object = None) -> PassResult:
                seeds.append(seed)
                return result_of(1.0)

        class Told(runner.Observer):
            def begin(self, index: int, workload: Workload, number: int) -> None:
                steps.append(f"{workload.name[:6]}{number}")

        for _ in range(2):
            runner.run(Fake(), runner.Schedule([READ, WRITE], 2, 9), Told())
        self.assertEqual(steps[:5], ["prepare", "sequen1", "random1", "sequen2", "random2"])
        self.assertEqual((seeds[:4], len(set(seeds))), (seeds[4:], 4))


def result_of(rate: float) -> PassResult:
    """Return a pass of a second at one rate, in a hundred requests."""
    block = rate / 100
    return PassResult(rate, 1.0, 100, LatencyHistogram(), None, None, 0.1, (block * 10,) * 10)  # type: ignore[arg-type]


class Repeating(FolderCase):
    """Passes until sure, warm-ups and rests, on a target whose rates are given."""

    def run_with(
        self, rates: list[list[float]], **settings: object
    ) -> tuple[list[tuple[int, int]], dict[int, str], list[str]]:
        """Return (index, number) of every pass, the reasons, and what happened in order."""
        passes: list[tuple[int, int]] = []
        reasons: dict[int, str] = {}
        steps: list[str] = []
        queues = [iter(r) for r in rates]

        class Fake:
            span_bytes = MIB

            def prepare(self, seed: int, on_prefill: object = None) -> None:
                steps.append("prepare")

            def run_pass(self, workload: Workload, seed: int, tick: object = None) -> PassResult:
                steps.append("pass")
                return result_of(next(queues[0 if workload is READ else 1]))

        class Told(runner.Observer):
            def end(self, index: int, workload: Workload, number: int, result: object) -> None:
                passes.append((index, number))

            def ended(self, index: int, why: str) -> None:
                reasons[index] = why

        schedule = runner.Schedule([READ, WRITE][: len(rates)], 3, 1, rest=lambda: steps.append("rest"), **settings)  # type: ignore[arg-type]
        runner.run(Fake(), schedule, Told())
        return passes, reasons, steps

    def test_sure_ones_stop_and_others_go_on_to_the_limit(self) -> None:
        """A steady workload stops at its passes, a noisy one when sure or at the limit, each with its reason."""
        noisy = [100.0, 140.0] * 10
        passes, reasons, _ = self.run_with([[100.0] * 3, noisy], sure=runner.PrecisionRule(0.01, 8))
        self.assertEqual([sum(i == index for i, _ in passes) for index in (0, 1)], [3, 8])
        self.assertRegex(reasons[0], "^sure within 1% .* after 3 passes")
        self.assertRegex(reasons[1], "^not sure within 1%: ±.* after the most passes allowed, 8")
        cached = [400.0, *[100.0, 100.1, 99.9] * 4]  # no mean of both is ever sure; the second state is
        passes, reasons, _ = self.run_with([[100.0] * 3, cached], sure=runner.PrecisionRule(0.01, 12))
        self.assertRegex(reasons[1], r"^sure within 1% \(cached no interval yet, after the cache ±0.*\) after 4 passes")
        settling = [100.0, 101.0, 100.0, *[100.4] * 20]
        passes, reasons, _ = self.run_with([settling], sure=runner.PrecisionRule(0.01, 20))
        self.assertTrue(5 < len(passes) < 20)
        self.assertIn(f"after {len(passes)} passes", reasons[0])
        _, reasons, _ = self.run_with([noisy], sure=runner.PrecisionRule(0.01, 20, most_seconds=0.0))
        self.assertIn("when the time was up", reasons[0])

    def test_a_warm_up_is_kept_but_decides_nothing(self) -> None:
        """Round 0 comes first and is not counted, and the drive rests before every pass but the first."""
        passes, _, steps = self.run_with([[1.0, 100.0, 100.0, 100.0]], warm_up=True, sure=runner.PrecisionRule(0.01, 9))
        self.assertEqual(passes, [(0, 0), (0, 1), (0, 2), (0, 3)])
        self.assertEqual(steps, ["prepare", "pass", "rest", "pass", "rest", "pass", "rest", "pass"])

    def test_sleep_of_the_machine_ends_the_pass(self) -> None:
        """A pass during which the boot clock ran ahead of the monotonic one is not a result."""
        target = FolderTarget(self.folder, 16 * MIB)
        self.addCleanup(target.close)
        target.prepare(1)
        with (
            mock.patch("ulterion.engine.targets.base.seconds_asleep", side_effect=[5.0, 65.0]),
            self.assertRaisesRegex(PassSpoiled, "asleep for 60 s"),
        ):
            target.run_pass(READ.settled(0.05, target.span_bytes), 1)

    def test_cooling_waits_for_the_thermometer(self) -> None:
        """The rest ends when the drive is cool, or at last; without a thermometer it is refused."""
        readings = iter([60.0, 50.0, 44.0])
        slept: list[float] = []
        rest = Rest(2.5, 45.0, lambda: next(readings), slept.append, lambda words: None)
        rest()
        self.assertEqual(slept, [1.0, 1.0, 0.5, 1.0, 1.0])
        stuck: list[float] = []
        Rest(0.0, 45.0, lambda: 80.0, stuck.append, lambda words: None)()
        self.assertEqual(len(stuck), MAX_COOLING)
        with self.assertRaisesRegex(UsageError, "shows no temperature"):
            Rest(0.0, 45.0, lambda: None, slept.append, lambda words: None).check()


class KernelCounters(FolderCase):
    """The kernel's own counters and a plain copy tool as witnesses, where a real block device is under the folder."""

    def setUp(self) -> None:
        super().setUp()
        from ulterion.host.facts import target_facts

        disk = target_facts(self.folder).device
        if disk is None or not Path(f"/sys/block/{disk}/stat").exists():
            self.skipTest(f"no block device with counters under {self.folder}")
        self.disk = disk

    def moved(self) -> tuple[int, int]:
        """Return (bytes read, bytes written) of the disk since it was started (kernel documentation, block/stat)."""
        fields = Path(f"/sys/block/{self.disk}/stat").read_text().split()
        return int(fields[2]) * 512, int(fields[6]) * 512

    def charged(self) -> tuple[int, int]:
        """Return (bytes read, bytes written) that the kernel has charged this process and its ended children with (proc(5), /proc/pid/io)."""
        fields = dict(line.split(": ") for line in Path("/proc/self/io").read_text().splitlines())
        return int(fields["read_bytes"]), int(fields["write_bytes"])

    def test_bytes_agree_with_the_kernels_within_two_per_cent(self) -> None:
        """What a run says it moved is what the disk's counters say, or where others keep the disk busy what the process was charged with."""
        for words in ("sequential read 1 MiB depth 4", "sequential write 1 MiB depth 1", "random read 4 KiB depth 8"):
            with self.subTest(words):
                self.assertTrue(any(self._apart(words) < 0.02 for _ in range(8)))  # others use the disk too

    def _apart(self, words: str) -> float:
        """Return by which share the kernel's count differs from ours, what others move at the same rate as before left out."""
        os.sync()
        which = "write" in words
        start, before = time.monotonic(), self.moved()[which]
        time.sleep(0.3)
        middle, now, charged = time.monotonic(), self.moved()[which], self.charged()[which]
        data = self.json_of("measure", ".", "--workload", words, "--workers", "1", "--passes", "2", "--seconds", "0.5",
                            "--span", "64 MiB")  # fmt: skip
        os.sync()
        others = (now - before) / (middle - start) * (time.monotonic() - middle)
        ours = sum(p["bytes"] for p in data["run"]["workloads"][0]["passes"])
        if which:
            ours += data["run"]["settings"]["span_bytes"]
        counts = (self.moved()[which] - now - others, self.charged()[which] - charged)
        return min(abs(count / ours - 1) for count in counts)

    def test_agrees_with_dd_within_noise(self) -> None:
        """Alternating passes of 4 KiB reads and dd over the same file: no difference beyond the passes' own spread.

        Not larger: dd's buffer is scattered over memory, as much as that is fragmented just then, and ours is not; virtual
        disks take a large scattered request up to twice as long.
        """
        from ulterion.core.stats.estimates import ratio

        path = self.folder / "big"
        data = os.urandom(MIB)
        with path.open("wb") as out:
            for _ in range(96):
                out.write(data)
            os.fsync(out.fileno())
        target = FileTarget(path)
        self.addCleanup(target.close)
        if not target.cache_bypassed:
            self.skipTest("the file system has no direct access, so dd cannot either")
        one = parse_workload("sequential read 4 KiB depth 1").settled(0.2, target.span_bytes)
        for _ in range(3):  # one quiet moment in three is enough: the machine may be shared
            ours, theirs = [], []
            for number in range(7):
                ours.append(target.run_pass(one, number).rate)
                theirs.append(self._dd(path))
            found = ratio(ours, theirs)
            # three times the 95% half width is far beyond chance; 5% is allowed for a quiet disk with no spread at all
            half = max(0.05, 3 * ((found.high or 1) / (found.low or 1)) ** 0.5 - 3)
            if abs(found.value - 1) < half:
                return
        self.fail(f"{found}\n{ours}\n{theirs}")

    def _dd(self, path: Path) -> float:
        command = ["dd", f"if={path}", "of=/dev/null", "bs=4K", "count=4000", "iflag=direct"]
        told = subprocess.run(
            command, capture_output=True, text=True, check=True, env={"LC_ALL": "C", **os.environ}
        ).stderr
        *_, copied = told.strip().splitlines()
        return int(copied.split()[0]) / float(copied.split(", ")[-2].removesuffix(" s"))


class Killed(FolderCase):
    def test_kill_9_in_mid_run_keeps_what_was_finished(self) -> None:
        """The finished passes are there, the run is interrupted, no test file is left, other runs are untouched."""
        self.write("review.toml", "schema = 2\n")
        (self.folder / "drive").mkdir()
        first = self.json_of("measure", "drive", "--workload", "random read 4 KiB", "--passes", "1", "--seconds", "0.1",
                             "--span", "16 MiB")  # fmt: skip
        kept = Path(first["kept_in"]).read_bytes()
        process = self.begun("measure", "drive", "--workload", "random read 4 KiB", "--passes", "500", "--seconds", "0.1",
                             "--span", "16 MiB", passes=3)  # fmt: skip
        process.kill()
        process.communicate()
        told = self.ulterion("compare")
        self.assertIn("finished passes are kept", told.stderr)
        runs = sorted((self.folder / "runs").glob("*.json"))
        self.assertEqual((len(runs), list((self.folder / "drive").iterdir())), (2, []))
        from ulterion.model.runs.document import parse_run

        (cut_off,) = set(runs) - {Path(first["kept_in"])}
        run = parse_run(cut_off.read_text(), "x")
        self.assertEqual(run.state.name, "interrupted")
        self.assertGreaterEqual(len(run.workloads[0].passes), 3)
        self.assertEqual(Path(first["kept_in"]).read_bytes(), kept)

    def test_being_asked_to_stop_keeps_the_run_and_says_so(self) -> None:
        """SIGINT, SIGTERM and SIGHUP in mid-run: status 130, the run is written, the test file gone."""
        self.write("review.toml", "schema = 2\n")
        for number, words in ((signal.SIGINT, "by hand"), (signal.SIGTERM, "SIGTERM"), (signal.SIGHUP, "SIGHUP")):
            for depth in (4,) if number == signal.SIGINT else (1,):
                process = self.begun("measure", ".", "--workload", f"random read 4 KiB depth {depth}", "--passes", "400",
                                     "--seconds", "0.1", "--span", "16 MiB", "--json", passes=2)  # fmt: skip
                process.send_signal(number)
                out, err = process.communicate(timeout=30)
                self.assertEqual(process.returncode, 130, err)
                self.assertRegex(err.splitlines()[-1], words)
                self.assertIn('"state": "interrupted"', out)
                self.assertEqual({p.name for p in self.folder.iterdir()}, {"review.toml", "runs"})
        self.assertEqual(list((self.folder / "runs").glob("*.journal")), [])
