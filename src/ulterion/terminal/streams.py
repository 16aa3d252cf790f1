"""The standard streams, whatever they are: closed, full, or in an encoding that lacks our signs."""

from __future__ import annotations

import codecs
import os
from typing import IO

# what to write where the encoding of the screen has no such sign
PLAIN = {
    "±": "+-",
    "×": "x",
    "–": "-",
    "—": "-",
    "−": "-",
    "…": "...",
    "°": "",
    "µ": "u",
    "█": "#",
    "░": ".",
    "·": ".",
    "│": "|",
    **dict.fromkeys("▏▎▍", ""),
    **dict.fromkeys("▌▋▊▉", "#"),
    "▁": "_",
    "▂": "_",
    "▃": "-",
    "▄": "-",
    "▅": "=",
    "▆": "=",
    "▇": "#",
}
HANDLER = "ulterion-plain"


def _plain(error: UnicodeError) -> tuple[str, int]:
    """Return what stands for the characters that could not be encoded, and where to go on (codecs error handler)."""
    assert isinstance(error, UnicodeEncodeError)
    characters = error.object[error.start : error.end]
    return "".join(PLAIN.get(c, f"\\u{ord(c):04x}") for c in characters), error.end


def open_standard_descriptors() -> None:
    """Give the descriptors 0, 1 and 2 something to be, where the caller closed them.

    Else the next file opened, a device under test even, would become standard output or standard error.
    """
    for number in (0, 1, 2):
        try:
            os.fstat(number)
        except OSError:
            os.open(os.devnull, os.O_RDWR)  # takes the lowest free number, which is this one


def readable(stream: IO[str] | None) -> IO[str]:
    """Return a stream that takes every character; one that was closed swallows all."""
    if stream is None:
        return open(os.devnull, "w", encoding="utf-8")  # noqa: PTH123 - lives as long as the process
    codecs.register_error(HANDLER, _plain)
    reconfigure = getattr(stream, "reconfigure", None)
    if reconfigure is not None:
        reconfigure(errors=HANDLER)
    return stream


def silence(stream: IO[str]) -> None:
    """Let what is left in a stream's buffer go nowhere: its reader has gone, or its medium is full."""
    try:
        number = stream.fileno()
        nowhere = os.open(os.devnull, os.O_WRONLY)
        os.dup2(nowhere, number)
        os.close(nowhere)
    except (OSError, ValueError):
        return
