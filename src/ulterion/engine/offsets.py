"""Where each request goes: endless iterators of byte offsets, drawn ahead in chunks."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from typing import Any

import numpy as np

CHUNK = 8192  # random offsets drawn at a time


def sequential(span_bytes: int, block_bytes: int) -> Iterator[int]:
    """Return offsets 0, block, 2 x block, ... up to the span, over and over.

    The iterator runs wholly in C, so several threads may take from it and no offset is handed out twice.
    """
    once = range(0, span_bytes - block_bytes + 1, block_bytes)
    return itertools.chain.from_iterable(itertools.repeat(once))


def scattered(span_bytes: int, block_bytes: int, seed: int) -> Iterator[int]:
    """Return random offsets: multiples of the block, uniform over the span, repeatable from the seed."""
    places = span_bytes // block_bytes
    rng = np.random.Generator(np.random.SFC64(seed))

    def draw() -> memoryview[Any]:
        return memoryview(rng.integers(0, places, CHUNK, dtype=np.int64) * block_bytes)  # type: ignore[arg-type]

    return itertools.chain.from_iterable(iter(draw, None))
