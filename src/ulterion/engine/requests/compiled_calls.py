"""The loops' calls (`ulterion.engine.requests.calls`) for compiled code: the C library's functions, and atomic reads and writes."""

from __future__ import annotations

import errno
from typing import Any

import numpy as np
from llvmlite import ir
from numba.core import cgutils
from numba.extending import intrinsic

from ulterion.engine.requests.compiler import NUMBA, compiled, compiled_within

Code = Any
"""The compiler's own objects, and the values of the code that it makes."""
SYS_ENTER = 426  # io_uring_enter, on every 64-bit architecture
MONOTONIC = 1  # CLOCK_MONOTONIC (clock_gettime(2)), which `time.perf_counter_ns` reads too

_long, _word = NUMBA.types.int64, NUMBA.types.int32
_clock_gettime = NUMBA.types.ExternalFunction("clock_gettime", _word(_word, _long))
_pread = NUMBA.types.ExternalFunction("pread", _long(_word, _long, _long, _long))
_pwrite = NUMBA.types.ExternalFunction("pwrite", _long(_word, _long, _long, _long))
_syscall = NUMBA.types.ExternalFunction("syscall", _long(*[_long] * 7))
_errno_location = NUMBA.types.ExternalFunction("__errno_location", _long())


@intrinsic
def _load_word(typing: Code, address: Code) -> Code:
    """Return the 32-bit word at an address."""

    def made(context: Code, builder: Code, signature: Code, args: Code) -> Code:
        return builder.load(builder.inttoptr(args[0], ir.IntType(32).as_pointer()), typ=ir.IntType(32))

    return _word(_long), made


@intrinsic
def _words_address(typing: Code, words: Code) -> Code:
    """Return where an array's words are."""

    def made(context: Code, builder: Code, signature: Code, args: Code) -> Code:
        array = context.make_array(signature.args[0])(context, builder, args[0])
        return builder.ptrtoint(array.data, ir.IntType(64))

    return _long(words), made


# what an intrinsic makes is called with fewer arguments than it is written with
_word_at: Code = _load_word
_address_of: Code = _words_address


@compiled_within
def _or_error(result: int) -> int:
    if result >= 0:
        return result
    number: int = _word_at(_errno_location())  # of this thread
    return -number


@compiled
def clock(room: Code) -> int:
    """Return the monotonic clock, ns; `room` is two words for the kernel to write to."""
    _clock_gettime(MONOTONIC, _address_of(room))
    now: int = room[0] * 1_000_000_000 + room[1]
    return now


@compiled
def read_at(fd: int, address: int, size: int, offset: int) -> int:
    """Read into memory; return the bytes moved, or minus the error number."""
    return _or_error(_pread(fd, address, size, offset))


@compiled
def write_at(fd: int, address: int, size: int, offset: int) -> int:
    """Write from memory; return the bytes moved, or minus the error number."""
    return _or_error(_pwrite(fd, address, size, offset))


@compiled
def system(number: int, a: int, b: int, c: int, d: int, e: int, f: int) -> int:
    """Make a system call; return its result, or minus the error number."""
    return _or_error(_syscall(number, a, b, c, d, e, f))


def _place(context: Code, builder: Code, signature: Code, args: Code) -> Code:
    array = context.make_array(signature.args[0])(context, builder, args[0])
    return cgutils.get_item_pointer(  # type: ignore[no-untyped-call]
        context, builder, signature.args[0], array, [args[1]]
    )


@intrinsic
def acquire(typing: Code, words: Code, at: Code) -> Code:
    """Read a 32-bit word; what is read afterwards is read later."""

    def made(context: Code, builder: Code, signature: Code, args: Code) -> Code:
        return builder.load_atomic(_place(context, builder, signature, args), "acquire", 4, typ=ir.IntType(32))

    return NUMBA.types.uint32(words, at), made


@intrinsic
def release(typing: Code, words: Code, at: Code, value: Code) -> Code:
    """Write a 32-bit word; what was written before is seen before."""

    def made(context: Code, builder: Code, signature: Code, args: Code) -> Code:
        narrow = builder.trunc(args[2], ir.IntType(32))
        builder.store_atomic(narrow, _place(context, builder, signature, args), "release", 4)
        return context.get_dummy_value()

    return NUMBA.types.void(words, at, NUMBA.types.int64), made


_trial = np.zeros(2, dtype=np.int64)
if clock(_trial) <= 0 or system(SYS_ENTER, -1, 0, 0, 0, 0, 0) != -errno.EBADF:
    raise RuntimeError("the system's functions cannot be called from compiled code")
