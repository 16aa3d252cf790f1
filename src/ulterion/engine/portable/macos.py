"""macOS: past the unified buffer cache by F_NOCACHE, onto the medium by F_FULLFSYNC, room by F_PREALLOCATE.

Written from Apple's manual page fcntl(2) and the headers sys/fcntl.h and sys/disk.h; never tried on a Mac.  F_NOCACHE keeps
new data out of the cache and does not drop what is in it: a file of the reviewer's that was just read may still come from
memory, and that is said.
"""

from __future__ import annotations

import contextlib
import ctypes
import errno
import os
import struct
from functools import partial
from pathlib import Path

from ulterion.engine.portable.posix import PosixFile
from ulterion.engine.targets import test_file

F_PREALLOCATE, F_RDAHEAD, F_NOCACHE, F_FULLFSYNC = 42, 45, 48, 51  # sys/fcntl.h
F_ALLOCATECONTIG, F_ALLOCATEALL = 0x2, 0x4  # all in one piece; all or nothing
F_PEOFPOSMODE = 3  # from the end of what the file has
DKIOCGETBLOCKSIZE, DKIOCGETBLOCKCOUNT = 0x40046418, 0x40086419  # sys/disk.h


class Store(ctypes.Structure):
    """The argument of F_PREALLOCATE (`struct fstore`, sys/fcntl.h): flags, from where, offset and length; and what was given."""

    _fields_ = (
        ("fst_flags", ctypes.c_uint32),
        ("fst_posmode", ctypes.c_int32),
        ("fst_offset", ctypes.c_int64),
        ("fst_length", ctypes.c_int64),
        ("fst_bytesalloc", ctypes.c_int64),
    )


def create(folder: Path) -> PosixFile:
    """Return a test file of our own in a folder; its name is removed at once."""
    opened, _ = test_file.create_in(folder)  # what a killed run left is swept away first
    return PosixFile(
        opened.fd, direct=_past_cache(opened.fd), flush=full_flush, preallocate=preallocate, close=opened.close
    )


def existing(path: Path) -> PosixFile:
    """Return a file, to be read."""
    fd = os.open(path, os.O_RDONLY | os.O_NONBLOCK | test_file.O_CLOEXEC)
    return PosixFile(fd, direct=_past_cache(fd), flush=full_flush, preallocate=preallocate, close=partial(os.close, fd))


def device(path: Path) -> tuple[PosixFile, int]:
    """Return a raw device (its character device, /dev/rdisk..., which has no cache), to be read, and its size."""
    import fcntl

    raw = path.with_name("r" + path.name) if path.name.startswith("disk") else path
    fd = os.open(raw, os.O_RDONLY | test_file.O_CLOEXEC)
    try:
        (block,) = struct.unpack("I", fcntl.ioctl(fd, DKIOCGETBLOCKSIZE, bytes(4)))
        (count,) = struct.unpack("Q", fcntl.ioctl(fd, DKIOCGETBLOCKCOUNT, bytes(8)))
        direct = _past_cache(fd)
    except BaseException:
        os.close(fd)
        raise
    file = PosixFile(
        fd, direct=direct, flush=full_flush, preallocate=preallocate, close=partial(os.close, fd), sector=block
    )
    return file, block * count


def _past_cache(fd: int) -> bool:
    """Keep a file out of the cache, and ask for no reading ahead; return whether that was granted."""
    import fcntl

    with contextlib.suppress(OSError):
        fcntl.fcntl(fd, F_RDAHEAD, 0)
    try:
        fcntl.fcntl(fd, F_NOCACHE, 1)
    except OSError:
        return False
    return True


def full_flush(fd: int) -> None:
    """Flush to the medium, the drive's cache included; where the file system cannot, as far as it can.  Raises OSError."""
    import fcntl

    try:
        fcntl.fcntl(fd, F_FULLFSYNC)
    except OSError as error:
        if error.errno not in (errno.ENOTSUP, errno.EINVAL, errno.ENOTTY):
            raise
        os.fsync(fd)


def preallocate(fd: int, size: int) -> bool:
    """Allocate a file's room, in one piece if possible, and set its size; return whether the file system did."""
    import fcntl

    for flags in (F_ALLOCATECONTIG | F_ALLOCATEALL, F_ALLOCATEALL):
        told = Store(flags, F_PEOFPOSMODE, 0, size, 0)
        try:
            fcntl.fcntl(fd, F_PREALLOCATE, bytes(told))
            os.ftruncate(fd, size)
        except OSError:
            continue
        return True
    return False
