"""The portable engine: on this machine, on a stand-in for Windows, and on one for what macOS asks of a descriptor."""

from __future__ import annotations

import ctypes
import dataclasses
import errno
import json
import os
import re
import struct
import sys
import threading
import time
import types
import unittest
from collections import deque
from pathlib import Path, PurePosixPath, PureWindowsPath
from unittest import mock

import numpy as np

from tests.engine.windows import Library
from tests.support import FolderCase
from ulterion.core.errors import TargetFailed, UsageError
from ulterion.core.workloads.workload import Workload, parse_workload
from ulterion.engine.portable import kernel32 as w
from ulterion.engine.portable import macos, targets, windows
from ulterion.engine.portable.ports import Ports
from ulterion.engine.portable.thread_pool import ThreadPool
from ulterion.engine.portable.timeouts import in_time
from ulterion.engine.portable.turns import on
from ulterion.engine.requests.buffers import Buffers
from ulterion.engine.requests.io_methods import Threads, WorkerTask
from ulterion.engine.workers.worker_pool import WorkerSlot, run
from ulterion.host import commands
from ulterion.model import systems

MIB = 2**20
SPAN = 32 * MIB


def job_of(words: str, file: object, seconds: float = 0.1, span: int = 4 * MIB) -> WorkerTask:
    """Return a short job on a file."""
    workload: Workload = parse_workload(words).settled(seconds, span)
    return on(WorkerTask(-1, workload, 7), file)  # type: ignore[arg-type]


class Structures(unittest.TestCase):
    def test_sizes_and_places_are_the_documented_ones(self) -> None:
        """On 64 bits: OVERLAPPED 32 bytes with the offset at 16, the storage structures, `struct fstore`; a wrong one would be written over."""
        sizes = {w.Overlapped: 32, w.PropertyQuery: 12, w.StorageInfo: 28, w.AccessAlignment: 28, macos.Store: 32}
        self.assertEqual({s: ctypes.sizeof(s) for s in sizes}, sizes)
        self.assertEqual(
            (w.Overlapped.Offset.offset, w.Overlapped.OffsetHigh.offset, w.Overlapped.hEvent.offset), (16, 20, 24)
        )
        self.assertEqual((macos.Store.fst_offset.offset, macos.Store.fst_bytesalloc.offset), (8, 24))
        self.assertEqual(
            (
                w.AccessAlignment.BytesPerPhysicalSector.offset,
                w.StorageInfo.PhysicalBytesPerSectorForPerformance.offset,
            ),
            (20, 8),
        )
        self.assertEqual({ctypes.sizeof(t) for t in (w.DWORD, w.BOOL)}, {4})
        self.assertEqual(w.Overlapped().aim(5 * 2**32 + 4096).OffsetHigh, 5)


