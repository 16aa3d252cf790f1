"""Buffers: page-aligned memory, and write data that is incompressible and never the same twice."""

from __future__ import annotations

import contextlib
import ctypes
import mmap

import numpy as np
import numpy.typing as npt

HUGE_PAGE = 2 * 2**20  # bytes
SCATTERED = 128 * 2**10  # bytes; smaller requests fit into one piece whatever their pages
STAMP_EVERY = 4096  # bytes; the smallest unit in which file systems and drives look for duplicates
POOL_BYTES = 32 * 2**20  # random data made before the clock starts, for all workers together


def aligned(size: int) -> memoryview[int]:
    """Return `size` bytes of zeroed memory, aligned to pages, which unbuffered transfers need, and present before use.

    Large ones lie in huge pages where the system grants them.  A device takes a large request in pieces of so many
    memory pages; scattered small pages make it two requests where the reviewer asked for one.
    """
    if size < SCATTERED:
        return memoryview(mmap.mmap(-1, size))
    private = getattr(mmap, "MAP_PRIVATE", 0) | getattr(mmap, "MAP_ANONYMOUS", 0)  # shared memory gets no huge pages
    memory = mmap.mmap(-1, size + HUGE_PAGE, private) if private else mmap.mmap(-1, size + HUGE_PAGE)
    if hasattr(mmap, "MADV_HUGEPAGE"):
        with contextlib.suppress(OSError):
            memory.madvise(mmap.MADV_HUGEPAGE)
    start = -ctypes.addressof(ctypes.c_char.from_buffer(memory)) % HUGE_PAGE
    view = memoryview(memory)[start : start + size]
    np.frombuffer(view, dtype=np.uint8)[:] = 0
    return view


def random_words(count: int, seed: int) -> npt.NDArray[np.uint64]:
    """Return `count` random 64-bit words."""
    return np.random.Generator(np.random.SFC64(seed)).integers(0, 2**64, count, dtype=np.uint64)


class Buffers:
    """Page-aligned buffers of one block each; for writes filled with random data whose stamps move on at each use.

    A stamp is a 64-bit word in each 4 KiB.  Moved on by `step` before a buffer is used again, it makes that no 4 KiB is ever
    written twice, for the cost of a word in each 4 KiB instead of new random data.

    Attributes:
        address: of the first buffer; `address_of` of any.
        stamps: how many a block has (0: nothing is written); `step` what each moves on by.
    """

    def __init__(self, block_bytes: int, count: int, seed: int, *, writes: bool) -> None:
        self.memory = aligned(block_bytes * count)
        self.address = ctypes.addressof(ctypes.c_char.from_buffer(self.memory))
        self.block_bytes, self.count = block_bytes, count
        self.stamps = self.step = 0
        self._stamped: npt.NDArray[np.uint64] | None = None
        if writes:
            words: npt.NDArray[np.uint64] = np.frombuffer(self.memory, dtype=np.uint64)
            words[:] = random_words(words.size, seed)
            self._stamped = words.reshape(count, block_bytes // 8)[:, :: STAMP_EVERY // 8]
            first = int(words[0]) >> 2  # room to count up for ever
            self._stamped[:] = np.arange(first, first + self._stamped.size, dtype=np.uint64).reshape(
                self._stamped.shape
            )
            self.stamps, self.step = self._stamped.shape[1], self._stamped.size

    @classmethod
    def pool(cls, block_bytes: int, seed: int, pool_bytes: int = POOL_BYTES) -> Buffers:
        """Return buffers to write from in turn: as many as fit into so many bytes, two at least."""
        return cls(block_bytes, max(2, pool_bytes // block_bytes), seed, writes=True)

    def address_of(self, index: int) -> int:
        """Return the address of a buffer."""
        return self.address + index * self.block_bytes

    def renewed(self, index: int) -> memoryview[int]:
        """Return a buffer (counted round) with its stamps moved on; for what is not timed request by request."""
        index %= self.count
        if self._stamped is not None:
            self._stamped[index] += np.uint64(self.step)
        return self.memory[index * self.block_bytes : (index + 1) * self.block_bytes]
