"""How each system opens a file so that it is read and written past the cache."""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from ulterion.core.errors import UsageError
from ulterion.core.records import dataclass
from ulterion.model.systems import system


class MediumFile(Protocol):
    """An open file under test.  Every call may be made by several threads at once; each raises OSError.

    Attributes:
        direct: whether the system's cache is out of the way.
        sector: bytes that offsets and sizes must be multiples of.
    """

    direct: bool
    sector: int

    def read(self, address: int, size: int, offset: int) -> int:
        """Read into memory; return the bytes moved."""

    def write(self, address: int, size: int, offset: int) -> int:
        """Write from memory; return the bytes moved."""

    def preallocate(self, size: int) -> bool:
        """Give the file its whole size without writing it; return whether the system can."""

    def flush(self) -> None:
        """Put what was written on the medium itself, the drive's own cache included where the system can ask for that."""

    def close(self) -> None:
        """Close it, and remove it if it is a test file of ours; may be called twice."""


@dataclass(frozen=True)
class Ways:
    """How files are opened on a system; each raises OSError.

    Attributes:
        create: a test file of our own in a folder, gone when it is closed.
        existing: a file, to be read.
        device: a raw device, to be read, with its size in bytes.
    """

    create: Callable[[Path], MediumFile]
    existing: Callable[[Path], MediumFile]
    device: Callable[[Path], tuple[MediumFile, int]]


def ways() -> Ways:
    """Return how files are opened on this system; raise UsageError on one that is not supported."""
    here = system()
    if here == "macos":
        from ulterion.engine.portable import macos

        return Ways(macos.create, macos.existing, macos.device)
    if here == "windows":
        from ulterion.engine.portable import windows

        return Ways(windows.create, windows.existing, windows.device)
    if sys.platform.startswith("linux"):
        from ulterion.engine.portable import linux

        return Ways(linux.create, linux.existing, linux.device)
    raise UsageError(f"nothing can be measured on {sys.platform}; measure on Linux, macOS or Windows")