class OnWindows(FolderCase):
    def setUp(self) -> None:
        super().setUp()
        self.library = Library()
        self.kernel = self.library.kernel()

    def file(self) -> windows.WindowsFile:
        """Return a test file with something in it."""
        file = windows.create(self.folder, self.kernel)
        self.addCleanup(file.close)
        data = Buffers.pool(MIB, 1)
        for place in range(0, 4 * MIB, MIB):
            self.assertEqual(file.write(data.address, MIB, place), MIB)
        return file

    def test_how_files_are_opened(self) -> None:
        """Unbuffered and overlapped, a test file shared with nobody and deleted with its last handle; the cache only where the other is refused."""
        file = windows.create(self.folder, self.kernel)
        (path, access, share, _, how, flags, _) = self.library.of("CreateFileW")[0]
        self.assertRegex(str(path), r"\.ulterion-test-\d+-[0-9a-f]{8}$")
        self.assertEqual((access, share, how), (w.GENERIC_READ | w.GENERIC_WRITE | w.DELETE, 0, w.CREATE_NEW))
        self.assertEqual(flags, w.NO_BUFFERING | w.OVERLAPPED_IO | w.DELETE_ON_CLOSE)
        self.assertEqual((file.direct, file.sector), (True, 512))
        file.read(Buffers(4096, 1, 1, writes=False).address, 4096, 0)
        file.close()
        file.close()
        self.assertEqual((list(self.folder.iterdir()), self.library.alive), ([], set()))
        self.library.refuses = w.NO_BUFFERING
        file = windows.create(self.folder, self.kernel)
        self.assertFalse(file.direct)
        file.close()
        self.write("theirs", "x" * 4096)
        read_only = windows.existing(self.folder / "theirs", self.kernel)
        self.assertEqual(self.library.of("CreateFileW")[-1][1:3], (w.GENERIC_READ, w.SHARE_READ))
        read_only.close()
        self.assertTrue((self.folder / "theirs").exists())

    def test_names_of_devices(self) -> None:
        """As the system takes them, and as it calls them."""
        for given, taken, called in (
            (PureWindowsPath(r"\\.\PhysicalDrive12"), r"\\.\PhysicalDrive12", "PhysicalDrive12"),
            (PurePosixPath("/dev/rdisk4"), "/dev/rdisk4", "disk4"),
            (PurePosixPath("/dev/disk5"), "/dev/disk5", "disk5"),
        ):
            self.assertEqual((windows.device_path(given), targets.device_name(given)), (taken, called))

    def test_a_device_tells_its_size(self) -> None:
        """By its length, its sectors where a file's are not told; the handle is closed when it does not answer."""
        path = self.write("disk", "x" * 65536)
        self.library.fails["GetFileInformationByHandleEx"] = deque([w.ERROR_INVALID_PARAMETER])
        file, size = windows.device(path, self.kernel)
        self.assertEqual((size, file.sector), (65536, 512))
        file.close()
        self.library.fails["DeviceIoControl"] = deque([w.ERROR_NOT_READY])
        with self.assertRaises(OSError) as caught:
            windows.device(path, self.kernel)
        self.assertEqual((caught.exception.errno, self.library.alive), (errno.ENXIO, set()))

    def test_every_error_is_ours_with_the_systems_words(self) -> None:
        """Opening, moving, flushing: the number that we know, Windows's words and its own number; nothing stays open."""
        for code, number in w.NUMBERS.items():
            self.library.fails["CreateFileW"] = deque([code, code])
            with self.assertRaises(OSError) as caught:
                windows.create(self.folder, self.kernel)
            self.library.fails.clear()
            self.assertEqual(
                (caught.exception.errno, caught.exception.strerror),
                (number, f"Words for {code} (Windows error {code})"),
            )
        self.assertEqual(self.library.alive, set())
        file, data = self.file(), Buffers(4096, 1, 1, writes=False)
        for name, call in (("ReadFile", file.read), ("WriteFile", file.write)):
            self.library.fails[name] = deque([w.ERROR_DEVICE_NOT_CONNECTED])
            with self.assertRaises(OSError) as caught:
                call(data.address, 4096, 0)
            self.assertEqual(caught.exception.errno, errno.ENODEV)
        self.library.fails["FlushFileBuffers"] = deque([w.ERROR_IO_DEVICE])
        with self.assertRaisesRegex(OSError, "Words for 1117"):
            file.flush()
        self.library.fails["ReadFile"] = deque([w.ERROR_HANDLE_EOF])
        self.assertEqual(file.read(data.address, 4096, 0), 0)
        self.library.fails["ReadFile"] = deque([9999])
        with self.assertRaises(OSError) as caught:
            file.read(data.address, 4096, 0)
        self.assertEqual(caught.exception.errno, errno.EIO)

    def test_several_in_flight_on_a_port(self) -> None:
        """Every request comes home once, aligned, never more in flight than the depth; all data written; the port closed."""
        for late in (True, False):
            file, self.library.late = self.file(), late
            for words in (
                "random read 4 KiB depth 8",
                "sequential write 64 KiB depth 4",
                "random mixed 50% writes 4 KiB depth 16",
            ):
                moved = Ports().move(job_of(words, file))
                (recorder,) = moved.recorders
                self.assertGreater(recorder.requests, 20)
                self.assertEqual(int(recorder.latency.counts.sum()), recorder.requests)
                self.assertEqual((len(self.library.queue), self.library.ended), (0, {}))
            file.close()
        self.assertEqual(self.library.alive, set())

    def test_a_port_that_brings_a_failure(self) -> None:
        """A request refused at once, a short one, one that fails on its way: the offset is told, what is in flight is cancelled and waited for."""
        for fail, says in (
            ({"ReadFile": deque([0] * 11 + [w.ERROR_CRC])}, "Words for 23"),
            ({"GetQueuedCompletionStatus": deque([0] * 9 + [w.ERROR_GEN_FAILURE])}, "port failed: Words for 31"),
        ):
            file = self.file()
            self.library.fails.update(fail)
            with self.assertRaisesRegex(TargetFailed, says):
                Ports().move(job_of("random read 4 KiB depth 8", file))
            self.assertEqual(len(self.library.queue), 0)
            self.assertTrue(self.library.of("CancelIoEx"))
            file.close()
        file = self.file()
        self.library.short = deque([4096] * 5 + [512])
        with self.assertRaisesRegex(TargetFailed, "moved 512 of 4096 bytes") as caught:
            Ports().move(job_of("random read 4 KiB depth 8", file))
        self.assertIsNotNone(caught.exception.offset)
        file.close()
        self.assertEqual(self.library.alive, set())

    def test_one_at_a_time(self) -> None:
        """With an event of its own, which no port is told of; a short transfer is a failure with its offset; set aside as long as asked."""
        file = self.file()
        moved = targets.Positional().move(job_of("sequential read 4 KiB depth 1", file))
        self.assertGreater(moved.recorders[0].requests, 50)
        self.library.short = deque([100])
        with self.assertRaisesRegex(TargetFailed, "moved 100 of 4096"):
            targets.Positional().move(job_of("random write 4 KiB depth 1", file))
        self.assertTrue(file.preallocate(8 * MIB))
        self.assertEqual(os.fstat(self.library.opened[file.handle]).st_size, 8 * MIB)


