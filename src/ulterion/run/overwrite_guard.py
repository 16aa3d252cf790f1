"""The permit to overwrite a raw device: given only when every rule is kept, each with its own refusal.

The device is opened once, for this program alone where it is to be written; then what was opened is checked, by the kernel's
number of it.  What its name leads to, before or afterwards, plays no part.
"""

from __future__ import annotations

import errno
import os
from functools import partial
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.records import dataclass
from ulterion.core.units import show_size
from ulterion.engine.targets import test_file
from ulterion.engine.targets.device import DeviceTarget
from ulterion.engine.workers import guarded_open
from ulterion.engine.workers.worker_pool import STALL
from ulterion.host import inuse, safety


@dataclass(frozen=True)
class Overwrite:
    """What the reviewer said on the command line.

    Attributes:
        serial: the serial number of the device that may be overwritten, or None.
        lose_contents: whether what is on it may be lost.
    """

    serial: str | None = None
    lose_contents: bool = False


def open_device(path: Path, asked: Overwrite, span_bytes: int | None = None, stall: float = STALL) -> DeviceTarget:
    """Open a raw device, for writing where that was asked for and every rule allows it.

    In this order: in use (mounted, swap, held, or used by what holds nothing; see `ulterion.host.inuse`) is always refused; a
    read-only device is; a device without a serial number cannot be named; the wrong number is refused; so is one with
    contents, without the second word.  Raises UsageError, and TargetFailed when it does not answer for `stall` seconds.
    """
    if asked.serial is None and asked.lose_contents:
        raise UsageError("--lose-contents goes with --overwrite SERIAL, which names the device")
    opened, device = guarded_open.opened(partial(_opened, path, asked), str(path), stall)
    try:
        target = DeviceTarget(path, opened, device.size, device.name, span_bytes, writable=asked.serial is not None)
    except UsageError:
        opened.close()
        raise
    target.stall = stall
    return target


def _opened(path: Path, asked: Overwrite) -> tuple[test_file.OpenFile, safety.OpenedDevice]:
    """Return the open device and what it is; raise UsageError when a rule forbids what was asked for."""
    opened = _open(path, writing=asked.serial is not None)
    try:
        device = safety.device_behind(opened.fd)
        if device is None:
            raise UsageError(f"{path} is not a disk that the kernel shows; nothing was written")
        if asked.serial is not None:
            _check(path, opened.fd, device, asked)
    except OSError as error:
        opened.close()
        raise UsageError(f"{path} cannot be read: {error.strerror}; is a medium in it?") from error
    except UsageError:
        opened.close()
        raise
    return opened, device


def _open(path: Path, *, writing: bool) -> test_file.OpenFile:
    """Open a device; for writing exclusively, which the kernel refuses for one that is in use."""
    try:
        return test_file.open_past_cache(path, os.O_RDWR | os.O_EXCL if writing else os.O_RDONLY)
    except PermissionError as error:
        name = safety.name_behind(path)
        if writing and name and safety.is_read_only(name):
            raise UsageError(_read_only(path)) from error
        what = f"permission denied: {path} cannot be {'written' if writing else 'read'}"
        if os.geteuid() == 0:
            raise UsageError(f"{what}; the system forbids it even to root, as it does in a container") from error
        raise UsageError(f"{what} by you; join the group that may use disks, or run this as root") from error
    except OSError as error:
        if error.errno == errno.EBUSY:
            name = safety.name_behind(path)
            raise UsageError(_in_use(path, inuse.users(name) if name else [])) from error
        if error.errno == errno.EROFS:
            raise UsageError(_read_only(path)) from error
        raise UsageError(f"{path} cannot be opened: {error.strerror}; is a medium in it?") from error


def _in_use(path: Path, used: list[str]) -> str:
    return f"{path} is in use ({'; '.join(used) or 'the kernel says so'}) and is never overwritten; unmount it first"


def _read_only(path: Path) -> str:
    return f"{path} is read-only (a switch, or the kernel's setting) and cannot be written; nothing was written"


def _check(path: Path, fd: int, device: safety.OpenedDevice, asked: Overwrite) -> None:
    """Raise UsageError when a rule forbids writing to an opened device."""
    used = inuse.users(device.name)
    if used:
        raise UsageError(_in_use(path, used))
    if device.read_only:
        raise UsageError(_read_only(path))
    identity = safety.identity(device.name)
    if identity is None:
        raise UsageError(
            f"{path} has no serial number by which it could be named, so it is not overwritten; test it by a folder on it"
        )
    if identity != asked.serial:
        raise UsageError(f"{path} has the serial number '{identity}', not '{asked.serial}'; nothing was written")
    _check_contents(path, fd, device, asked)


def _check_contents(path: Path, fd: int, device: safety.OpenedDevice, asked: Overwrite) -> None:
    if asked.lose_contents:
        return
    parts = safety.partitions(device.name)
    if parts or safety.has_contents(fd, device.size):
        what = f"partitions ({', '.join(parts)})" if parts else "something (a file system, or other data)"
        raise UsageError(
            f"{path}, {show_size(device.size)}, holds {what}; to lose it, add --lose-contents. Nothing was written"
        )
