"""A machine written down: the small files and links under /sys and /proc that a survey looks at, and back again.

Format: {"schema": {"name": "ulterion-machine", "version": 1}, "host": name, "files": {path: text}, "bytes": {path: base64},
"links": {path: target}}; paths are relative to the root, targets as the links have them.
"""

from __future__ import annotations

import base64
import contextlib
import json
import os
import platform
import stat
import tempfile
from collections.abc import Iterator
from dataclasses import field
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.records import dataclass
from ulterion.host import cards, gaveup, tree, usb
from ulterion.model.reading import parse_json, read_bytes
from ulterion.model.systems import linux_alone

NAME, VERSION = "ulterion-machine", 1
MAX_BYTES = 65536  # bytes of one file
SKIPPED = {"config", "resource", "rom", "trace", "uevent", "remove", "rescan", "reset", "delete", "power", "mq", "bdi",
           "inflight", "integrity", "stat", "vpd_pg83", "vpd_pg0", "vpd_pgb0", "vpd_pgb1", "vpd_pgb2",
           "msi_irqs", "firmware_node", "statistics", "queues"}  # fmt: skip
PROC = ("proc/self/mountinfo", "proc/cpuinfo", "proc/meminfo", "proc/swaps", "proc/sys/kernel/osrelease")
FOLDERS_ALONG = (
    "queue",
    "hwmon",
    "ata_link",
    "ata_device",
    "device",
    "holders",
    "slaves",
    "dm",
    "loop",
    "md",
    "scsi_host",
    "sas_phy",
    "sas_device",
    "power_info",
    "device_descriptor",
    "unit_descriptor",
)  # folders taken in with what they hold
CLASSES = ("scsi_host", "sas_phy", "sas_device")  # folders whose own folders are taken in too


@dataclass
class Machine:
    """What a survey looks at: small files as text or base64, links with their targets, folders already taken."""

    host: str
    files: dict[str, str] = field(default_factory=dict)
    bytes: dict[str, str] = field(default_factory=dict)
    links: dict[str, str] = field(default_factory=dict)
    seen: set[str] = field(default_factory=set)

    def as_data(self) -> dict[str, object]:
        """Return it as it is written down."""
        schema = {"name": NAME, "version": VERSION}
        return {"schema": schema, "host": self.host, "files": self.files, "bytes": self.bytes, "links": self.links}


def record(root: Path = Path("/")) -> Machine:
    """Return what a survey of the machine under `root` looks at."""
    data = Machine(platform.node() or "unknown")
    for name in PROC:  # under their own names: /proc/self is a link to a number that is gone later
        with contextlib.suppress(OSError):
            data.files[name] = (root / name).read_bytes()[:MAX_BYTES].decode("utf-8", "replace")
    for pattern in (
        "sys/block/*",
        "sys/class/net/*",
        "sys/class/hwmon/*",
        "sys/class/nvme/*",
        "sys/class/power_supply/*",
        "sys/class/block/*",
        "sys/dev/block/*",
        "sys/class/ata_port/*",
        "sys/class/mmc_host/*",
        "sys/class/nvme-subsystem/*",
        "sys/bus/thunderbolt/devices/*",
        "sys/bus/usb/devices/*",
        "sys/fs/btrfs/*/devices/*",
    ):
        for entry in sorted(root.glob(pattern)):
            _take(entry, root, data)
            for folder in _along(entry.resolve(), root):
                _take_folder(folder, root, data)
    for entry in sorted(root.glob("sys/bus/pci/devices/*")):
        if (tree.text(entry / "class") or "").startswith(gaveup.NVME_CLASS):
            _take(entry, root, data)
            _take_folder(entry.resolve(), root, data)
    for name in ("sys_vendor", "product_name"):
        _take(root / "sys/class/dmi/id" / name, root, data)
    _take_tree(root / "sys/devices/system/cpu/cpu0/cpufreq", root, data)
    _take(root / usb.QUIRKS, root, data)
    for name in ("ios", "caps", "caps2", "mmc*/ext_csd"):
        for told in sorted(root.glob(f"{cards.DEBUG}/mmc*/{name}")):
            _take(told, root, data)
    return data


def _along(device: Path, root: Path) -> Iterator[Path]:
    """Yield a device's folder and those above it."""
    top = (root / "sys/devices").resolve()
    while top in device.parents:
        yield device
        device = device.parent