class OnMacos(FolderCase):
    """What macOS is asked of a descriptor, on a stand-in for fcntl; the file itself is one of this machine."""

    def setUp(self) -> None:
        super().setUp()
        self.asked: list[tuple[int, object]] = []
        self.refused: dict[int, int] = {}
        stand_in = types.ModuleType("fcntl")
        stand_in.fcntl = self._fcntl  # type: ignore[attr-defined]
        stand_in.ioctl = self._ioctl  # type: ignore[attr-defined]
        import fcntl

        stand_in.flock, stand_in.LOCK_EX, stand_in.LOCK_NB = fcntl.flock, fcntl.LOCK_EX, fcntl.LOCK_NB  # type: ignore[attr-defined]
        patched = mock.patch.dict(sys.modules, {"fcntl": stand_in})
        patched.start()
        self.addCleanup(patched.stop)
        without = mock.patch("ulterion.engine.targets.test_file.O_DIRECT", 0)
        without.start()
        self.addCleanup(without.stop)

    def _fcntl(self, fd: int, what: int, given: object = 0) -> object:
        os.fstat(fd)  # it must be open
        self.asked.append((what, given))
        if what in self.refused:
            raise OSError(self.refused[what], os.strerror(self.refused[what]))
        return given

    def _ioctl(self, fd: int, what: int, room: bytes) -> bytes:
        return {macos.DKIOCGETBLOCKSIZE: struct.pack("I", 4096), macos.DKIOCGETBLOCKCOUNT: struct.pack("Q", 16)}[what]

    def test_past_the_cache_flushed_and_set_aside(self) -> None:
        """F_NOCACHE on, F_RDAHEAD off, F_FULLFSYNC for a flush, room first in one piece and then in several."""
        file = macos.create(self.folder)
        self.assertEqual((self.asked, file.direct), ([(macos.F_RDAHEAD, 0), (macos.F_NOCACHE, 1)], True))
        self.asked.clear()
        file.flush()
        self.assertEqual(self.asked, [(macos.F_FULLFSYNC, 0)])
        self.assertTrue(file.preallocate(MIB))
        what, told = self.asked[-1]
        store = macos.Store.from_buffer_copy(bytes(told))  # type: ignore[call-overload]
        self.assertEqual((what, store.fst_flags, store.fst_posmode, store.fst_length), (macos.F_PREALLOCATE, 6, 3, MIB))
        self.refused = {macos.F_PREALLOCATE: errno.ENOSPC, macos.F_FULLFSYNC: errno.ENOTSUP}
        self.assertFalse(file.preallocate(MIB))
        self.assertEqual(len([1 for what, _ in self.asked if what == macos.F_PREALLOCATE]), 3)
        file.flush()  # a file system that knows no such flush gets the usual one
        self.refused = {macos.F_FULLFSYNC: errno.EIO}
        with self.assertRaises(OSError):
            file.flush()
        fd = file.fd
        file.close()
        file.close()
        with self.assertRaises(OSError):
            os.fstat(fd)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_where_it_is_refused(self) -> None:
        """A file system without F_NOCACHE is told of; a device gives its size; what cannot be asked is closed."""
        self.refused = {macos.F_NOCACHE: errno.ENOTSUP, macos.F_RDAHEAD: errno.ENOTSUP}
        path = self.write("theirs", "x" * 65536)
        self.assertFalse(macos.existing(path).direct)
        file, size = macos.device(path)
        self.assertEqual((size, file.sector), (65536, 4096))
        file.close()


