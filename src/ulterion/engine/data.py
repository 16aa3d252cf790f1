"""Buffers: page-aligned memory, and write data that is incompressible and never the same twice."""

from __future__ import annotations

import itertools
import mmap
from collections.abc import Iterator
from typing import Any

import numpy as np
import numpy.typing as npt

STAMP_EVERY = 4096  # bytes; the smallest unit in which file systems and drives look for duplicates
POOL_BYTES = 32 * 2**20  # random data made before the clock starts, for all workers together


def aligned(size: int) -> mmap.mmap:
    """Return `size` bytes of zeroed, page-aligned memory, which unbuffered transfers need."""
    return mmap.mmap(-1, size)


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
        words: npt.NDArray[np.uint64] = np.frombuffer(self._memory, dtype=np.uint64)
        words[:] = random_words(words.size, seed)
        view = memoryview(self._memory)
        self._blocks = [[view[i * block_bytes : (i + 1) * block_bytes]] for i in range(slots)]
        per_block = block_bytes // 8
        self._stamps = [words[i * per_block : (i + 1) * per_block : STAMP_EVERY // 8] for i in range(slots)]
        first = words[0].copy()
        for i, stamps in enumerate(self._stamps):
            stamps[:] = first + np.arange(i * stamps.size, (i + 1) * stamps.size, dtype=np.uint64)
        self._step = np.uint64(slots * self._stamps[0].size)

    def buffers(self) -> Iterator[list[memoryview[Any]]]:
        """Yield, for ever, a list of one buffer, as positional writes take it."""
        add, step = np.add, self._step
        yield from self._blocks
        for block, stamps in itertools.cycle(zip(self._blocks, self._stamps, strict=True)):
            add(stamps, step, out=stamps)
            yield block


def read_buffer(block_bytes: int) -> Iterator[list[mmap.mmap]]:
    """Yield the same page-aligned buffer for ever, as positional reads take it."""
    return itertools.repeat([aligned(block_bytes)])
