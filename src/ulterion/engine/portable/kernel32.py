"""The types, structures, numbers and calls of Windows that are used, by its public documentation; never tried on a real Windows.

Types are of our own, with the sizes that they have there: on Linux, where this is tested with stand-ins, `c_ulong` is another.
Source: Win32 API reference (fileapi.h, ioapiset.h, handleapi.h, winioctl.h, winerror.h).
"""

from __future__ import annotations

import ctypes
import errno
import functools
from collections.abc import Callable
from typing import Protocol

DWORD, BOOL, HANDLE, ULONG_PTR = ctypes.c_uint32, ctypes.c_int32, ctypes.c_void_p, ctypes.c_uint64
TEXT, PLACE = ctypes.c_wchar_p, ctypes.c_void_p

INVALID_HANDLE = 2**64 - 1  # (HANDLE) -1
GENERIC_READ, GENERIC_WRITE, DELETE = 0x80000000, 0x40000000, 0x00010000
SHARE_READ, SHARE_WRITE, SHARE_DELETE = 1, 2, 4
CREATE_NEW, OPEN_EXISTING = 1, 3
NO_BUFFERING, OVERLAPPED_IO, DELETE_ON_CLOSE = 0x20000000, 0x40000000, 0x04000000
FILE_BEGIN = 0

ERROR_FILE_NOT_FOUND, ERROR_PATH_NOT_FOUND, ERROR_ACCESS_DENIED, ERROR_WRITE_PROTECT = 2, 3, 5, 19
ERROR_NOT_READY, ERROR_CRC, ERROR_GEN_FAILURE, ERROR_SHARING_VIOLATION = 21, 23, 31, 32
ERROR_HANDLE_EOF, ERROR_HANDLE_DISK_FULL, ERROR_FILE_EXISTS, ERROR_INVALID_PARAMETER = 38, 39, 80, 87
ERROR_DISK_FULL, ERROR_SEM_TIMEOUT, WAIT_TIMEOUT, ERROR_NO_SUCH_DEVICE = 112, 121, 258, 433
ERROR_OPERATION_ABORTED, ERROR_IO_PENDING, ERROR_IO_DEVICE, ERROR_DEVICE_NOT_CONNECTED = 995, 997, 1117, 1167
ERROR_PRIVILEGE_NOT_HELD = 1314
NUMBERS = {
    ERROR_FILE_NOT_FOUND: errno.ENOENT,
    ERROR_PATH_NOT_FOUND: errno.ENOENT,
    ERROR_ACCESS_DENIED: errno.EACCES,
    ERROR_WRITE_PROTECT: errno.EROFS,
    ERROR_NOT_READY: errno.ENXIO,
    ERROR_CRC: errno.EIO,
    ERROR_GEN_FAILURE: errno.EIO,
    ERROR_SHARING_VIOLATION: errno.EBUSY,
    ERROR_HANDLE_DISK_FULL: errno.ENOSPC,
    ERROR_FILE_EXISTS: errno.EEXIST,
    ERROR_INVALID_PARAMETER: errno.EINVAL,
    ERROR_DISK_FULL: errno.ENOSPC,
    ERROR_SEM_TIMEOUT: errno.ETIMEDOUT,
    ERROR_NO_SUCH_DEVICE: errno.ENODEV,
    ERROR_IO_DEVICE: errno.EIO,
    ERROR_DEVICE_NOT_CONNECTED: errno.ENODEV,
    ERROR_PRIVILEGE_NOT_HELD: errno.EPERM,
}
"""What each of its errors is among ours; others are EIO, with the system's own words."""

IOCTL_STORAGE_QUERY_PROPERTY, IOCTL_DISK_GET_LENGTH_INFO = 0x002D1400, 0x0007405C  # winioctl.h
ACCESS_ALIGNMENT = 6  # StorageAccessAlignmentProperty
FILE_STORAGE_INFO = 16  # FILE_INFO_BY_HANDLE_CLASS, minwinbase.h
FROM_SYSTEM, IGNORE_INSERTS = 0x1000, 0x200  # FormatMessage


class Overlapped(ctypes.Structure):
    """A request in flight (OVERLAPPED, minwinbase.h): state of the system's own, offset in two halves, event."""

    _fields_ = (
        ("Internal", ULONG_PTR),
        ("InternalHigh", ULONG_PTR),
        ("Offset", DWORD),
        ("OffsetHigh", DWORD),
        ("hEvent", HANDLE),
    )

    def aim(self, offset: int, event: int = 0) -> Overlapped:
        """Set the offset of the request and the event that marks its end; return the request."""
        self.Internal = self.InternalHigh = 0
        self.Offset, self.OffsetHigh, self.hEvent = offset & 0xFFFFFFFF, offset >> 32, event
        return self


class PropertyQuery(ctypes.Structure):
    """A question to a storage device (STORAGE_PROPERTY_QUERY, winioctl.h)."""

    _fields_ = (("PropertyId", DWORD), ("QueryType", DWORD), ("AdditionalParameters", ctypes.c_uint8 * 1))