class Crews(unittest.TestCase):
    def test_threads_start_together_report_and_stop(self) -> None:
        """Results in order; the failure of one stops the others with what all had moved; a silent one is given up."""

        def count(slot: WorkerSlot) -> int:
            start = slot.wait_for_start()
            slot.report(0.0, 100)
            return start

        starts = run([count, count, count], pool=ThreadPool)
        self.assertEqual(len(set(starts)), 1)

        def fail(slot: WorkerSlot) -> None:
            slot.wait_for_start()
            raise TargetFailed("broken", moved=5)

        def go_on(slot: WorkerSlot) -> types.SimpleNamespace:
            slot.wait_for_start()
            while not slot.stop.is_set():
                time.sleep(0.001)
            return types.SimpleNamespace(bytes=7)

        with self.assertRaisesRegex(TargetFailed, "broken") as caught:
            run([go_on, fail], pool=ThreadPool)
        self.assertEqual(caught.exception.moved, 12)
        hanging = threading.Event()
        begun = time.monotonic()
        with (
            mock.patch("ulterion.engine.portable.thread_pool.GRACE", 0.1),
            self.assertRaisesRegex(TargetFailed, "stalled"),
        ):
            run([lambda slot: (slot.wait_for_start(), hanging.wait())], stall=0.3, pool=ThreadPool)
        self.assertLess(time.monotonic() - begun, 30)
        hanging.set()

        def told(slot: WorkerSlot) -> bool:
            slot.wait_for_start()
            time.sleep(0.5)
            return slot.paused

        with mock.patch("ulterion.engine.portable.thread_pool.STOOD_STILL", 0.2):
            self.assertEqual(run([told], lambda seconds, moved: time.sleep(0.3), pool=ThreadPool), [True])
            self.assertEqual(run([told], pool=ThreadPool), [False])

        def refuse(slot: WorkerSlot) -> None:
            raise UsageError("no")

        with self.assertRaisesRegex(UsageError, "no"):
            run([refuse], pool=ThreadPool)


