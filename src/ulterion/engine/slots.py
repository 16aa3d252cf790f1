"""What each slot of a ring works with: its buffer, and the next offset."""

from __future__ import annotations

import ctypes
from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from ulterion.core.workload import Workload
from ulterion.engine import offsets
from ulterion.engine.data import STAMP_EVERY, aligned, random_words

Batch = npt.NDArray[np.int64]


class SlotData:
    """One page-aligned buffer for each slot; for writes filled with random data whose stamps move on at each use."""

    def __init__(self, block_bytes: int, slots: int, seed: int, *, writes: bool) -> None:
        self.memory = aligned(block_bytes * slots)
        self.address = ctypes.addressof(ctypes.c_char.from_buffer(self.memory))
        self.block_bytes = block_bytes
        self._stamps: npt.NDArray[np.uint64] | None = None
        if writes:
            words: npt.NDArray[np.uint64] = np.frombuffer(self.memory, dtype=np.uint64)
            words[:] = random_words(words.size, seed)
            self._stamps = words.reshape(slots, block_bytes // 8)[:, :: STAMP_EVERY // 8]
            first = int(words[0]) >> 2
            self._stamps[:] = np.arange(first, first + self._stamps.size, dtype=np.uint64).reshape(self._stamps.shape)
            self._step = np.uint64(self._stamps.size)

    def address_of(self, slot: int) -> int:
        """Return the address of a slot's buffer."""
        return self.address + slot * self.block_bytes

    def renew(self, slots: Batch | int) -> None:
        """Move the stamps of the slots on, so that what they write next was never written before."""
        if self._stamps is not None:
            self._stamps[slots] += self._step


class Feed:
    """The offsets of a lane, one by one or many at a time."""

    def __init__(self, chunks: Iterator[npt.NDArray[np.int64]]) -> None:
        self._chunks = chunks
        self._chunk = next(chunks)
        self._at = 0

    def one(self) -> int:
        """Return the next offset."""
        if self._at == len(self._chunk):
            self._chunk, self._at = next(self._chunks), 0
        self._at += 1
        return int(self._chunk[self._at - 1])

    def many(self, count: int) -> npt.NDArray[np.int64]:
        """Return the next `count` offsets."""
        if self._at + count > len(self._chunk):
            self._chunk, self._at = np.concatenate([self._chunk[self._at :], next(self._chunks)]), 0
        self._at += count
        return self._chunk[self._at - count : self._at]


def feed_of(workload: Workload, seed: int, lane: int, lanes: int) -> Feed:
    """Return the offsets of one lane of a settled workload."""
    span, block = workload.span_bytes or 0, workload.block_bytes
    if workload.pattern == "sequential":
        return Feed(offsets.sequential_chunks(span, block, lane, lanes, workload.origin_bytes))
    return Feed(offsets.random_chunks(span, block, seed * 1009 + lane, workload.origin_bytes))
