"""Putting a question to a device by ioctl, and the one error when it gives no answer."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from ulterion.host import tree
from ulterion.host.loops import number_text

LIVE = Path("/")


class LogError(Exception):
    """A log that could not be read or is not valid, and why."""


def ask(device: Path, request: int, command: Any) -> int:
    """Send a command structure to a device; return what the call returned.  Raises LogError."""
    import fcntl

    try:
        fd = os.open(device, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        try:
            if not _is_called_so(fd, device):
                raise LogError(f"{device} is not the device that its name says")
            status: int = fcntl.ioctl(fd, request, command)
            return status
        finally:
            os.close(fd)
    except PermissionError as error:
        raise LogError(_refused(device)) from error
    except OSError as error:
        raise LogError(f"{device} does not accept such commands: {error.strerror}") from error


def _is_called_so(fd: int, device: Path) -> bool:
    """Return whether an open node is what the kernel calls by its name, by its number (True where the kernel shows none)."""
    numbers = [tree.text(LIVE / "sys/class" / kind / device.name / "dev") for kind in ("block", "nvme", "nvme-generic")]
    known = [n for n in numbers if n is not None]
    return not known or number_text(os.fstat(fd).st_rdev) in known


def _refused(device: Path) -> str:
    """Say why a device may not be asked: root may, others may not; and some devices take no questions at all."""
    root = hasattr(os, "geteuid") and os.geteuid() == 0
    return f"{device} does not accept such commands" if root else f"reading the logs of {device} needs root"