class StorageInfo(ctypes.Structure):
    """The sector sizes under a file (FILE_STORAGE_INFO, winbase.h)."""

    _fields_ = tuple(
        (name, DWORD)
        for name in (
            "LogicalBytesPerSector",
            "PhysicalBytesPerSectorForAtomicity",
            "PhysicalBytesPerSectorForPerformance",
            "FileSystemEffectivePhysicalBytesPerSectorForAtomicity",
            "Flags",
            "ByteOffsetForSectorAlignment",
            "ByteOffsetForPartitionAlignment",
        )
    )


class AccessAlignment(ctypes.Structure):
    """The sector sizes of a device (STORAGE_ACCESS_ALIGNMENT_DESCRIPTOR, winioctl.h)."""

    _fields_ = tuple(
        (name, DWORD)
        for name in (
            "Version",
            "Size",
            "BytesPerCacheLine",
            "BytesOffsetForCacheAlignment",
            "BytesPerLogicalSector",
            "BytesPerPhysicalSector",
            "BytesOffsetForSectorAlignment",
        )
    )


CALLS: dict[str, tuple[object, tuple[object, ...]]] = {
    "CreateFileW": (HANDLE, (TEXT, DWORD, DWORD, PLACE, DWORD, DWORD, HANDLE)),
    "ReadFile": (BOOL, (HANDLE, PLACE, DWORD, PLACE, ctypes.POINTER(Overlapped))),
    "WriteFile": (BOOL, (HANDLE, PLACE, DWORD, PLACE, ctypes.POINTER(Overlapped))),
    "GetOverlappedResult": (BOOL, (HANDLE, ctypes.POINTER(Overlapped), ctypes.POINTER(DWORD), BOOL)),
    "CancelIoEx": (BOOL, (HANDLE, PLACE)),
    "CreateEventW": (HANDLE, (PLACE, BOOL, BOOL, TEXT)),
    "CreateIoCompletionPort": (HANDLE, (HANDLE, HANDLE, ULONG_PTR, DWORD)),
    "GetQueuedCompletionStatus": (
        BOOL,
        (HANDLE, ctypes.POINTER(DWORD), ctypes.POINTER(ULONG_PTR), ctypes.POINTER(PLACE), DWORD),
    ),
    "GetFileInformationByHandleEx": (BOOL, (HANDLE, DWORD, PLACE, DWORD)),
    "FlushFileBuffers": (BOOL, (HANDLE,)),
    "SetFilePointerEx": (BOOL, (HANDLE, ctypes.c_int64, PLACE, DWORD)),
    "SetEndOfFile": (BOOL, (HANDLE,)),
    "CloseHandle": (BOOL, (HANDLE,)),
    "DeviceIoControl": (BOOL, (HANDLE, DWORD, PLACE, DWORD, PLACE, DWORD, ctypes.POINTER(DWORD), PLACE)),
    "FormatMessageW": (DWORD, (DWORD, PLACE, DWORD, DWORD, ctypes.c_wchar_p, DWORD, PLACE)),
}
"""Each call with what it returns and takes."""


class Library(Protocol):
    """kernel32.dll, or what stands in for it: each of `CALLS` as an attribute, and the last error of this thread."""

    def __getattr__(self, name: str) -> Callable[..., int]:
        """Return a call."""


class Kernel:
    """The calls, with their types declared, and errors as ours."""

    def __init__(self, library: Library, last_error: Callable[[], int]) -> None:
        self._library, self._last_error = library, last_error
        for name, (result, arguments) in CALLS.items():
            call = getattr(library, name)
            setattr(call, "restype", result)  # noqa: B010 - of a foreign function, which has these
            setattr(call, "argtypes", arguments)  # noqa: B010

    def __getattr__(self, name: str) -> Callable[..., int]:
        """Return a call as it is."""
        call: Callable[..., int] = getattr(self._library, name)
        return call

    @property
    def code(self) -> int:
        """The error of the last call of this thread."""
        return self._last_error()

    def error(self, code: int | None = None) -> OSError:
        """Return an error of the system as an OSError with the system's words."""
        number = self.code if code is None else code
        room = ctypes.create_unicode_buffer(512)
        length = self.FormatMessageW(FROM_SYSTEM | IGNORE_INSERTS, None, number, 0, room, len(room), None)
        words = room.value[:length].strip().rstrip(".") if length else f"error {number}"
        return OSError(NUMBERS.get(number, errno.EIO), f"{words} (Windows error {number})")

    def checked(self, result: int | None) -> int:
        """Return the result of a call; raise OSError where it is zero."""
        if not result or result == INVALID_HANDLE:
            raise self.error()
        return result


@functools.cache
def kernel() -> Kernel:
    """Return the system's own."""
    load, last_error = getattr(ctypes, "WinDLL"), getattr(ctypes, "get_last_error")  # noqa: B009 - there alone
    return Kernel(load("kernel32", use_last_error=True), last_error)
