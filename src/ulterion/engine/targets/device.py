"""A raw block device as a target: read with the user's rights, written only with a permit."""

from __future__ import annotations

import stat
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.units import show_block, show_size
from ulterion.core.workloads.passes import OnPrefill
from ulterion.core.workloads.workload import DriveWorkload
from ulterion.engine.targets import test_file
from ulterion.engine.targets.base import DEFAULT_SPAN, LAY_BLOCK, MIN_SPAN, RealTarget, prefill


def is_device(path: Path) -> bool:
    """Return whether a path leads to a block device; that is checked again when it is opened."""
    try:
        return stat.S_ISBLK(path.stat().st_mode)
    except OSError:
        return False


class DeviceTarget(RealTarget):
    """A raw block device, opened once by the code that checked it.

    Attributes:
        size: bytes.
        device_name: the kernel's name of what was opened, whatever the path is called.
        writable: granted after every check on what was opened, which is then open for this program alone.
    """

    def __init__(
        self,
        path: Path,
        opened: test_file.OpenFile,
        size: int,
        name: str,
        span_bytes: int | None = None,
        *,
        writable: bool = False,
    ) -> None:
        if size < MIN_SPAN:
            raise UsageError(f"{path} holds {show_size(size)}; it takes at least {show_block(MIN_SPAN)} to test")
        if span_bytes is not None and span_bytes > size:
            raise UsageError(f"{path} holds {show_size(size)}; use a --span no larger than that")
        # reading costs nothing and covers the medium; what is to be written is laid down first, so it is kept short
        span = span_bytes or (min(DEFAULT_SPAN, size) if writable else size)
        self.size, self.device_name, self.writable = size, name, writable
        super().__init__(path, opened, span // LAY_BLOCK * LAY_BLOCK or span // 4096 * 4096)

    def check(self, workload: DriveWorkload) -> None:
        """Refuse writing without a permit."""
        super().check(workload)
        if workload.direction != "read" and not self.writable:
            raise UsageError(
                f"{self.path} is a raw device and is only read; to write to it, and lose what is on it, "
                f"name its serial number: --overwrite SERIAL"
            )

    def make_room(self, workload: DriveWorkload, seed: int, on_prefill: OnPrefill | None = None) -> None:
        """Nothing is laid down before a load that only writes."""
        if workload.direction != "write":
            self.prepare(seed, on_prefill)

    def prepare(self, seed: int, on_prefill: OnPrefill | None = None) -> None:
        """Lay the span down where it is written anyway; a device that is only read is left as it is."""
        if self.writable:
            prefill(self, seed, on_prefill)
