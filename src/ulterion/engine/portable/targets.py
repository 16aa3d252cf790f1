"""Folders, files and raw devices as targets of the portable engine."""

from __future__ import annotations

import contextlib
import ctypes
import os
import shutil
import sys
from collections.abc import Callable
from functools import partial
from pathlib import Path, PurePath
from typing import TypeVar

from ulterion.core.errors import TargetFailed, UsageError
from ulterion.core.records import dataclass
from ulterion.core.units import show_block
from ulterion.core.workloads.passes import OnPrefill, PassResult, Tick
from ulterion.core.workloads.workload import DriveWorkload
from ulterion.engine.portable.files import MediumFile, ways
from ulterion.engine.portable.thread_pool import ThreadPool
from ulterion.engine.portable.timeouts import in_time
from ulterion.engine.requests.io_methods import IoMethod, Positional, Threads, WorkerTask
from ulterion.engine.targets.base import RealTarget, prefill
from ulterion.engine.targets.folder import fitting_span
from ulterion.engine.targets.plain_file import only_reads, span_within
from ulterion.engine.targets.test_file import unwritable
from ulterion.engine.workers.children import GRACE
from ulterion.model.systems import system

SWITCH = 0.0005  # seconds that a thread may compute before another gets its turn; the usual 5 ms are longer than most requests
WHY = "the portable engine: a thread for each request in flight"


@dataclass
class _Held:
    """A system's file in the place of a descriptor (`ulterion.engine.targets.base.Held`)."""

    file: MediumFile
    fd: int = -1

    @property
    def direct(self) -> bool:
        """Whether the system's cache is out of the way."""
        return self.file.direct

    def close(self) -> None:
        """Close it, or leave that to a thread where it takes longer than a moment; may be called twice."""
        with contextlib.suppress(TargetFailed, OSError):
            in_time(self.file.close, "the file", GRACE)


class PortableTarget(RealTarget):
    """The base of these targets: requests by threads, on a file with its own calls."""

    pool = ThreadPool

    def __init__(self, path: Path, file: MediumFile, span_bytes: int) -> None:
        super().__init__(path, _Held(file), span_bytes)
        self.file = file
        self.workers = 1  # the threads of one process share one interpreter: more workers would wait for each other

    def io_method(self, depth: int) -> IoMethod:
        """Return the method that keeps a number of requests in flight."""
        if depth > 1 and system() == "windows":
            from ulterion.engine.portable.ports import Ports

            return Ports()
        return Positional() if depth == 1 else Threads(WHY)

    def _placed(self, job: WorkerTask) -> WorkerTask:
        """Return a job on the system's file."""
        from ulterion.engine.portable.turns import on  # the loops, which only a measurement needs

        return on(job, self.file)

    def check(self, workload: DriveWorkload) -> None:
        """Refuse requests that are not a multiple of a sector: the system would."""
        super().check(workload)
        if workload.block_bytes % self.file.sector:
            raise UsageError(
                f"{self.path}: a request of {show_block(workload.block_bytes)} is not a multiple of its sector of {self.file.sector} B; use a larger one"
            )

    def run_pass(self, workload: DriveWorkload, seed: int, tick: Tick | None = None) -> PassResult:
        """Run one pass, in threads that get their turns soon."""
        usual = sys.getswitchinterval()
        sys.setswitchinterval(SWITCH)
        try:
            return super().run_pass(workload, seed, tick)
        finally:
            sys.setswitchinterval(usual)

    def write_at(self, data: memoryview[int], offset: int) -> int:
        """Write at a place; return the bytes written."""
        return self.file.write(ctypes.addressof(ctypes.c_char.from_buffer(data)), len(data), offset)

    def preallocate(self) -> bool:
        """Give the test file its whole size without writing it."""
        return self.file.preallocate(self.span_bytes)

    def flush(self) -> None:
        """Put what was written on the medium."""
        self.file.flush()

    def _forget_cached(self, fd: int) -> None:
        """Nothing can be dropped here."""


Made = TypeVar("Made")


