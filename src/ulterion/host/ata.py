"""Temperatures and counters of an ATA drive, asked for through SCSI, as most USB bridges pass it on.

ATA PASS-THROUGH (16): SAT-4, 12.2.2.  READ LOG EXT (2Fh), the Device Statistics log (04h) with its pages 01h (general),
05h (temperature) and 07h (solid state), and the SCT status log (E0h): ACS-4, 7.22, 9.5 and 8.  Numbers are
little-endian; a statistic is a quadword whose highest byte holds flags: bit 7 supported, bit 6 valid.
"""

from __future__ import annotations

import ctypes
from pathlib import Path

from ulterion.core.records import dataclass
from ulterion.host.passthrough import LogError, ask

SG_IO = 0x2285  # scsi/sg.h
FROM_DEVICE = -3
PASS_THROUGH_16, PIO_IN, EXTEND = 0x85, 4 << 1, 1
TO_HOST_BLOCKS_BY_COUNT = 0x0E  # T_DIR 1, BYT_BLOK 1, T_LENGTH 2: the count field gives the blocks
READ_LOG_EXT = 0x2F
STATISTICS_LOG, SCT_STATUS = 0x04, 0xE0
GENERAL, TEMPERATURES, SOLID_STATE = 0x01, 0x05, 0x07
PAGE_BYTES = 512
SUPPORTED_AND_VALID = 0xC0
TIMEOUT_MS = 5000
NO_TEMPERATURE = -128  # SCT status: 80h stands for 'not valid'


class _SgIoHeader(ctypes.Structure):
    """Struct sg_io_hdr of scsi/sg.h."""

    _fields_ = [
        ("interface_id", ctypes.c_int),
        ("dxfer_direction", ctypes.c_int),
        ("cmd_len", ctypes.c_ubyte),
        ("mx_sb_len", ctypes.c_ubyte),
        ("iovec_count", ctypes.c_ushort),
        ("dxfer_len", ctypes.c_uint),
        ("dxferp", ctypes.c_void_p),
        ("cmdp", ctypes.c_void_p),
        ("sbp", ctypes.c_void_p),
        ("timeout", ctypes.c_uint),
        ("flags", ctypes.c_uint),
        ("pack_id", ctypes.c_int),
        ("usr_ptr", ctypes.c_void_p),
        ("status", ctypes.c_ubyte),
        ("masked_status", ctypes.c_ubyte),
        ("msg_status", ctypes.c_ubyte),
        ("sb_len_wr", ctypes.c_ubyte),
        ("host_status", ctypes.c_ushort),
        ("driver_status", ctypes.c_ushort),
        ("resid", ctypes.c_int),
        ("duration", ctypes.c_uint),
        ("info", ctypes.c_uint),
    ]


@dataclass(frozen=True)
class Temperature:
    """Degrees Celsius: now, and the greatest the maker allows (None where it is not stated); seconds above it."""

    current: float
    limit: float | None = None
    too_hot_seconds: float | None = None


def _page(page: bytes, number: int) -> bytes:
    if len(page) != PAGE_BYTES:
        raise LogError(f"a page of device statistics has {PAGE_BYTES} bytes, not {len(page)}")
    if int.from_bytes(page[:2], "little") == 0 or page[2] != number:
        raise LogError(f"what came is not page {number:02x}h of the device statistics")
    return page


def _statistic(page: bytes, offset: int, size: int, *, signed: bool = False) -> int | None:
    """Return a statistic of `size` bytes, None when it is not supported or not valid."""
    if page[offset + 7] & SUPPORTED_AND_VALID != SUPPORTED_AND_VALID:
        return None
    return int.from_bytes(page[offset : offset + size], "little", signed=signed)


def parse_temperature(page: bytes) -> Temperature:
    """Read the temperature page of the device statistics (512 bytes); raise LogError for anything else."""
    page = _page(page, TEMPERATURES)
    current = _statistic(page, 8, 1, signed=True)
    if current is None:
        raise LogError("the drive keeps no temperature in its statistics")
    limit, minutes = _statistic(page, 88, 1, signed=True), _statistic(page, 80, 4)
    return Temperature(
        float(current), None if limit is None else float(limit), None if minutes is None else minutes * 60.0
    )


