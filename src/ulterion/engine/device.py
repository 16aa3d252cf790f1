"""A raw block device as a target: read by whoever may, written only with a permit."""

from __future__ import annotations

import errno
import os
import stat
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.passes import Laid
from ulterion.core.units import show_block, show_size
from ulterion.core.workload import Workload
from ulterion.engine import testfile
from ulterion.engine.target import DEFAULT_SPAN, LAY_BLOCK, SMALLEST_SPAN, RealTarget, lay_down


def is_device(path: Path) -> bool:
    """Return whether a path is a block device."""
    try:
        return stat.S_ISBLK(path.stat().st_mode)
    except OSError:
        return False


def device_size(path: Path) -> int:
    """Return the bytes of a block device; raise UsageError when it cannot be read."""
    try:
        with path.open("rb", buffering=0) as source:
            return source.seek(0, os.SEEK_END)
    except PermissionError as error:
        raise UsageError(
            f"{path} cannot be read by you; join the group that may read disks, or run this as root"
        ) from error
    except OSError as error:
        raise UsageError(f"{path} cannot be read: {error.strerror}; is a medium in it?") from error


class DeviceTarget(RealTarget):
    """A raw block device.

    Opened for reading only, unless `writable`, which the caller grants after every check of `ulterion.host.safety`.  Then
    it is opened exclusively, which the kernel refuses for a device that is in use.
    """

    kind = "device"

    def __init__(self, path: Path, span_bytes: int | None = None, *, writable: bool = False) -> None:
        self.size = device_size(path)
        if self.size < SMALLEST_SPAN:
            raise UsageError(
                f"{path} holds {show_size(self.size)}; it takes at least {show_block(SMALLEST_SPAN)} to test"
            )
        if span_bytes is not None and span_bytes > self.size:
            raise UsageError(f"{path} holds {show_size(self.size)}; use a --span no larger than that")
        # reading costs nothing and covers the medium; what is to be written is laid down first, so it is kept short
        span = span_bytes or (min(DEFAULT_SPAN, self.size) if writable else self.size)
        self.writable = writable
        super().__init__(path, _open(path, writable), span // LAY_BLOCK * LAY_BLOCK or span // 4096 * 4096)

    def check(self, workload: Workload) -> None:
        """Refuse writing without a permit."""
        super().check(workload)
        if workload.direction != "read" and not self.writable:
            raise UsageError(
                f"{self.path} is a raw device and is only read; to write to it, and lose what is on it, "
                f"name its serial number: --overwrite SERIAL"
            )

    def prepare(self, seed: int, laid: Laid | None = None) -> None:
        """Lay the span down where it is written anyway; a device that is only read is left as it is."""
        if self.writable:
            lay_down(self, seed, laid)


def _open(path: Path, writable: bool) -> testfile.OpenFile:
    flags = os.O_RDWR | os.O_EXCL if writable else os.O_RDONLY
    try:
        return testfile.open_past_cache(path, flags)
    except OSError as error:
        if error.errno == errno.EBUSY:
            raise UsageError(f"{path} is in use and is not written; unmount it and whatever is built on it") from error
        raise UsageError(f"{path} cannot be opened: {error.strerror}; check its permissions") from error
