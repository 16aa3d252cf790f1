"""Buffers: page-aligned memory, and write data that is incompressible and never the same twice."""

from __future__ import annotations

import contextlib
import ctypes
import itertools
import mmap
from collections.abc import Iterator, Sequence

import numpy as np
import numpy.typing as npt

HUGE_PAGE = 2 * 2**20  # bytes
SCATTERED = 128 * 2**10  # bytes; smaller requests fit into one piece whatever their pages
STAMP_EVERY = 4096  # bytes; the smallest unit in which file systems and drives look for duplicates
POOL_BYTES = 32 * 2**20  # random data made before the clock starts, for all workers together


Buffers = Sequence["memoryview[int]"]
"""What a positional read or write takes."""


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


class WriteData:
    """An endless supply of buffers of one block each.

    The bytes are random.  Before a buffer is used again, a 64-bit stamp in each 4 KiB of it moves on, so that no 4 KiB
    is ever written twice, and stamping costs a word for each 4 KiB instead of new random data.
    """

    def __init__(self, block_bytes: int, seed: int, pool_bytes: int = POOL_BYTES) -> None:
        slots = max(2, pool_bytes // block_bytes)
        self._memory = aligned(slots * block_bytes)
        self._words: npt.NDArray[np.uint64] = np.frombuffer(self._memory, dtype=np.uint64)
        self._words[:] = random_words(self._words.size, seed)
        view = self._memory
        self._blocks = [[view[i * block_bytes : (i + 1) * block_bytes]] for i in range(slots)]
        self._per_block = block_bytes // 8
        self._stamps_each = -(-block_bytes // STAMP_EVERY)
        self._first = int(self._words[0]) >> 2  # room to count up for ever

    def buffers(self) -> Iterator[list[memoryview[int]]]:
        """Yield, for ever, a list of one buffer, as positional writes take it."""
        return self._stamped_once() if self._stamps_each == 1 else self._stamped_each()

    def _stamped_once(self) -> Iterator[list[memoryview[int]]]:
        """Small blocks: storing one integer costs a tenth of an array operation."""
        words, step = self._memory.cast("Q"), self._per_block
        places = itertools.cycle([(block, i * step) for i, block in enumerate(self._blocks)])
        for (block, place), stamp in zip(places, itertools.count(self._first)):
            words[place] = stamp
            yield block

    def _stamped_each(self) -> Iterator[list[memoryview[int]]]:
        """Large blocks: all stamps of a block in one array operation."""
        every = STAMP_EVERY // 8
        stamps = [
            self._words[i * self._per_block : (i + 1) * self._per_block : every] for i in range(len(self._blocks))
        ]
        for i, own in enumerate(stamps):
            own[:] = np.arange(self._first + i * own.size, self._first + (i + 1) * own.size, dtype=np.uint64)
        yield from self._blocks
        add, step = np.add, np.uint64(len(self._blocks) * max(own.size for own in stamps))
        for block, own in itertools.cycle(zip(self._blocks, stamps, strict=True)):
            add(own, step, out=own)
            yield block


def read_buffer(block_bytes: int) -> Iterator[list[memoryview[int]]]:
    """Yield the same page-aligned buffer for ever, as positional reads take it."""
    return itertools.repeat([aligned(block_bytes)])