def _take_folder(folder: Path, root: Path, data: Machine) -> None:
    """Take the files and links directly in a folder, and the folders in it that a survey looks into."""
    mark = f"{folder.relative_to(root.resolve())}/"
    if mark in data.seen:
        return
    data.seen.add(mark)
    for entry in _entries(folder):
        if entry.name in SKIPPED:
            continue
        _take(entry, root, data)
        if entry.is_dir() and not entry.is_symlink() and _looked_into(folder, entry):
            _take_folder(entry, root, data)


def _looked_into(folder: Path, entry: Path) -> bool:
    name = entry.name
    return (
        name in FOLDERS_ALONG
        or name.startswith(("hwmon", "link", "dev", "host", "phy-", folder.name))
        or folder.name in CLASSES
        or name.endswith(":1.0")
        or "-port" in name
    )


def _take_tree(folder: Path, root: Path, data: Machine) -> None:
    for entry in _entries(folder):
        _take(entry, root, data)


def _entries(folder: Path) -> list[Path]:
    try:
        return sorted(folder.iterdir())
    except OSError:
        return []


def _take(path: Path, root: Path, data: Machine) -> None:
    """Take one link or small file; what cannot be read is left out."""
    with contextlib.suppress(OSError, ValueError):
        # the parents of a path may be links: it is kept under its own place
        name = str((path.parent.resolve() / path.name).relative_to(root.resolve()))
        if path.is_symlink():
            data.links[name] = str(path.readlink())
        elif path.is_file():
            mode = path.stat().st_mode
            if not mode & (stat.S_IRUSR | stat.S_IRGRP | stat.S_IROTH):
                return
            with path.open("rb") as source:
                content = source.read(MAX_BYTES)
            try:
                data.files[name] = content.decode("utf-8")
            except UnicodeDecodeError:
                data.bytes[name] = base64.b64encode(content).decode("ascii")


def write_record(path: Path, root: Path = Path("/")) -> int:
    """Write the machine down; return how many files and links.  Raises UsageError; overwrites nothing."""
    linux_alone("recording a machine")
    data = record(root)
    try:
        with path.open("x", encoding="utf-8") as out:
            json.dump(data.as_data(), out, indent=1, ensure_ascii=False, sort_keys=True)
            out.write("\n")
    except FileExistsError as error:
        raise UsageError(f"{path} exists already and was left as it is; choose another name") from error
    except OSError as error:
        raise UsageError(f"{path} cannot be written: {error.strerror}; choose another place") from error
    return len(data.files) + len(data.bytes) + len(data.links)


@contextlib.contextmanager
def replayed(path: Path) -> Iterator[tuple[Path, str]]:
    """Lay a recorded machine out as a folder tree; yield its root and the host's name.  Raises UsageError."""
    data = parse_json(read_bytes(path), str(path))
    if not isinstance(data, dict) or data.get("schema") != {"name": NAME, "version": VERSION}:
        raise UsageError(
            f"{path} is not a recorded machine of this version; make one with 'ulterion survey --record FILE'"
        )
    parts = [data.get(k, {}) for k in ("files", "bytes", "links")]
    if not all(isinstance(p, dict) and all(isinstance(v, str) for v in p.values()) for p in parts):
        raise UsageError(f"{path} is not valid: `files`, `bytes` and `links` are tables of texts")
    with tempfile.TemporaryDirectory(prefix="ulterion-machine-") as scratch:
        root = Path(scratch).resolve()
        files, encoded, links = parts
        for name, text in files.items():
            _lay(root, name, text.encode("utf-8", "surrogateescape"))
        for name, text in encoded.items():
            with contextlib.suppress(ValueError):
                _lay(root, name, base64.b64decode(text))
        for name, target in links.items():
            _lay_link(root, name, target)
        yield root, str(data.get("host", "unknown"))


def _inside(root: Path, name: str) -> Path | None:
    """Return where a recorded path goes; None when it would lead out of the root."""
    path = root / os.path.normpath(name).lstrip("/")
    return path if root in path.parents and ".." not in Path(name).parts else None


def _lay(root: Path, name: str, content: bytes) -> None:
    path = _inside(root, name)
    if path is not None:
        with contextlib.suppress(OSError, ValueError):  # a name with a zero byte
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(content)


def _lay_link(root: Path, name: str, target: str) -> None:
    """Make a link; one that would lead out of the root is left out."""
    path = _inside(root, name)
    if path is None or target.startswith("/"):
        return
    end = Path(os.path.normpath(path.parent / target))
    if root not in end.parents:
        return
    with contextlib.suppress(OSError, ValueError):
        path.parent.mkdir(parents=True, exist_ok=True)
        end.mkdir(parents=True, exist_ok=True) if not end.exists() and not end.suffix else None
        path.symlink_to(target)
