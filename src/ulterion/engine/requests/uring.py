"""The kernel's submission and completion rings (io_uring), by its system calls.

Layouts and constants are those of the kernel's user-space interface, include/uapi/linux/io_uring.h; the three system
calls have the same numbers on every 64-bit architecture.  All fields are little-endian words on x86-64 and arm64.

Who reads and writes the shared words in which order is said in `ulterion.engine.requests.calls`.
"""

from __future__ import annotations

import ctypes
import errno
import mmap
import os
import platform
import struct

from ulterion.core.records import dataclass

SYS_SETUP, SYS_ENTER, SYS_REGISTER = 425, 426, 427
SETUP_SUBMIT_ALL, SETUP_COOP_TASKRUN = 1 << 7, 1 << 8
SETUP_SINGLE_ISSUER, SETUP_DEFER_TASKRUN = 1 << 12, 1 << 13
FLAG_SETS = (
    ("single issuer, deferred work", SETUP_SINGLE_ISSUER | SETUP_DEFER_TASKRUN | SETUP_SUBMIT_ALL),  # Linux 6.1
    ("cooperative work", SETUP_COOP_TASKRUN | SETUP_SUBMIT_ALL),  # Linux 5.19
    ("plain", 0),  # Linux 5.1
)
FEAT_SINGLE_MMAP, FEAT_EXT_ARG = 1 << 0, 1 << 8
ENTER_GETEVENTS, ENTER_EXT_ARG = 1 << 0, 1 << 3
OFFSET_SQ, OFFSET_CQ, OFFSET_SQES = 0, 0x8000000, 0x10000000
REGISTER_BUFFERS, REGISTER_FILES, UNREGISTER_FILES = 0, 2, 3
OP_NOTHING, OP_READ_FIXED, OP_WRITE_FIXED, OP_READ, OP_WRITE = 0, 4, 5, 22, 23
SQE_FIXED_FILE = 1 << 0
SQE_BYTES, CQE_BYTES, PARAMS_BYTES = 64, 16, 120
MAX_WAIT = 0.5  # seconds after which a wait without completions looks round


class UnavailableError(Exception):
    """This kernel, or its settings, offers no ring; the text says why."""


@dataclass(frozen=True)
class _Offsets:
    """Byte offsets of the fields of one ring, as `io_uring_setup` returns them."""

    head: int
    tail: int
    mask: int
    entries: int
    last: int
    """the index array of the submission ring, or the entries of the completion ring"""


def _syscall() -> ctypes._NamedFuncPointer:
    call = ctypes.CDLL(None, use_errno=True).syscall
    call.restype = ctypes.c_long
    call.argtypes = [ctypes.c_long] * 7
    return call


def _setup(call: ctypes._NamedFuncPointer, entries: int) -> tuple[int, bytes, str]:
    """Create a ring with the best flags the kernel takes; return its descriptor, parameters and the name of the flags."""
    reason = "no flags tried"
    for name, flags in FLAG_SETS:
        params = ctypes.create_string_buffer(struct.pack("<II I", 0, 0, flags), PARAMS_BYTES)
        fd = call(SYS_SETUP, entries, ctypes.addressof(params), 0, 0, 0, 0)
        if fd >= 0:
            return fd, params.raw, name
        number = ctypes.get_errno()
        reason = f"{os.strerror(number)} ({errno.errorcode.get(number, number)})"
        if number != errno.EINVAL:
            break
    raise UnavailableError(f"the kernel refuses a ring: {reason}")