class PortableFolder(PortableTarget):
    """A folder on a mounted drive; the tests run in a file of our own in it."""

    def __init__(self, folder: Path, span_bytes: int | None, stall: float) -> None:
        room = shutil.disk_usage(folder)
        span = fitting_span(folder, span_bytes, room.free, room.total)
        facts = folder.stat()
        super().__init__(folder, _opened(ways().create, folder, unwritable, stall), span // 4096 * 4096)
        self.key, self.stall = (facts.st_dev, facts.st_ino), stall

    def make_room(self, workload: DriveWorkload, seed: int, on_prefill: OnPrefill | None = None) -> None:
        """Allocate room for what will be written in order; lay down everything else, since a file must be written before its middle can be."""
        if workload.direction == "write" and workload.pattern == "sequential":
            self.preallocate()
            return
        self.prepare(seed, on_prefill)

    def prepare(self, seed: int, on_prefill: OnPrefill | None = None) -> None:
        """Lay the whole test file down on the medium."""
        prefill(self, seed, on_prefill)


class PortableFile(PortableTarget):
    """A plain file of the reviewer's, which is read and never written."""

    def __init__(self, path: Path, span_bytes: int | None, stall: float) -> None:
        if not path.is_file():
            raise UsageError(f"{path} is neither a folder nor a plain file; name a folder on the drive")
        facts = path.stat()
        span = span_within(path, facts.st_size, span_bytes)
        super().__init__(path, _opened(ways().existing, path, _unreadable, stall), span)
        self.key, self.stall = (facts.st_dev, facts.st_ino), stall

    def check(self, workload: DriveWorkload) -> None:
        """Refuse writes: the file is the reviewer's."""
        super().check(workload)
        only_reads(self.path, workload)

    def prepare(self, seed: int, on_prefill: OnPrefill | None = None) -> None:
        """Nothing is laid down."""

    def cautions(self) -> list[str]:
        """Warn of what the system's cache may still hold."""
        if system() == "macos":
            return [
                f"macOS reads what it has cached of {self.path.name} from memory: of a file that was just copied or opened, figures are too high"
            ]
        return []


class PortableDevice(PortableTarget):
    """A raw device, which is read only."""

    def __init__(self, path: Path, span_bytes: int | None, stall: float) -> None:
        file, size = _opened(ways().device, path, _closed_device, stall)
        try:
            super().__init__(path, file, span_within(path, size, span_bytes))
        except UsageError:
            file.close()
            raise
        self.stall, self.size, self.device_name = stall, size, device_name(path)

    def check(self, workload: DriveWorkload) -> None:
        """Refuse writes."""
        super().check(workload)
        if workload.direction != "read":
            raise UsageError(
                f"{self.path} is a raw device, which the portable engine only reads; to test writing, name a folder on it"
            )

    def prepare(self, seed: int, on_prefill: OnPrefill | None = None) -> None:
        """Nothing is laid down."""


def _opened(how: Callable[[Path], Made], path: Path, words: Callable[[Path, OSError], str], stall: float) -> Made:
    """Open by a system's own way; raise UsageError with its words, TargetFailed where it does not answer."""
    try:
        return in_time(partial(how, path), str(path), stall)
    except OSError as error:
        raise UsageError(words(path, error)) from error


def _unreadable(path: Path, error: OSError) -> str:
    return f"{path} cannot be read: {error.strerror}; check its name and permissions"


def _closed_device(path: Path, error: OSError) -> str:
    who = "an administrator" if system() == "windows" else "root"
    return f"{path} cannot be read: {error.strerror}; raw devices take {who}, a folder on the drive does not"


def device_name(path: PurePath) -> str:
    r"""Return what the system calls a raw device: disk4 of /dev/rdisk4, PhysicalDrive1 of \\.\PhysicalDrive1."""
    last = str(path).rstrip("\\/").replace("\\", "/").rpartition("/")[2]
    return last.removeprefix("r") if last.startswith("rdisk") else last


def is_raw_device(path: Path) -> bool:
    """Return whether a path names a raw device by the system's way of naming them."""
    name = str(path)
    if system() == "windows":
        return name.upper().startswith("\\\\.\\PHYSICALDRIVE")
    return path.is_block_device() or (system() == "macos" and name.startswith(("/dev/disk", "/dev/rdisk")))


def open_portable(path: Path, span_bytes: int | None, stall: float) -> PortableTarget:
    """Open a folder, a plain file or a raw device; raise UsageError that says what is wrong with it."""
    if is_raw_device(path):
        return PortableDevice(path, span_bytes, stall)
    if not path.exists():
        raise UsageError(f"{path} does not exist; plug the drive in and mount it, or check the name")
    if path.is_dir():
        if not os.access(path, os.W_OK):
            raise UsageError(f"{path} cannot be written by you; choose a folder on that drive that you may write to")
        return PortableFolder(path, span_bytes, stall)
    return PortableFile(path, span_bytes, stall)