def parse_sct_status(page: bytes) -> Temperature:
    """Read the SCT status log (512 bytes): the temperature at byte 200; raise LogError for anything else."""
    if len(page) != PAGE_BYTES:
        raise LogError(f"an SCT status has {PAGE_BYTES} bytes, not {len(page)}")
    if int.from_bytes(page[:2], "little") not in (2, 3):
        raise LogError("what came is not an SCT status")
    current = int.from_bytes(page[200:201], "little", signed=True)
    if current == NO_TEMPERATURE:
        raise LogError("the drive keeps no temperature in its SCT status")
    return Temperature(float(current))


def parse_counters(general: bytes | None, solid_state: bytes | None, hot: Temperature | None) -> dict[str, float]:
    """Return the counters of those pages that could be read."""
    counters: dict[str, float] = {}
    if general is not None and (sectors := _statistic(_page(general, GENERAL), 24, 6)) is not None:
        counters["bytes_written"] = sectors * 512.0
    if solid_state is not None and (used := _statistic(_page(solid_state, SOLID_STATE), 8, 1)) is not None:
        counters["percentage_used"] = float(used)
    if hot is not None and hot.too_hot_seconds is not None:
        counters["warning_seconds"] = hot.too_hot_seconds
    return counters


def log_command(log: int, page: int) -> bytes:
    """Return the command block that reads one page of a log: ATA PASS-THROUGH (16) with READ LOG EXT."""
    block = bytearray(16)
    block[0], block[1], block[2] = PASS_THROUGH_16, PIO_IN | EXTEND, TO_HOST_BLOCKS_BY_COUNT
    block[6] = 1  # blocks
    block[8], block[10], block[14] = log, page, READ_LOG_EXT
    return bytes(block)


def read_log(device: Path, log: int, page: int) -> bytes:
    """Ask a drive for a page of a log; raise LogError."""
    data, sense = ctypes.create_string_buffer(PAGE_BYTES), ctypes.create_string_buffer(32)
    block = ctypes.create_string_buffer(log_command(log, page), 16)
    header = _SgIoHeader(
        interface_id=ord("S"),
        dxfer_direction=FROM_DEVICE,
        cmd_len=16,
        mx_sb_len=32,
        dxfer_len=PAGE_BYTES,
        dxferp=ctypes.addressof(data),
        cmdp=ctypes.addressof(block),
        sbp=ctypes.addressof(sense),
        timeout=TIMEOUT_MS,
    )
    ask(device, SG_IO, header)
    if header.status or header.host_status or header.driver_status & 0x0F or header.resid:
        raise LogError(f"{device}, or the bridge in front of it, refused (status {header.status:#x})")
    return data.raw


def read_temperature(device: Path) -> Temperature:
    """Ask a drive for its temperature: the device statistics, or else the SCT status; raise LogError."""
    try:
        return parse_temperature(read_log(device, STATISTICS_LOG, TEMPERATURES))
    except LogError as first:
        try:
            return parse_sct_status(read_log(device, SCT_STATUS, 0))
        except LogError:
            raise first from None


def read_limit(device: Path) -> float | None:
    """Ask a drive for the greatest temperature its maker allows, C; None when it states none or cannot be asked."""
    try:
        return read_temperature(device).limit
    except LogError:
        return None


def read_counters(device: Path) -> dict[str, float]:
    """Ask a drive for its counters; raise LogError when it answers to nothing."""
    pages: list[bytes | None] = []
    for page in (GENERAL, SOLID_STATE):
        try:
            pages.append(_page(read_log(device, STATISTICS_LOG, page), page))
        except LogError:
            pages.append(None)
    try:
        hot = parse_temperature(read_log(device, STATISTICS_LOG, TEMPERATURES))
    except LogError:
        hot = None
    if hot is None and pages == [None, None]:
        raise LogError(f"{device} keeps no statistics")
    return parse_counters(pages[0], pages[1], hot)
