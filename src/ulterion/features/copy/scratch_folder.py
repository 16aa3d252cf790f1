"""Folders of our own for a copy: made where nothing is, marked, and cleared away, also what a run that was killed left behind."""

from __future__ import annotations

import contextlib
import os
import shutil
from collections.abc import Callable, Sequence
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.patterns import pattern
from ulterion.engine.copies.onepass import Meters
from ulterion.host import mounts
from ulterion.host.activity import meter_of, pulse_of
from ulterion.model.lock import try_lock

OURS = pattern(r"ulterion-(copy|set|proof)-[0-9a-f]{6}")
MARK = "ulterion-mark"
OURS_BEGIN = "A folder of Ulterion's own"
WORDS = f"{OURS_BEGIN}, for a copy that is timed; what is in it need not be whole.  It is removed when that is over.\n"


class OwnFolder:
    """A folder that is ours as long as this process lives: locked, marked, and removed by `remove`.  `files` is where the copy goes."""

    def __init__(self, parent: Path, what: str, identity: str) -> None:
        self.path = parent / f"ulterion-{what}-{identity}"
        self.files = self.path / "files"
        try:
            self.path.mkdir()
            self._lock = os.open(self.path, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
            try_lock(self._lock)  # some network file systems lock nothing
            (self.path / MARK).write_text(WORDS)
            self.files.mkdir()
        except OSError as error:
            raise UsageError(
                f"{self.path} cannot be made: {error.strerror}; choose a folder that you may write to"
            ) from error

    def emptied(self) -> None:
        """Remove what was copied, and make room for the next."""
        shutil.rmtree(os.fsencode(self.files))
        self.files.mkdir()

    def remove(self) -> None:
        """Remove it with all that is in it; what cannot be removed stays, and nothing is raised."""
        shutil.rmtree(os.fsencode(self.path), ignore_errors=True)
        with contextlib.suppress(OSError):
            os.close(self._lock)


def pulse_under(folder: Path) -> Callable[[], object] | None:
    """Return what changes as long as the device under a folder writes, None where the kernel shows no counters of it."""
    fd = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        return pulse_of(fd)
    finally:
        os.close(fd)


READ_AS_STORED = ("ext2", "ext3", "ext4", "xfs", "vfat", "exfat", "ntfs3", "ufs", "hfsplus", "iso9660", "udf")
"""File systems that read from their disk what a file holds, neither compressed nor from somewhere else."""


def meters_of(sources: Sequence[bytes], target: Path) -> Meters:
    """Return what the devices at both ends of a copy count; of the source only where it reads what a file holds."""
    written = meter_of(target)
    first = Path(os.fsdecode(sources[0]))
    lie_on = [mounts.mount_of(Path(os.fsdecode(s))) for s in sources]
    stored = all(m is not None and m.filesystem in READ_AS_STORED for m in lie_on)
    one_device = len({Path(os.fsdecode(s)).stat().st_dev for s in sources}) == 1
    read = meter_of(first) if stored and one_device else None
    return Meters(
        None if read is None else (lambda: read().read), None if written is None else (lambda: written().written)
    )


def sweep(parent: Path) -> list[Path]:
    """Remove our folders that nobody works in any more: those that bear our mark, and whose lock is free; return them."""
    removed = []
    try:
        found = [p for p in parent.iterdir() if OURS.fullmatch(p.name) and (p / MARK).is_file() and not p.is_symlink()]
    except OSError:
        return []
    for path in found:
        try:
            lock = os.open(path, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
        except OSError:
            continue
        try:
            if try_lock(lock) and (path / MARK).read_text().startswith(OURS_BEGIN):
                shutil.rmtree(os.fsencode(path), ignore_errors=True)
                removed.append(path)
        except OSError:
            continue
        finally:
            os.close(lock)
    return removed
