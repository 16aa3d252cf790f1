"""Where each request goes: endless streams of byte offsets, drawn ahead in chunks.

Of several lanes, each takes every n-th block of a sequential stream, so that together they go through the span once;
random streams differ by their seeds.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

CHUNK = 8192  # offsets drawn at a time


def _once(span_bytes: int, block_bytes: int, lane: int, lanes: int, origin: int) -> range:
    """Return the offsets of one way through the span."""
    return range(origin + lane * block_bytes, origin + span_bytes - block_bytes + 1, lanes * block_bytes)


def sequential(span_bytes: int, block_bytes: int, lane: int = 0, lanes: int = 1, origin: int = 0) -> Iterator[int]:
    """Return offsets origin, origin + block, ... up to the end of the span, over and over.

    The iterator runs wholly in C, so several threads may take from it and no offset is handed out twice.
    """
    return itertools.chain.from_iterable(itertools.repeat(_once(span_bytes, block_bytes, lane, lanes, origin)))


def scattered(span_bytes: int, block_bytes: int, seed: int, origin: int = 0) -> Iterator[int]:
    """Return random offsets: multiples of the block, uniform over the span, repeatable from the seed."""
    return itertools.chain.from_iterable(map(memoryview, random_chunks(span_bytes, block_bytes, seed, origin)))  # type: ignore[arg-type]


def random_chunks(span_bytes: int, block_bytes: int, seed: int, origin: int = 0) -> Iterator[npt.NDArray[np.int64]]:
    """Return the same as `scattered`, in arrays of `CHUNK`."""
    rng, places = np.random.Generator(np.random.SFC64(seed)), span_bytes // block_bytes
    while True:
        yield rng.integers(0, places, CHUNK, dtype=np.int64) * block_bytes + origin


def sequential_chunks(
    span_bytes: int, block_bytes: int, lane: int = 0, lanes: int = 1, origin: int = 0
) -> Iterator[npt.NDArray[np.int64]]:
    """Return the same as `sequential`, in arrays of `CHUNK`."""
    once, at = _once(span_bytes, block_bytes, lane, lanes, origin), 0
    places: npt.NDArray[np.int64] = np.arange(CHUNK, dtype=np.int64)
    while True:
        yield (at + places) % len(once) * once.step + once.start
        at = (at + CHUNK) % len(once)
