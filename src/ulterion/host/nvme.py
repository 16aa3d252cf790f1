"""The health log of an NVMe drive, by ioctl, and where it warns.

Field tables: NVM Express Base Specification 2.0, figure 207 (SMART / Health Information log, identifier 02h) and figure
275 (Identify Controller).  Numbers are little-endian; temperatures are in kelvins.
"""

from __future__ import annotations

import ctypes
from pathlib import Path

from ulterion.core.records import dataclass
from ulterion.host.passthrough import LogError, ask

ADMIN_COMMAND = 0xC0484E41  # _IOWR('N', 0x41, struct nvme_passthru_cmd), linux/nvme_ioctl.h
GET_LOG_PAGE, IDENTIFY = 0x02, 0x06
HEALTH_LOG, HEALTH_BYTES = 0x02, 512
IDENTIFY_CONTROLLER, IDENTIFY_BYTES = 0x01, 4096
ALL_NAMESPACES = 0xFFFFFFFF
KELVIN = 273.15
DATA_UNIT = 512_000  # bytes: thousands of 512-byte units
TIMEOUT_MS = 5000


class _Command(ctypes.Structure):
    """Struct nvme_passthru_cmd of linux/nvme_ioctl.h."""

    _fields_ = [
        ("opcode", ctypes.c_uint8),
        ("flags", ctypes.c_uint8),
        ("rsvd1", ctypes.c_uint16),
        ("nsid", ctypes.c_uint32),
        ("cdw2", ctypes.c_uint32),
        ("cdw3", ctypes.c_uint32),
        ("metadata", ctypes.c_uint64),
        ("addr", ctypes.c_uint64),
        ("metadata_len", ctypes.c_uint32),
        ("data_len", ctypes.c_uint32),
        ("cdw10", ctypes.c_uint32),
        ("cdw11", ctypes.c_uint32),
        ("cdw12", ctypes.c_uint32),
        ("cdw13", ctypes.c_uint32),
        ("cdw14", ctypes.c_uint32),
        ("cdw15", ctypes.c_uint32),
        ("timeout_ms", ctypes.c_uint32),
        ("result", ctypes.c_uint32),
    ]


@dataclass(frozen=True)
class Health:
    """What the health log says.

    Attributes:
        temperature: composite, C, or None when the log leaves it out.
        sensors: temperature of each of its sensors that exists (1 to 8), C.
        percentage_used: of its rated endurance; may pass 100.
        bytes_read, bytes_written: by the host.
        warning_seconds, critical_seconds: time at or above its warning and critical temperature.
        light_throttlings, heavy_throttlings: transitions into its thermal management states.
        light_seconds, heavy_seconds: time spent in them.
        media_errors: unrecovered.
    """

    temperature: float | None
    sensors: dict[int, float]
    percentage_used: int
    bytes_read: int
    bytes_written: int
    warning_seconds: int
    critical_seconds: int
    light_throttlings: int
    heavy_throttlings: int
    light_seconds: int
    heavy_seconds: int
    media_errors: int

    @property
    def counters(self) -> dict[str, float]:
        """The counters that a long run looks at before and after."""
        return {
            "throttlings": self.light_throttlings + self.heavy_throttlings,
            "throttled_seconds": self.light_seconds + self.heavy_seconds,
            "warning_seconds": self.warning_seconds,
            "critical_seconds": self.critical_seconds,
            "bytes_written": self.bytes_written,
            "percentage_used": self.percentage_used,
            "media_errors": self.media_errors,
        }


def _number(page: bytes, offset: int, size: int) -> int:
    return int.from_bytes(page[offset : offset + size], "little")


def _celsius(kelvins: int) -> float | None:
    """Return degrees Celsius, None for the 0 that stands for 'not there'; raise LogError for nonsense."""
    if kelvins == 0:
        return None
    if not 200 <= kelvins <= 500:
        raise LogError(f"the log gives a temperature of {kelvins} K, which is nonsense")
    return round(kelvins - KELVIN, 2)


def parse_health(page: bytes) -> Health:
    """Read a health log page (512 bytes); raise LogError for another length or nonsense."""
    if len(page) != HEALTH_BYTES:
        raise LogError(f"a health log has {HEALTH_BYTES} bytes, not {len(page)}")
    if not any(page) or all(b == 0xFF for b in page):
        raise LogError("the health log is empty")
    sensors = {i: c for i in range(1, 9) if (c := _celsius(_number(page, 200 + 2 * (i - 1), 2))) is not None}
    return Health(
        temperature=_celsius(_number(page, 1, 2)),
        sensors=sensors,
        percentage_used=page[5],
        bytes_read=_number(page, 32, 16) * DATA_UNIT,
        bytes_written=_number(page, 48, 16) * DATA_UNIT,
        warning_seconds=_number(page, 192, 4) * 60,
        critical_seconds=_number(page, 196, 4) * 60,
        light_throttlings=_number(page, 216, 4),
        heavy_throttlings=_number(page, 220, 4),
        light_seconds=_number(page, 224, 4),
        heavy_seconds=_number(page, 228, 4),
        media_errors=_number(page, 160, 16),
    )


def parse_limit(page: bytes) -> float | None:
    """Return the warning temperature (C) of an Identify Controller page (4096 bytes), or None where it states none."""
    if len(page) != IDENTIFY_BYTES:
        raise LogError(f"an Identify Controller page has {IDENTIFY_BYTES} bytes, not {len(page)}")
    return _celsius(_number(page, 266, 2)) or _celsius(_number(page, 268, 2))


def _ask(device: Path, opcode: int, nsid: int, cdw10: int, size: int) -> bytes:
    buffer = ctypes.create_string_buffer(size)
    command = _Command(
        opcode=opcode, nsid=nsid, addr=ctypes.addressof(buffer), data_len=size, cdw10=cdw10, timeout_ms=TIMEOUT_MS
    )
    status = ask(device, ADMIN_COMMAND, command)
    if status:
        raise LogError(f"{device} refused with status {status:#x}")
    return buffer.raw


def read_health(device: Path) -> Health:
    """Ask a drive for its health log; raise LogError."""
    count = HEALTH_BYTES // 4 - 1
    return parse_health(_ask(device, GET_LOG_PAGE, ALL_NAMESPACES, HEALTH_LOG | count << 16, HEALTH_BYTES))


def read_limit(device: Path) -> float | None:
    """Ask a drive for its warning temperature, C; None when it states none or cannot be asked."""
    try:
        return parse_limit(_ask(device, IDENTIFY, 0, IDENTIFY_CONTROLLER, IDENTIFY_BYTES))
    except LogError:
        return None
