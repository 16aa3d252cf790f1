"""Made-up sets of files: the same everywhere for a name, size and seed, and of data that does not compress.

huge     one file of all of it
shoot    a day of filming: a twentieth of the files are clips of 150 MB to 1.5 GB, the rest photographs of 6 to 40 MB, in folders by hundred
session  a sound project: takes of 4 to 120 MB, half of all in a folder for each song, and small files of settings beside them
tree     a source tree: twenty thousand files for each 180 MB, of 200 bytes to 200 KB, in folders up to six deep
"""

from __future__ import annotations

import math
import os
from collections.abc import Callable, Iterator

import numpy as np

from ulterion.core.errors import UsageError, unknown
from ulterion.core.records import dataclass

MB = 10**6
USUAL = {"huge": 4000 * MB, "shoot": 4000 * MB, "session": 2000 * MB, "tree": 180 * MB}
"""Bytes of each set unless told otherwise."""
MIN_BYTES = 1 * MB
PIECE = 2**22  # bytes made at a time


@dataclass(frozen=True)
class Planned:
    """A file of a set: its path below the set's folder, its size, and the seed of what is in it."""

    path: str
    size: int
    seed: int


def plan(name: str, total: int | None, seed: int) -> Iterator[Planned]:
    """Yield the files of a set, `total` bytes in all (the last file makes up the rest); raise UsageError for an unknown set."""
    if name not in SETS:
        raise UsageError(unknown("set", name, SETS))
    wanted = USUAL[name] if total is None else total
    if wanted < MIN_BYTES:
        raise UsageError(f"a set of {wanted} bytes is too small to be timed; make it {MIN_BYTES // MB} MB or more")
    rng, left, number = np.random.Generator(np.random.SFC64(seed)), wanted, 0
    while left > 0:
        path, size = SETS[name](rng, number, wanted)
        size = min(size, left)
        yield Planned(path, size, seed + number)
        left, number = left - size, number + 1


def _between(rng: np.random.Generator, low: float, high: float) -> int:
    """Return a size drawn evenly on the logs."""
    return round(math.exp(rng.uniform(math.log(low), math.log(high))))


def _huge(rng: np.random.Generator, number: int, total: int) -> tuple[str, int]:
    return "huge.bin", total


def _shoot(rng: np.random.Generator, number: int, total: int) -> tuple[str, int]:
    folder = f"roll{number // 100:03d}"
    if rng.random() < 0.05:
        return f"{folder}/clip{number:05d}.mov", _between(rng, 150 * MB, 1500 * MB)
    return f"{folder}/photo{number:05d}.raw", _between(rng, 6 * MB, 40 * MB)


def _session(rng: np.random.Generator, number: int, total: int) -> tuple[str, int]:
    folder = f"song{number // 40:02d}"
    if rng.random() < 0.5:
        return f"{folder}/takes/take{number:04d}.wav", _between(rng, 4 * MB, 120 * MB)
    return f"{folder}/settings{number:04d}.set", _between(rng, 2e3, 60e3)


def _tree(rng: np.random.Generator, number: int, total: int) -> tuple[str, int]:
    depth = 1 + number // 25 % 6
    place = number // 25
    folders = "/".join(f"part{place // 7**level % 7}" for level in range(depth))
    return f"{folders}/block{place}/file{number:05d}.src", _between(rng, 200, 200e3)


SETS: dict[str, Callable[[np.random.Generator, int, int], tuple[str, int]]] = {
    "huge": _huge,
    "shoot": _shoot,
    "session": _session,
    "tree": _tree,
}


def lay(folder: bytes, files: Iterator[Planned], told: Callable[[int], None] = lambda count: None) -> None:
    """Make the files of a set below a folder; `told` hears the bytes of each piece.  Raises OSError."""
    made: set[str] = set()
    for one in files:
        path = os.path.join(folder, os.fsencode(one.path))
        parent = os.path.dirname(one.path)
        if parent not in made:
            os.makedirs(os.path.dirname(path), exist_ok=True)
            made.add(parent)
        rng = np.random.Generator(np.random.SFC64(one.seed))
        with open(path, "xb") as out:
            left = one.size
            while left > 0:
                step = min(left, PIECE)
                out.write(rng.bytes(step))
                told(step)
                left -= step
