"""Renaming without ever replacing anything: in one step where the kernel can (renameat2)."""

from __future__ import annotations

import ctypes
import errno
import os

AT_FDCWD = -100
NOREPLACE = 1  # linux/fs.h
LACKING = (errno.ENOSYS, errno.EINVAL)  # a kernel or file system without that call


def name_anew(old: bytes, new: bytes) -> None:
    """Rename; raise FileExistsError where the new name is taken, and OSError."""
    number = _by_kernel(old, new)
    if number in LACKING:
        if os.path.lexists(new):
            raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST))
        os.rename(old, new)
    elif number:
        raise OSError(number, os.strerror(number))


def _by_kernel(old: bytes, new: bytes) -> int:
    """Return 0, or the number of the error."""
    try:
        call = ctypes.CDLL(None, use_errno=True).renameat2
    except (OSError, AttributeError):
        return errno.ENOSYS
    return 0 if call(AT_FDCWD, old, AT_FDCWD, new, NOREPLACE) == 0 else ctypes.get_errno()
