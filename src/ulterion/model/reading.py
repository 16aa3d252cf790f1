"""Reading what others may have written: plain files only, of a bounded size, and JSON of a bounded depth.

Nothing here hangs, fills the memory or fails in another way than by a UsageError that names the file.
"""

from __future__ import annotations

import json
import os
import stat
from pathlib import Path
from typing import Any

from ulterion.core.errors import UsageError
from ulterion.core.units import show_block

MAX_RUN = 256 * 2**20  # bytes; a night's soak has 3 MB, a week of short passes some tens
REST = 2**12  # bytes asked for beyond the size that a file had when it was opened
MAX_TEXT_BYTES = 8 * 2**20  # of a file written by hand, and of notes


class Unreadable(UsageError):  # noqa: N818 - it names what happened
    """The system does not give a file; what is in it may be sound."""


class NoSuchFile(Unreadable):
    """There is no file of this name."""


def read_bytes(path: Path, most: int = MAX_RUN) -> bytes:
    """Return the contents of a plain file of at most `most` bytes; raise UsageError that says what is wrong with it."""
    # a FIFO would wait for a writer, and opening some devices does something to them
    flags = os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_NOCTTY", 0) | getattr(os, "O_BINARY", 0)
    try:
        plain = stat.S_ISREG(os.stat(path).st_mode)  # noqa: PTH116 - asked before it is opened, and again after
        fd = os.open(path, flags | getattr(os, "O_CLOEXEC", 0)) if plain else -1
    except FileNotFoundError as error:
        raise NoSuchFile(f"{path} cannot be read: {error.strerror}; check its name") from error
    except (OSError, ValueError) as error:
        why = getattr(error, "strerror", None) or str(error)
        raise Unreadable(f"{path} cannot be read: {why}; check its name and permissions") from error
    if fd < 0:
        raise UsageError(f"{path} is not a plain file; put one in its place")
    try:
        facts = os.fstat(fd)
        if not stat.S_ISREG(facts.st_mode):
            raise UsageError(f"{path} was replaced by something else while it was opened; try again")
        data = b""
        # the system may give less than is asked for, and the file may grow meanwhile
        while facts.st_size <= most and len(data) <= most:
            more = os.read(fd, max(facts.st_size + 1 - len(data), REST))
            if not more:
                break
            data += more
    except (OSError, MemoryError) as error:
        why = getattr(error, "strerror", None) or "too little memory"
        raise Unreadable(f"{path} cannot be read: {why}") from error
    finally:
        os.close(fd)
    if facts.st_size > most or len(data) > most:
        raise UsageError(f"{path} is larger than {show_block(most)}, the limit for such a file")
    return data


def read_text(path: Path, most: int = MAX_TEXT_BYTES) -> str:
    """Return the text of a plain file in UTF-8, with or without a byte order mark; raise UsageError."""
    return as_text(read_bytes(path, most), path)


def as_text(data: bytes, path: Path) -> str:
    """Return bytes as the text of a file, without a byte order mark; raise UsageError."""
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise UsageError(f"{path} is not text in UTF-8; save it again as UTF-8") from error


def parse_json(data: bytes | str, name: str) -> Any:
    """Return JSON as plain data; `name` is for messages.  Raises UsageError."""
    try:
        return _DECODER.decode(
            data if isinstance(data, str) else data.decode(json.detect_encoding(data), "surrogatepass")
        )
    except json.JSONDecodeError as error:
        raise UsageError(f"{name} is incomplete or damaged: {error.msg} at line {error.lineno}") from error
    except RecursionError as error:
        raise UsageError(f"{name} is nested too deep to be one of ours") from error
    except UnicodeDecodeError as error:
        raise UsageError(f"{name} is not text in UTF-8") from error
    except ValueError as error:  # NaN, or a number of thousands of digits, which Python refuses to convert
        raise UsageError(f"{name} holds an invalid number: {str(error)[:60]}") from error


def _no_number(word: str) -> object:
    raise ValueError(word)


_DECODER = json.JSONDecoder(parse_constant=_no_number)
