"""Loop devices: what lies under each, told by the kernel itself.

A loop device does not claim what it lies on: the kernel opens a disk, or a file, for writing although a loop device, and a
mounted file system on that, write to it.  So whoever wants to write has to look.
"""

from __future__ import annotations

import contextlib
import os
import stat
import struct
from pathlib import Path

from ulterion.core.records import dataclass
from ulterion.host import tree

LOOP_GET_STATUS64 = 0x4C05  # linux/loop.h
STATUS_BYTES = 232  # struct loop_info64; it begins with lo_device, lo_inode, lo_rdevice
DEV = Path("/dev")


@dataclass(frozen=True)
class Backing:
    """What lies under a loop device.

    Attributes:
        name: the loop device.
        path: what the kernel calls it.
        device: 'major:minor' where it is a block device, else None.
        file: (device, inode) where it is a file, None where that is unknown.
    """

    name: str
    path: str
    device: str | None
    file: tuple[int, int] | None

    @property
    def known(self) -> bool:
        """Whether it can be told what it is."""
        return self.device is not None or self.file is not None


def is_cached(disk: str, root: Path = Path("/")) -> bool:
    """Return whether a disk is a loop device that reads and writes what lies under it through the system's cache (loop/dio)."""
    return disk.startswith("loop") and tree.number(root / "sys/block" / disk / "loop/dio") == 0


def number_text(number: int) -> str:
    """Return a device number (st_rdev) as 'major:minor'."""
    return f"{os.major(number)}:{os.minor(number)}"


def backings(root: Path = Path("/")) -> list[Backing]:
    """Return what lies under every loop device that is in use."""
    files = []
    for entry in sorted((root / "sys/block").glob("loop*")):
        path = tree.text(entry / "loop/backing_file")
        if path is not None:
            files.append(backing_of(entry.name, path, root))
    return files


def backing_of(name: str, path: str, root: Path = Path("/")) -> Backing:
    """Return what lies under one loop device: as the kernel answers, else as the path says that it shows."""
    if root == Path("/"):
        asked = _asked(name, path)
        if asked is not None:
            return asked
    try:
        facts = (root / path.removesuffix(" (deleted)").lstrip("/")).stat()
    except OSError:
        return Backing(name, path, None, None)
    if stat.S_ISBLK(facts.st_mode):
        return Backing(name, path, number_text(facts.st_rdev), None)
    return Backing(name, path, None, (facts.st_dev, facts.st_ino))


def _asked(name: str, path: str) -> Backing | None:
    """Ask the loop device itself; None where that is not allowed."""
    import fcntl

    status = bytearray(STATUS_BYTES)
    with contextlib.suppress(OSError):
        fd = os.open(DEV / name, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        try:
            fcntl.ioctl(fd, LOOP_GET_STATUS64, status)
        finally:
            os.close(fd)
        on, inode, device = struct.unpack_from("<QQQ", status)
        if device and device != on:
            return Backing(name, path, _kernel_number(device), None)
        return Backing(name, path, None, (_user_number(on), inode))
    return None


def _split(number: int) -> tuple[int, int]:
    """Return major and minor of a number as the kernel writes it for programs (linux/kdev_t.h, new_encode_dev)."""
    return (number & 0xFFF00) >> 8, (number & 0xFF) | (number >> 12 & 0xFFF00)


def _kernel_number(number: int) -> str:
    major, minor = _split(number)
    return f"{major}:{minor}"


def _user_number(number: int) -> int:
    return os.makedev(*_split(number))
