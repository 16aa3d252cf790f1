"""The permit to overwrite a raw device: given only when every rule is kept, each with its own refusal."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.units import show_size
from ulterion.engine.device import device_size
from ulterion.host import safety


@dataclass(frozen=True)
class Overwrite:
    """What the reviewer said on the command line.

    Attributes:
        serial: the serial number of the device that may be overwritten, or None.
        lose_contents: whether what is on it may be lost.
    """

    serial: str | None = None
    lose_contents: bool = False


def permit_writing(device: Path, asked: Overwrite) -> bool:
    """Return whether a device may be written; raise UsageError when that was asked for and a rule forbids it.

    In this order: in use (mounted, swap, held by another device, the system disk) is always refused; a device without
    a serial number cannot be named; the wrong number is refused; so is one with contents, without the second word.
    """
    if asked.serial is None:
        if asked.lose_contents:
            raise UsageError("--lose-contents goes with --overwrite SERIAL, which names the device")
        return False
    name = safety.disk_named(device)
    if name is None:
        raise UsageError(f"{device} is not a disk that the kernel shows; nothing was written")
    used = safety.users(name)
    if used:
        raise UsageError(f"{device} is in use ({'; '.join(used)}) and is never overwritten; unmount it first")
    identity = safety.identity(name)
    if identity is None:
        raise UsageError(f"{device} has no serial number by which it could be named, so it is not overwritten")
    if identity != asked.serial:
        raise UsageError(f"{device} has the serial number '{identity}', not '{asked.serial}'; nothing was written")
    _check_contents(device, name, asked)
    return True


def _check_contents(device: Path, name: str, asked: Overwrite) -> None:
    if asked.lose_contents:
        return
    parts = safety.partitions(name)
    size = device_size(device)
    if parts or safety.has_contents(device, size):
        what = f"partitions ({', '.join(parts)})" if parts else "something (a file system, or other data)"
        raise UsageError(
            f"{device}, {show_size(size)}, bears {what}; to lose it, add --lose-contents. Nothing was written"
        )
