"""A stand-in for Windows: its calls on an ordinary file, which keep what they were called with and mind what it minds."""

# ruff: noqa: N802 - its calls are called as there

from __future__ import annotations

import ctypes
import os
import tempfile
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from ulterion.engine.portable import kernel32 as w

SECTOR = 512


@dataclass
class Call:
    """A foreign function as ctypes has it: types can be set, and it can be called."""

    work: Callable[..., int]
    restype: object = None
    argtypes: object = None

    def __call__(self, *arguments: object) -> int:
        return self.work(*arguments)


@dataclass
class Library:
    """kernel32.dll on a file of this machine.

    Attributes:
        fails: for a call's name, the errors that its next calls end with (0: it works).
        short: bytes that the next transfers move instead of all.
        refuses: flags that no file is opened with.
        late: whether requests end only when the port is asked, as on a real device; else some end at once.
    """

    fails: dict[str, deque[int]] = field(default_factory=dict)
    short: deque[int] = field(default_factory=deque)
    refuses: int = 0
    late: bool = True
    called: list[tuple[str, tuple[object, ...]]] = field(default_factory=list)
    error: int = 0
    paths: dict[int, Path] = field(default_factory=dict)
    opened: dict[int, int] = field(default_factory=dict)
    gone: set[int] = field(default_factory=set)
    alive: set[int] = field(default_factory=set)
    ended: dict[int, tuple[int, int]] = field(default_factory=dict)
    queue: deque[int] = field(default_factory=deque)
    ports: dict[int, int] = field(default_factory=dict)
    last: int = 1000

    def kernel(self) -> w.Kernel:
        return w.Kernel(self, lambda: self.error)  # type: ignore[arg-type]

    def __getattr__(self, name: str) -> Call:
        if not name[0].isupper():
            raise AttributeError(name)
        call = Call(lambda *arguments: self._called(name, arguments))
        setattr(self, name, call)
        return call

    def _called(self, name: str, arguments: tuple[object, ...]) -> int:
        self.called.append((name, arguments))
        waiting = self.fails.get(name)
        if waiting and (code := waiting.popleft()):
            self.error = code
            return w.INVALID_HANDLE if name == "CreateFileW" else 0
        result: int = getattr(self, f"_{name}")(*arguments)
        return result

    def of(self, name: str) -> list[tuple[object, ...]]:
        """The arguments of every call of a name."""
        return [a for n, a in self.called if n == name]

    def _new(self) -> int:
        self.last += 4  # the two lowest bits of a handle are free for marks
        self.alive.add(self.last)
        return self.last

    def _CreateFileW(self, path: str, access: int, share: int, _: None, how: int, flags: int, __: None) -> int:
        if flags & self.refuses:
            self.error = w.ERROR_INVALID_PARAMETER
            return w.INVALID_HANDLE
        extra = os.O_CREAT | os.O_EXCL if how == w.CREATE_NEW else 0
        try:
            fd = os.open(path, (os.O_RDWR if access & w.GENERIC_WRITE else os.O_RDONLY) | extra, 0o600)
        except OSError as error:
            codes = {2: w.ERROR_FILE_NOT_FOUND, 13: w.ERROR_ACCESS_DENIED, 17: w.ERROR_FILE_EXISTS}
            self.error = codes.get(error.errno or 0, w.ERROR_GEN_FAILURE)
            return w.INVALID_HANDLE
        handle = self._new()
        self.opened[handle] = fd
        if flags & w.DELETE_ON_CLOSE:
            self.paths[handle] = Path(path)
        return handle

    def _transfer(self, writes: bool, handle: int, address: int, size: int, request: w.Overlapped) -> int:
        offset = request.Offset + (request.OffsetHigh << 32)
        assert address % SECTOR == size % SECTOR == offset % SECTOR == 0, "not aligned: Windows refuses it (87)"
        memory = (ctypes.c_char * size).from_address(address)
        if writes:
            moved = os.pwrite(self.opened[handle], memory, offset)
        else:
            moved = os.preadv(self.opened[handle], [memory], offset)
        moved = self.short.popleft() if self.short else moved
        self.ended[ctypes.addressof(request)] = (moved, 0)
        if not (request.hEvent or 0) & 1:
            assert handle in self.ports, "a request without an event, and no port"
            self.queue.append(ctypes.addressof(request))
        self.error = w.ERROR_IO_PENDING
        return int(not self.late)

    def _ReadFile(self, handle: int, address: int, size: int, _: None, request: w.Overlapped) -> int:
        return self._transfer(False, handle, address, size, request)

    def _WriteFile(self, handle: int, address: int, size: int, _: None, request: w.Overlapped) -> int:
        return self._transfer(True, handle, address, size, request)

    def _GetOverlappedResult(self, handle: int, request: w.Overlapped, moved: ctypes.c_uint32, wait: bool) -> int:
        assert wait and (request.hEvent or 0) & 1, "waited for without an event of its own"
        moved.value, code = self.ended.pop(ctypes.addressof(request))
        self.error = code
        return int(not code)

    def _CreateIoCompletionPort(self, handle: int, _: None, key: int, threads: int) -> int:
        assert handle not in self.ports, "a file has one port as long as it is open: Windows refuses a second (87)"
        port = self._new()
        self.ports[handle] = port
        return port

    def _GetQueuedCompletionStatus(
        self, port: int, size: ctypes.c_uint32, key: ctypes.c_uint64, place: ctypes.c_void_p, milliseconds: int
    ) -> int:
        if not self.queue:
            self.error = w.WAIT_TIMEOUT
            return 0
        place.value = self.queue.popleft()
        size.value, code = self.ended.pop(place.value)
        self.error = code
        return int(not code)

    def _CancelIoEx(self, handle: int, _: None) -> int:
        for place in self.queue:
            self.ended[place] = (0, w.ERROR_OPERATION_ABORTED)
        return 1

    def _CreateEventW(self, *_: object) -> int:
        return self._new()

    def _FlushFileBuffers(self, handle: int) -> int:
        os.fsync(self.opened[handle])
        return 1

    def _SetFilePointerEx(self, handle: int, place: int, _: None, how: int) -> int:
        assert how == w.FILE_BEGIN
        os.lseek(self.opened[handle], place, os.SEEK_SET)
        return 1

    def _SetEndOfFile(self, handle: int) -> int:
        os.ftruncate(self.opened[handle], os.lseek(self.opened[handle], 0, os.SEEK_CUR))
        return 1

    def _GetFileInformationByHandleEx(self, handle: int, what: int, place: int, size: int) -> int:
        assert (what, size) == (w.FILE_STORAGE_INFO, 28)
        info = w.StorageInfo.from_address(place)
        info.LogicalBytesPerSector, info.PhysicalBytesPerSectorForPerformance = SECTOR, 4096
        return 1

    def _DeviceIoControl(
        self, handle: int, what: int, given: int | None, length: int, taken: int, room: int, _: object, request: int
    ) -> int:
        if what == w.IOCTL_DISK_GET_LENGTH_INFO:
            assert (given, length, room) == (None, 0, 8)
            ctypes.c_int64.from_address(taken).value = os.fstat(self.opened[handle]).st_size
        else:
            assert (what, length, room) == (w.IOCTL_STORAGE_QUERY_PROPERTY, 12, 28)
            assert w.PropertyQuery.from_address(given or 0).PropertyId == w.ACCESS_ALIGNMENT
            told = w.AccessAlignment.from_address(taken)
            told.BytesPerLogicalSector, told.BytesPerPhysicalSector = SECTOR, 4096
        return 1

    def _FormatMessageW(
        self, flags: int, _: None, code: int, __: int, room: ctypes.Array[ctypes.c_wchar], size: int, ___: None
    ) -> int:
        room.value = f"Words for {code}.\r\n"
        return len(room.value)

    def _CloseHandle(self, handle: int) -> int:
        assert handle in self.alive, "closed twice, or never opened"
        self.alive.discard(handle)
        if handle in self.opened:
            os.close(self.opened.pop(handle))
            if handle in self.paths:
                self.paths.pop(handle).unlink()
        return 1


def scratch() -> Path:
    """Return a folder in which direct transfers are not refused."""
    return Path(tempfile.mkdtemp(prefix="ulterion-tests-win-"))
