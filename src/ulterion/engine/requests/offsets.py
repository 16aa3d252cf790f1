"""The offset of each request, and its kind in mixed work: endless streams, drawn ahead in chunks.

Of several workers, each takes every n-th block of a sequential stream, so that together they go through the span once;
random streams differ by their seeds.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from ulterion.core.workloads.workload import DriveWorkload
from ulterion.engine.requests.compiler import Words, words_of
from ulterion.engine.requests.loops import AT, Work

if TYPE_CHECKING:
    from typing_extensions import Buffer  # which mypy knows; Python has it from 3.12 on

CHUNK = 8192  # offsets drawn at a time

Places = npt.NDArray[np.int64]


def random_chunks(span_bytes: int, block_bytes: int, seed: int, origin: int = 0) -> Iterator[Places]:
    """Yield arrays of random offsets: multiples of the block, uniform over the span, repeatable from the seed."""
    rng, places = np.random.Generator(np.random.SFC64(seed)), span_bytes // block_bytes
    while True:
        yield rng.integers(0, places, CHUNK, dtype=np.int64) * block_bytes + origin


def sequential_chunks(
    span_bytes: int, block_bytes: int, worker: int = 0, workers: int = 1, origin: int = 0, *, chunk: int = CHUNK
) -> Iterator[Places]:
    """Yield arrays of offsets: origin, origin + block, ... up to the end of the span, over and over."""
    once = range(origin + worker * block_bytes, origin + span_bytes - block_bytes + 1, workers * block_bytes)
    places: Places = np.arange(chunk, dtype=np.int64)
    at = 0
    while True:
        yield (at + places) % len(once) * once.step + once.start
        at = (at + chunk) % len(once)


def chunks_of(workload: DriveWorkload, seed: int, worker: int = 0, workers: int = 1) -> Iterator[Places]:
    """Return the offsets of one worker of a settled workload; `seed` is of this worker alone."""
    span, block = workload.span_bytes or 0, workload.block_bytes
    if workload.pattern == "sequential":
        return sequential_chunks(span, block, worker, workers, workload.origin_bytes)
    return random_chunks(span, block, seed, workload.origin_bytes)


class Feed:
    """The work of a loop: offsets, the kinds of mixed work, and the write data.

    Attributes:
        work: what there is now, as the loop takes it.
    """

    def __init__(
        self, chunks: Iterator[Places], words: Buffer | None = None, share: float | None = None, seed: int = 0
    ) -> None:
        """Begin with the first chunk; `words` is the memory of the write data, `share` that of writes where kinds are mixed."""
        self._chunks, self._share = chunks, share
        self._rng = np.random.Generator(np.random.SFC64(seed))
        self._words = words_of(memoryview(bytearray(8)) if words is None else words, "q")
        self._rest: Places = np.empty(0, dtype=np.int64)
        self._kinds: npt.NDArray[np.uint8] = np.empty(0, dtype=np.uint8)
        self._draw()

    def more(self, state: Words) -> None:
        """Put further offsets behind those that are left."""
        self._rest, self._kinds = self._rest[state[AT] :], self._kinds[state[AT] :]
        state[AT] = 0
        self._draw()

    def _draw(self) -> None:
        new = next(self._chunks)
        self._rest = np.concatenate([self._rest, new])
        if self._share is not None:
            drawn = (self._rng.random(new.size) < self._share).astype(np.uint8)
            self._kinds = np.concatenate([self._kinds, drawn])
        self.work = Work(words_of(self._rest, "q"), words_of(self._kinds, "B"), self._words)
