"""Windows: past its cache by FILE_FLAG_NO_BUFFERING, positional by OVERLAPPED, several in flight on a completion port.

Written from the Win32 API reference; never tried on a real Windows.  A request that is waited for by itself gives its event
with the lowest bit set, so that its end is told to no completion port (GetQueuedCompletionStatus, remarks).
"""

from __future__ import annotations

import contextlib
import ctypes
import os
import secrets
import threading
from collections.abc import Callable
from pathlib import Path, PurePath

from ulterion.engine.portable import kernel32 as w
from ulterion.engine.targets.test_file import PREFIX

USUAL_SECTOR = 4096  # where a device does not say: what all of today take


class WindowsFile:
    """An open file or device by its handle (`MediumFile`).

    Attributes:
        handle: as CreateFileW gave it.
    """

    def __init__(self, kernel: w.Kernel, handle: int, *, direct: bool) -> None:
        self.kernel, self.handle, self.direct = kernel, handle, direct
        self.sector = USUAL_SECTOR
        self._own = threading.local()
        self._events: list[int] = []
        self._port = 0
        self._lock = threading.Lock()

    def read(self, address: int, size: int, offset: int) -> int:
        """Read into memory and wait for it; return the bytes moved."""
        return self._waited(self.kernel.ReadFile, address, size, offset)

    def write(self, address: int, size: int, offset: int) -> int:
        """Write from memory and wait for it; return the bytes moved."""
        return self._waited(self.kernel.WriteFile, address, size, offset)

    def _waited(self, call: Callable[..., int], address: int, size: int, offset: int) -> int:
        request, event = self._request()
        request.aim(offset, event | 1)
        kernel, moved = self.kernel, w.DWORD(0)
        begun = call(self.handle, address, size, None, request) or kernel.code == w.ERROR_IO_PENDING
        if begun and kernel.GetOverlappedResult(self.handle, request, moved, True):
            return int(moved.value)
        if kernel.code == w.ERROR_HANDLE_EOF:
            return 0
        raise kernel.error()

    def _request(self) -> tuple[w.Overlapped, int]:
        """Return the request of this thread, and its event."""
        if not hasattr(self._own, "event"):
            self._own.event = self.kernel.checked(self.kernel.CreateEventW(None, True, False, None))
            self._own.request = w.Overlapped()
            with self._lock:
                self._events.append(self._own.event)
        return self._own.request, self._own.event

    def port(self) -> int:
        """Return the completion port that tells the end of this file's requests: one for as long as it is open, which is all that Windows allows."""
        with self._lock:
            if not self._port:
                self._port = self.kernel.checked(self.kernel.CreateIoCompletionPort(self.handle, None, 1, 1))
            return self._port

    def preallocate(self, size: int) -> bool:
        """Give the file its whole size; what is written beyond what was written before is filled with zeros by the system first."""
        kernel = self.kernel
        return bool(kernel.SetFilePointerEx(self.handle, size, None, w.FILE_BEGIN) and kernel.SetEndOfFile(self.handle))

    def flush(self) -> None:
        """Put what was written on the medium, and ask the device to empty its cache."""
        self.kernel.checked(self.kernel.FlushFileBuffers(self.handle))

    def close(self) -> None:
        """Close it; a test file of ours is gone with it.  May be called twice."""
        handle, self.handle = self.handle, w.INVALID_HANDLE
        if handle == w.INVALID_HANDLE:
            return
        with self._lock:
            events, self._events = self._events, []
            ports, self._port = [self._port] if self._port else [], 0
        self.kernel.CancelIoEx(handle, None)  # of a worker that hangs in one
        for one in (*events, handle, *ports):
            self.kernel.CloseHandle(one)


def _opened(kernel: w.Kernel, path: str, access: int, share: int, how: int, *, flags: int) -> WindowsFile:
    """Open past the cache; where that is refused, through it, which is told."""
    for extra, direct in ((w.NO_BUFFERING, True), (0, False)):
        handle = kernel.CreateFileW(path, access, share, None, how, flags | extra | w.OVERLAPPED_IO, None)
        if handle and handle != w.INVALID_HANDLE:
            return WindowsFile(kernel, handle, direct=direct)
        if kernel.code != w.ERROR_INVALID_PARAMETER:
            break
    raise kernel.error()


def create(folder: Path, kernel: w.Kernel | None = None) -> WindowsFile:
    """Return a test file of our own in a folder: made new, shared with nobody, deleted by the system when it is closed."""
    kernel = kernel or w.kernel()
    path = str(folder / f"{PREFIX}{os.getpid()}-{secrets.token_hex(4)}")
    access = w.GENERIC_READ | w.GENERIC_WRITE | w.DELETE
    return _with_sector(_opened(kernel, path, access, share=0, how=w.CREATE_NEW, flags=w.DELETE_ON_CLOSE))


def existing(path: Path, kernel: w.Kernel | None = None) -> WindowsFile:
    """Return a file, to be read."""
    kernel = kernel or w.kernel()
    return _with_sector(_opened(kernel, str(path), w.GENERIC_READ, share=w.SHARE_READ, how=w.OPEN_EXISTING, flags=0))


def device_path(path: PurePath) -> str:
    r"""Return the name of a device as the system takes it: Python takes \\.\PhysicalDrive1 for a share, and puts a backslash behind it."""
    return str(path).rstrip("\\")


def device(path: Path, kernel: w.Kernel | None = None) -> tuple[WindowsFile, int]:
    r"""Return a raw device (\\.\PhysicalDrive1), to be read, which takes an administrator, and its size."""
    kernel = kernel or w.kernel()
    file = _with_sector(
        _opened(
            kernel, device_path(path), w.GENERIC_READ, share=w.SHARE_READ | w.SHARE_WRITE, how=w.OPEN_EXISTING, flags=0
        )
    )
    try:
        size = ctypes.c_int64(0)
        _asked(file, w.IOCTL_DISK_GET_LENGTH_INFO, None, size)
    except BaseException:
        file.close()
        raise
    return file, int(size.value)


def _with_sector(file: WindowsFile) -> WindowsFile:
    """Ask for the sector size under a file, then of the device itself; where neither tells, the usual size stays."""
    info, query, told = w.StorageInfo(), w.PropertyQuery(w.ACCESS_ALIGNMENT, 0), w.AccessAlignment()
    ask = file.kernel.GetFileInformationByHandleEx
    try:
        if ask(file.handle, w.FILE_STORAGE_INFO, ctypes.addressof(info), ctypes.sizeof(info)):
            file.sector = info.LogicalBytesPerSector or USUAL_SECTOR
            return file
        with contextlib.suppress(OSError):
            _asked(file, w.IOCTL_STORAGE_QUERY_PROPERTY, query, told)
            file.sector = told.BytesPerLogicalSector or USUAL_SECTOR
    except BaseException:
        file.close()
        raise
    return file


def _asked(file: WindowsFile, what: int, question: ctypes.Structure | None, answer: ctypes._CData) -> None:
    """Ask a device something, and wait for the answer; raise OSError."""
    kernel, (request, event), length = file.kernel, file._request(), w.DWORD(0)
    request.aim(0, event | 1)
    given = (ctypes.addressof(question), ctypes.sizeof(question)) if question is not None else (None, 0)
    taken = (ctypes.addressof(answer), ctypes.sizeof(answer))
    if not kernel.DeviceIoControl(file.handle, what, *given, *taken, length, ctypes.addressof(request)):
        if kernel.code != w.ERROR_IO_PENDING:
            raise kernel.error()
        kernel.checked(kernel.GetOverlappedResult(file.handle, request, length, True))
