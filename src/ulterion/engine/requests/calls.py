"""What the timed loops call: the clock, positional transfers, the ring's system call, and memory in the right order.

Compiled, these are the C library's own functions (`clock_gettime`, `pread`, `pwrite`, `syscall`), called without the
interpreter; its address of `errno` is that of the thread.  Uncompiled, the same by ctypes.

Memory order: the tail of a ring's completions is written by another processor, and what lies below it may be read only
after it.  On x86-64 loads are not moved before earlier loads, by the processor; a compiler may, and arm64 does.  So the tail is
read with `acquire`, and our own head and tail are written with `release`, as atomic instructions of the compiler's
intermediate language: a plain move on x86-64, `ldar` and `stlr` on arm64 (tests/engine/test_loops.py looks at the
code made for both).  Uncompiled, a lock taken and freed orders memory on every architecture.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from ulterion.engine.requests import compiler

if TYPE_CHECKING:
    from ulterion.engine.requests.plain_calls import acquire, clock, read_at, release, system, write_at
else:
    if compiler.WHY_NOT is None:
        try:
            from ulterion.engine.requests.compiled_calls import acquire, clock, read_at, release, system, write_at
        except Exception as error:  # it was tried on the spot: what cannot be compiled here is done without
            compiler.refuse(error)
    if compiler.WHY_NOT is not None:
        from ulterion.engine.requests.plain_calls import acquire, clock, read_at, release, system, write_at

__all__ = ["acquire", "clock", "read_at", "release", "system", "write_at"]
