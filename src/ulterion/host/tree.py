"""Reading small kernel files without ever failing: what is not there, or is nonsense, is None."""

from __future__ import annotations

import os
from pathlib import Path

SMALL = 65536  # bytes; the kernel's small files are smaller
MAX_NUMBER = 2**63  # the kernel's numbers are 64 bits wide; a larger one is nonsense


def text(path: Path, most: int = SMALL) -> str | None:
    """Return the stripped text of a small file, or None when it cannot be read or is empty."""
    try:
        with path.open("rb") as source:
            read = source.read(most).decode("utf-8", "replace").strip("\0 \t\r\n")
    except OSError:
        return None
    return read or None


def number(path: Path) -> int | None:
    """Return the whole number in a small file, or None."""
    read = text(path)
    try:
        value = int(read, 0) if read is not None else None
    except ValueError:
        return None
    return value if value is not None and abs(value) < MAX_NUMBER else None


def name_of_link(path: Path) -> str | None:
    """Return the last part of what a symbolic link points to (a driver, a subsystem), or None."""
    try:
        return path.readlink().name
    except OSError:
        return None


def driver_above(folder: Path) -> str | None:
    """Return the driver of the nearest device above a folder that has one, or None."""
    return next((d for p in folder.parents if (d := name_of_link(p / "driver")) is not None), None)


def above(device: Path, root: Path) -> list[Path]:
    """Return a resolved device folder and those above it, up to (not with) /sys/devices; empty when it lies elsewhere."""
    top = str((root / "sys/devices").resolve())
    if not str(device).startswith(top + os.sep):
        return []
    depth = str(device)[len(top) :].count(os.sep)
    return [device, *(device.parents[i] for i in range(depth - 1))]
