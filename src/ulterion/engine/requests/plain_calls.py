"""The loops' calls (`ulterion.engine.requests.calls`) for loops that run uncompiled: the same functions, by ctypes."""

from __future__ import annotations

import ctypes
import os
import platform
import threading
import time

from ulterion.engine.requests.compiler import Words

WEAK_ORDER = platform.machine() not in ("x86_64", "AMD64", "i686")

if hasattr(os, "fork"):  # elsewhere nobody comes here: files are read by `ulterion.engine.portable`
    _libc = ctypes.CDLL(None, use_errno=True)
    for _name in ("pread", "pwrite", "syscall"):
        getattr(_libc, _name).restype = ctypes.c_long
    _libc.pread.argtypes = _libc.pwrite.argtypes = [ctypes.c_int, ctypes.c_void_p, ctypes.c_size_t, ctypes.c_int64]
    _libc.syscall.argtypes = [ctypes.c_long] * 7
_fence = threading.Lock()


def clock(room: Words) -> int:
    """Return the monotonic clock, ns."""
    return time.perf_counter_ns()


def read_at(fd: int, address: int, size: int, offset: int) -> int:
    """Read into memory; return the bytes moved, or minus the error number."""
    moved = int(_libc.pread(fd, address, size, offset))
    return moved if moved >= 0 else -ctypes.get_errno()


def write_at(fd: int, address: int, size: int, offset: int) -> int:
    """Write from memory; return the bytes moved, or minus the error number."""
    moved = int(_libc.pwrite(fd, address, size, offset))
    return moved if moved >= 0 else -ctypes.get_errno()


def system(number: int, a: int, b: int, c: int, d: int, e: int, f: int) -> int:
    """Make a system call; return its result, or minus the error number."""
    result = int(_libc.syscall(number, a, b, c, d, e, f))
    return result if result >= 0 else -ctypes.get_errno()


def acquire(words: Words, at: int) -> int:
    """Read a 32-bit word; what is read afterwards is read later."""
    word = int(words[at])
    if WEAK_ORDER:
        with _fence:
            pass
    return word


def release(words: Words, at: int, value: int) -> None:
    """Write a 32-bit word; what was written before is seen before."""
    if WEAK_ORDER:
        with _fence:
            pass
    words[at] = value
