"""A load of real files: written one after another, all deleted when the room is used up, then written again.

Files have no names (or lose them at once), so none can be left behind; deleting one is closing it.
"""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np

from ulterion.core.errors import UsageError
from ulterion.engine.requests.buffers import Buffers
from ulterion.engine.requests.compiler import Words, words_of
from ulterion.engine.requests.loops import AT, FILE, Work
from ulterion.engine.targets import test_file

SPARE_FILES = 64  # descriptors left for everything else
FEWEST_FILES = 32


def most_files() -> int:
    """Return how many files may be open at once, having raised the limit as far as the system allows."""
    import resource  # not on every system, and of no use where nothing is measured

    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    if soft < hard:
        resource.setrlimit(resource.RLIMIT_NOFILE, (hard, hard))
    return max(FEWEST_FILES, min(hard if hard > 0 else 1024, 1_000_000) - SPARE_FILES)


class FileCycles:
    """Feeds a loop with the blocks of one file after another.

    Attributes:
        work: the blocks of the file that is being written.
        written: files written so far; `cycles` how often all were deleted.
    """

    def __init__(self, folder: Path, sizes: tuple[int, int], room: int, data: Buffers, seed: int) -> None:
        if sizes[1] > room:
            raise UsageError(f"{folder} has room for {room} bytes of files, less than one of {sizes[1]}")
        self._folder, self._sizes, self._room, self._block = folder, sizes, room, data.block_bytes
        self._rng = np.random.Generator(np.random.SFC64(seed))
        self._files: list[test_file.OpenFile] = []
        self._most = most_files()
        self._used = 0
        self._words = words_of(data.memory, "q")
        self.written = self.cycles = 0
        self.work = self._blocks(0)

    def _blocks(self, size: int) -> Work:
        offsets = np.arange(0, size, self._block, dtype=np.int64)
        return Work(words_of(offsets, "q"), words_of(np.empty(0, dtype=np.uint8), "B"), self._words)

    def more(self, state: Words) -> None:
        """Open the next file, for the loop to write."""
        low, high = self._sizes
        wanted = int(np.exp(self._rng.uniform(np.log(low), np.log(high + 1))))
        size = -(-min(max(wanted, low), high) // self._block) * self._block
        if self._used + size > self._room or len(self._files) >= self._most:
            self.delete_all()
            self.cycles += 1
        self._files.append(test_file.create(self._folder))
        self._used += size
        self.written += 1
        self.work = self._blocks(size)
        state[FILE], state[AT] = self._files[-1].fd, 0

    def flush(self) -> None:
        """Flush the whole file system onto the medium, since there are many files."""
        if self._files:
            os.fsync(self._files[-1].fd)
        os.sync()

    def delete_all(self) -> None:
        """Delete every file."""
        for one in self._files:
            one.close()
        self._files, self._used = [], 0