class Patience(unittest.TestCase):
    def test_what_does_not_come_back_is_left_behind(self) -> None:
        """What comes in time is given, what is raised is raised, and a call that hangs is given up with its name."""
        self.assertEqual(in_time(lambda: 3, "x", 5), 3)
        with self.assertRaisesRegex(OSError, "it broke"):
            in_time(mock.Mock(side_effect=OSError(5, "it broke")), "x", 5)
        hanging = threading.Event()
        with self.assertRaisesRegex(TargetFailed, "the drive did not answer within 0 s"):
            in_time(hanging.wait, "the drive", 0.1)
        hanging.set()


class OnThisMachine(FolderCase):
    def setUp(self) -> None:
        super().setUp()
        forced = mock.patch.dict(os.environ, {systems.ENGINE: systems.PORTABLE})
        forced.start()
        self.addCleanup(forced.stop)

    def target(self) -> targets.PortableTarget:
        target = targets.open_portable(self.folder, SPAN, 20.0)
        self.addCleanup(target.close)
        return target

    def test_passes_of_every_kind(self) -> None:
        """What was laid down is there; bytes, requests and series agree; the folder is empty afterwards."""
        target = self.target()
        target.prepare(3)
        for words in (
            "sequential read 1 MiB depth 4",
            "random write 4 KiB depth 1",
            "random mixed 30% writes 16 KiB depth 8",
        ):
            workload = parse_workload(words).settled(0.2, SPAN)
            result = target.run_pass(workload, 5)
            self.assertEqual(result.bytes, result.requests * workload.block_bytes)
            self.assertEqual(sum(result.interval_bytes), result.bytes)
            self.assertEqual(int(result.latency.counts.sum()), result.requests)
            self.assertEqual(result.flush_seconds is None, workload.direction == "read")
        buffer = Buffers(4096, 1, 1, writes=False)
        target.file.read(buffer.address, 4096, SPAN - 4096)
        self.assertGreater(len(np.unique(np.frombuffer(buffer.memory, dtype=np.uint8))), 200)
        target.close()
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_what_is_read_only(self) -> None:
        """A raw device, by the way one is opened: its whole size read; never written, and refused where it is too small."""
        disk, small = self.folder / "disk", self.folder / "small"
        disk.write_bytes(bytes(20 * MIB))
        small.write_bytes(bytes(MIB))
        device = targets.PortableDevice(disk, None, 20.0)
        self.addCleanup(device.close)
        self.assertEqual((device.size, device.span_bytes, device.device_name), (20 * MIB, 20 * MIB, "disk"))
        device.prepare(1)
        self.assertGreater(
            device.run_pass(parse_workload("sequential read 1 MiB depth 2").settled(0.1, 20 * MIB), 1).bytes, 0
        )
        with self.assertRaisesRegex(UsageError, "which the portable engine only reads"):
            device.check(parse_workload("sequential write 1 MiB depth 1"))
        with self.assertRaisesRegex(UsageError, "not a multiple of its sector"):
            device.check(dataclasses.replace(parse_workload("random read 4 KiB depth 1"), block_bytes=700))
        with self.assertRaisesRegex(UsageError, "too small to test with"):
            targets.PortableDevice(small, None, 20.0)
        with self.assertRaisesRegex(UsageError, "use a --span no larger"):
            targets.PortableDevice(disk, 30 * MIB, 20.0)
        with self.assertRaisesRegex(UsageError, "raw devices take root, a folder on the drive does not"):
            targets.PortableDevice(self.folder / "none", None, 20.0)
        self.assertEqual(disk.read_bytes(), bytes(20 * MIB))

    def test_a_run_by_the_command(self) -> None:
        """measure and soak by threads, marked so in the document; what it has not is refused in a sentence."""
        done = self.installed(
            "measure", ".", "--suite", "sequential", "--passes", "3", "--seconds", "0.2", "--span", "32 MiB", "--json"
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("the portable engine makes requests by threads", done.stdout)
        self.assertEqual(set(re.findall(r'"engine": "([^"]+)"', done.stdout)), {"threads", "positional"})
        soak = (
            "soak",
            ".",
            "--for",
            "2 s",
            "--interval",
            "500 ms",
            "--span",
            "32 MiB",
            "--idle",
            "0 s",
            "--cool",
            "0 s",
        )
        told = self.json_of(*soak, "--probe", "case=echo 31")
        self.assertEqual(told["state"], "complete")
        document = json.loads(Path(told["kept_in"]).read_text())
        self.assertEqual([s["name"] for s in document["soak"]["sensors"]], ["case"])
        self.assertIn(31.0, document["soak"]["phases"][0]["sensors"]["case"])
        (self.folder / "a").mkdir()
        (self.folder / "b").mkdir()
        both = ("measure", "a", "--together", "b", "--workload", "sequential read 1 MiB depth 2", "--passes", "2")
        together = self.json_of(*both, "--seconds", "0.2", "--span", "32 MiB")
        self.assertTrue(together)
        for words, says in (
            (("measure", ".", "--workers", "2"), "has one worker"),
            (("measure", ".", "--overwrite", "X"), "writes to no raw device"),
            (("soak", ".", "--files", "1 MiB", "--for", "3 s"), "Linux's own engine only"),
            (("measure", "nothing-there"), "does not exist"),
        ):
            self.refused(*words, says=says)
        with mock.patch.dict(os.environ, {systems.ENGINE: "mine"}):
            self.refused("measure", ".", says="there is no such engine; write portable")
        self.write("small", "x")
        self.refused("measure", "small", says="too small")

    def test_what_threads_cost_is_known(self) -> None:
        """A turn of one, and of many that wait for each other: both above zero, and far below a second."""
        from ulterion.engine.requests.calibration import _threads_cost

        cost = _threads_cost()
        self.assertTrue(0 < cost.one < 1e-3 and cost.deep is not None and 0 < cost.deep < 1e-2, cost)

    def test_the_first_error_of_a_thread_is_told(self) -> None:
        """With its offset, and how much had been moved by all."""

        class Failing:
            direct, sector = True, 1
            count = 0

            def read(self, address: int, size: int, offset: int) -> int:
                Failing.count += 1
                if Failing.count > 40:
                    raise OSError(errno.EIO, "it broke")
                return size

            write = read

        with self.assertRaisesRegex(TargetFailed, "it broke") as caught:
            Threads().move(job_of("random read 4 KiB depth 8", Failing(), 5.0))
        self.assertGreaterEqual(caught.exception.moved, 32 * 4096)


class Elsewhere(FolderCase):
    def test_a_probe_where_processes_have_no_sessions(self) -> None:
        """It is run and ended by itself; what hangs, never stops printing or cannot be run is said."""
        killpg = os.killpg
        del os.killpg
        try:
            done = commands.run(["sh", "-c", "echo 31; echo x >&2; exit 3"], 20)
            self.assertEqual(done, commands.Done(3, "31\n", "x\n"))
            for words, seconds, says in (
                (["sleep", "9"], 0.2, "no answer"),
                (["sh", "-c", "head -c 200000 /dev/zero"], 20, "never stops printing"),
                (["nothing-of-the-kind"], 1, "cannot be run"),
            ):
                with self.assertRaisesRegex(commands.CommandError, says):
                    commands.run(words, seconds)
        finally:
            os.killpg = killpg

    def test_nothing_of_posix_is_needed(self) -> None:
        """Every module loads, and the demo plays and ends in a page, where Python lacks what Windows lacks: fcntl and the like, fork, /proc, memory flags."""
        code = Path(__file__).with_name("without_posix.py").read_text()
        done = self.python(code)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertRegex(done.stdout, r"all loaded, the demo played: .*\d+ sections")
        played, again = (
            {p.name: p.read_bytes() for p in folder.glob("*.json")}
            for folder in (self.demo() / "runs", self.folder / "played")
        )
        self.assertEqual(played, again)  # the demo is the same everywhere and each time


if __name__ == "__main__":
    unittest.main()
