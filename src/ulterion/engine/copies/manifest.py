"""A manifest: the files of a copy with their lengths, times and checksums; plain text that can be checked a year later.

    # ulterion manifest 1
    xxh3-128 <sum, 32 hexadecimal digits> <bytes> <nanoseconds since 1970> <path>
    ...
    # complete: <files> files, <bytes> bytes

A path is below the folder that is checked, bytes as they are but for the backslash and what is below 0x20 or 0x7f, written `\\xNN`.  The
sum is XXH3 of 128 bits, in the order of its canonical form.
"""

from __future__ import annotations

import contextlib
import os
import re
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO, NamedTuple, cast

from ulterion.core.errors import UsageError
from ulterion.core.patterns import pattern
from ulterion.engine.copies.naming import name_anew
from ulterion.model.files import scratch_of, sync_folder

HEAD = b"# ulterion manifest 1\n"
LINE = pattern(rb"xxh3-128 ([0-9a-f]{32}) (\d{1,19}) (-?\d{1,20}) (.+)\n")
END = pattern(rb"# complete: (\d{1,19}) files, (\d{1,19}) bytes\n")
ODD = pattern(rb"[\x00-\x1f\x7f\\]")
MAX_LINE = 70_000  # bytes of a line


class Line(NamedTuple):
    """A file of a manifest: its path, length, time of change in nanoseconds, and sum."""

    path: bytes
    size: int
    modified: int
    sum: str


def scratch_in(folder: Path) -> BinaryIO:
    """Return a file without a name, for a manifest that grows; raise UsageError."""
    try:
        return cast("BinaryIO", tempfile.TemporaryFile(dir=folder))
    except OSError as error:
        raise _unwritable(folder, error) from error


def keep(out: BinaryIO, path: Path) -> None:
    """Write a finished manifest to a file of its own: whole, and never in the place of another; raise UsageError."""
    scratch = scratch_of(path)
    try:
        with scratch.open("xb") as new:
            out.seek(0)
            shutil.copyfileobj(out, new)
            new.flush()
            os.fsync(new.fileno())
        name_anew(os.fsencode(scratch), os.fsencode(path))
        sync_folder(path.parent)
    except FileExistsError as error:
        raise UsageError(f"{path} already exists, and nothing is overwritten; choose another name") from error
    except OSError as error:
        raise UsageError(f"{path} cannot be written: {error.strerror}; choose another name") from error
    finally:
        with contextlib.suppress(OSError):
            scratch.unlink()


def close(out: BinaryIO) -> None:
    """Close a manifest without a name; what of it could not be written is lost with it."""
    with contextlib.suppress(OSError):
        out.close()


def _unwritable(where: object, error: OSError) -> UsageError:
    return UsageError(f"the copy's checksums cannot be kept in {where}: {error.strerror}; make room there")


class Writer:
    """Writes a manifest as files are copied; everything raises UsageError where it cannot be written."""

    def __init__(self, out: BinaryIO, where: object) -> None:
        self._out, self._where, self.files, self.bytes = out, where, 0, 0
        self._write(HEAD)

    def _write(self, text: bytes) -> None:
        try:
            self._out.write(text)
        except OSError as error:
            raise _unwritable(self._where, error) from error

    def add(self, line: Line) -> None:
        """Add a file."""
        path = ODD.sub(lambda m: b"\\x%02x" % m[0][0], line.path)
        self._write(b"xxh3-128 %b %d %d %b\n" % (line.sum.encode(), line.size, line.modified, path))
        self.files, self.bytes = self.files + 1, self.bytes + line.size

    def end(self) -> None:
        """Say that it is whole."""
        self._write(b"# complete: %d files, %d bytes\n" % (self.files, self.bytes))
        try:
            self._out.flush()
        except OSError as error:
            raise _unwritable(self._where, error) from error


def read(out: BinaryIO, name: str) -> Iterator[Line]:
    """Yield the files of a manifest; raise UsageError on reaching a line that is not one of a manifest, or an end that is missing."""
    if out.readline(MAX_LINE) != HEAD:
        raise UsageError(f"{name} is not an Ulterion manifest; make one with 'ulterion copy ... --manifest FILE'")
    files = total = number = 0
    number = 1
    while text := out.readline(MAX_LINE):
        number += 1
        end = END.fullmatch(text)
        if end is not None:
            if (int(end[1]), int(end[2])) != (files, total) or out.readline(MAX_LINE):
                raise UsageError(
                    f"{name} is inconsistent: its last line says {int(end[1])} files, and there are {files}"
                )
            return
        match = LINE.fullmatch(text)
        path = None if match is None else _path(match[4])
        if match is None or path is None:
            raise UsageError(
                f"{name}, line {number}: this is not a line of a manifest; make it again with 'ulterion copy ... --manifest FILE'"
            )
        files, total = files + 1, total + int(match[2])
        yield Line(path, int(match[2]), int(match[3]), match[1].decode())
    raise UsageError(f"{name} is incomplete: its last line is missing, so files may be missing too")


def _path(text: bytes) -> bytes | None:
    """Return the path that is written; None for one that would lead out of the folder."""
    path = re.sub(rb"\\x([0-9a-f]{2})", lambda m: bytes([int(m[1], 16)]), text)
    return None if path.startswith(b"/") or b".." in path.split(b"/") or b"\0" in path else path


def opened(path: Path) -> BinaryIO:
    """Open a manifest for reading; raise UsageError."""
    try:
        if path.exists() and not path.is_file():
            raise UsageError(f"{path} is not a file; name the manifest that 'ulterion copy ... --manifest FILE' wrote")
        return path.open("rb")
    except OSError as error:
        raise UsageError(f"{path} cannot be read: {error.strerror}; check its name and permissions") from error
