"""Linux by the portable engine, which is not needed there: to compare both engines on one machine."""

from __future__ import annotations

import os
from pathlib import Path

from ulterion.engine.portable.posix import PosixFile
from ulterion.engine.targets import test_file


def create(folder: Path) -> PosixFile:
    """Return a test file of our own in a folder, without a name where the file system can do that."""
    opened, _ = test_file.create_in(folder)  # what a killed run left is swept away first
    return PosixFile(
        opened.fd, direct=opened.direct, flush=os.fdatasync, preallocate=test_file.preallocate, close=opened.close
    )


def existing(path: Path) -> PosixFile:
    """Return a file, to be read."""
    opened = test_file.open_existing(path)
    return PosixFile(
        opened.fd, direct=opened.direct, flush=os.fdatasync, preallocate=test_file.preallocate, close=opened.close
    )


def device(path: Path) -> tuple[PosixFile, int]:
    """Return a raw device, to be read, and its size."""
    opened = test_file.open_past_cache(path, os.O_RDONLY)
    size = os.lseek(opened.fd, 0, os.SEEK_END)
    file = PosixFile(
        opened.fd, direct=opened.direct, flush=os.fdatasync, preallocate=test_file.preallocate, close=opened.close
    )
    return file, size