class Ring:
    """A pair of rings with one submission entry for each slot.

    The entries stay where they are: slot i is described once by `describe`, afterwards only its offset (and for mixed
    work its kind) changes, and submitting it is writing i into the index array.

    Attributes:
        flags: the flags in use, in words.
        entries: submission entries as 64-bit words, eight a slot; word 1 is the offset in the file.
        index: the index array of the submission ring; `index_mask` wraps it.
        sq, cq: the rings as 32-bit words; `sq_head`, `sq_tail`, `cq_head`, `cq_tail` are places in them.
        done: completions, two 64-bit words each, the result in the low half of the second; `cq_mask` wraps them.
    """

    def __init__(self, slots: int) -> None:
        self._call = _syscall()
        size = 1 << max(0, (slots - 1).bit_length())
        self.fd, params, self.flags = _setup(self._call, size)
        try:
            self._map(params)
        except OSError as error:
            os.close(self.fd)
            raise UnavailableError(f"the ring cannot be mapped: {error.strerror}") from error
        self._arg = ctypes.create_string_buffer(24)  # struct io_uring_getevents_arg
        self._time = (ctypes.c_int64 * 2)(int(MAX_WAIT), int(MAX_WAIT % 1 * 1e9))  # struct __kernel_timespec
        struct.pack_into("<QIIQ", self._arg, 0, 0, 0, 0, ctypes.addressof(self._time))

    @property
    def waiting(self) -> tuple[int, int, int]:
        """Flags, address and bytes of the argument of a call that submits and waits, with a time limit where the kernel has one."""
        if self.timed:
            return ENTER_GETEVENTS | ENTER_EXT_ARG, ctypes.addressof(self._arg), 24
        return ENTER_GETEVENTS, 0, 0

    def _map(self, params: bytes) -> None:
        sq_entries, cq_entries = struct.unpack_from("<II", params, 0)
        features = struct.unpack_from("<I", params, 20)[0]
        sq_head, sq_tail, sq_mask, sq_count, _, _, sq_array = struct.unpack_from("<7I", params, 40)
        cq_head, cq_tail, cq_mask, cq_count, _, cqes = struct.unpack_from("<6I", params, 80)
        sq, cq = (
            _Offsets(sq_head, sq_tail, sq_mask, sq_count, sq_array),
            _Offsets(cq_head, cq_tail, cq_mask, cq_count, cqes),
        )
        sq_bytes, cq_bytes = sq.last + 4 * sq_entries, cq.last + CQE_BYTES * cq_entries
        flags, access = mmap.MAP_SHARED | getattr(mmap, "MAP_POPULATE", 0), mmap.PROT_READ | mmap.PROT_WRITE
        self.timed = bool(features & FEAT_EXT_ARG)
        if features & FEAT_SINGLE_MMAP:
            shared = mmap.mmap(self.fd, max(sq_bytes, cq_bytes), flags, access, offset=OFFSET_SQ)
            sq_map = cq_map = shared
        else:
            sq_map = mmap.mmap(self.fd, sq_bytes, flags, access, offset=OFFSET_SQ)
            cq_map = mmap.mmap(self.fd, cq_bytes, flags, access, offset=OFFSET_CQ)
        sqes = mmap.mmap(self.fd, sq_entries * SQE_BYTES, flags, access, offset=OFFSET_SQES)
        self._describe(sq_map, cq_map, sqes, sq=sq, cq=cq, sq_entries=sq_entries, cq_entries=cq_entries)

    def _describe(
        self,
        sq_map: mmap.mmap,
        cq_map: mmap.mmap,
        sqes: mmap.mmap,
        sq: _Offsets,
        cq: _Offsets,
        *,
        sq_entries: int,
        cq_entries: int,
    ) -> None:
        self.entries = memoryview(sqes).cast("Q")
        self.sq = memoryview(sq_map)[: sq.last].cast("I")
        self.sq_head, self.sq_tail, self.index_mask = sq.head // 4, sq.tail // 4, sq_entries - 1
        self.index = memoryview(sq_map)[sq.last : sq.last + 4 * sq_entries].cast("I")
        self.cq = memoryview(cq_map)[: cq.last].cast("I")
        self.cq_head, self.cq_tail, self.cq_mask = cq.head // 4, cq.tail // 4, cq_entries - 1
        self.done = memoryview(cq_map)[cq.last : cq.last + CQE_BYTES * cq_entries]

    def describe(self, slot: int, head: int, address: int, length: int, buffer_index: int = 0) -> None:
        """Describe a slot: its first word (see `head_word`), the buffer's address, length and registered index."""
        at = slot * 8
        self.entries[at], self.entries[at + 2], self.entries[at + 3] = head, address, length
        self.entries[at + 4], self.entries[at + 5] = slot, buffer_index

    def register(
        self, what: int, table: ctypes.Array[ctypes.c_int64] | ctypes.Array[ctypes.c_int32], count: int
    ) -> bool:
        """Register buffers or files; return whether the kernel took them."""
        return bool(self._call(SYS_REGISTER, self.fd, what, ctypes.addressof(table), count, 0, 0) == 0)

    def let_go_of_files(self) -> None:
        """Give registered files back now: the kernel takes a closed ring apart later, and would hold them until then.

        For a ring without a request in flight only; with one it would wait for that.
        """
        self._call(SYS_REGISTER, self.fd, UNREGISTER_FILES, 0, 0, 0, 0)

    def close(self) -> None:
        """Close the ring; the kernel cancels what is still in flight."""
        fd, self.fd = self.fd, -1
        if fd >= 0:
            os.close(fd)


def head_word(opcode: int, fd: int, *, fixed_file: bool) -> int:
    """Return the first 64-bit word of a submission entry: opcode, flags, priority 0, file."""
    flags = SQE_FIXED_FILE if fixed_file else 0
    return opcode | flags << 8 | (fd & 0xFFFFFFFF) << 32


def joins_pages(release: str | None = None) -> bool:
    """Return whether this kernel keeps huge pages of registered buffers in one piece (Linux 6.12 and later)."""
    numbers = (release if release is not None else platform.release()).split("-")[0].split(".")
    return tuple(int(n) if n.isdigit() else 0 for n in numbers[:2]) >= (6, 12)


def best_flags() -> str:
    """Return the flags a ring gets here, in words; raise UnavailableError."""
    ring = Ring(2)
    ring.close()
    return ring.flags


def available() -> str | None:
    """Return None where rings are available here, else the reason."""
    if platform.system() != "Linux" or struct.calcsize("P") != 8:
        return "rings are a Linux feature of 64-bit machines"
    try:
        best_flags()
    except (UnavailableError, OSError) as error:
        return str(error)
    return None
