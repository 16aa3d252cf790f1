"""Telling a file system to return its free space to the device (the kernel's FITRIM), where we may."""

from __future__ import annotations

import errno
import os
import struct

FITRIM = 0xC0185879  # linux/fs.h: _IOWR('X', 121, struct fstrim_range)
RANGE = struct.Struct("@QQQ")  # start, length, least length; bytes
ALL = 2**64 - 1
REFUSALS = {
    errno.EPERM: "only the administrator may",
    errno.EACCES: "only the administrator may",
    errno.EOPNOTSUPP: "its file system or device does not support it",
    errno.ENOTTY: "its file system does not support it",
    errno.EINVAL: "its file system does not support it",
}


def trim(folder: bytes) -> tuple[int, str]:
    """Trim the file system of a folder; return (bytes that it says were returned, '') or (0, why it was not done)."""
    import fcntl  # absent where the system has no such call

    given = bytearray(RANGE.pack(0, ALL, 0))
    fd = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        fcntl.ioctl(fd, FITRIM, given)
    except OSError as error:
        return 0, REFUSALS.get(error.errno or 0, error.strerror or "it failed")
    finally:
        os.close(fd)
    return RANGE.unpack(given)[1], ""
