"""How wide a line may be, and which lines need no setting at all."""

from __future__ import annotations

import os
from typing import IO

ENDLESS = 100_000  # columns of a pipe or a file: nothing is broken there


def columns(stream: IO[str]) -> int:
    """Return the width of a stream: what COLUMNS says, or the terminal's; elsewhere lines are as long as they are."""
    asked = os.environ.get("COLUMNS", "")
    if asked.isdigit() and int(asked) > 0:
        return int(asked)
    if not stream.isatty():
        return ENDLESS
    try:
        return os.get_terminal_size(stream.fileno()).columns or 80
    except OSError:
        return 80


def as_it_is(line: str, width: int) -> bool:
    """Whether a line needs no setting: plain letters that fit.  Such lines are printed without loading Rich."""
    return len(line) <= width and line.isascii() and line.isprintable() and not line.endswith(" ")
