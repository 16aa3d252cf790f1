"""Answers on a terminal, in colour where it has any, or as plain text for a pipe or a file."""

from __future__ import annotations

import os
from typing import IO

from ulterion.show.blocks import BARS, Shown, Table
from ulterion.show.setting import Line, set_block
from ulterion.show.width import columns

CODES = {"good": "32", "bad": "31", "open": "33", "muted": "2", "head": "1", "name": "36", "warning": "33"}
"""Of each style, how a terminal is told (ECMA-48, Select Graphic Rendition)."""


def text_of(block: Shown, stream: IO[str]) -> str:
    """Return a block as text for a stream, with colours where that is a terminal which has them; no line ends in spaces."""
    if not stream.isatty() and isinstance(block, Table):
        block = block.without([BARS])
    coloured = _has_colours(stream)
    return "".join(f"{_written(line, coloured=coloured)}\n" for line in set_block(block, columns(stream)))


def _has_colours(stream: IO[str]) -> bool:
    if not stream.isatty() or os.environ.get("NO_COLOR") or os.environ.get("TERM", "") in ("dumb", "unknown"):
        return False
    return os.name != "nt" or "WT_SESSION" in os.environ  # an old Windows console shows the codes


def _written(line: Line, *, coloured: bool) -> str:
    if not coloured:
        return "".join(span.text for span in line).rstrip(" ")
    return "".join(f"\x1b[{CODES[s.style]}m{s.text}\x1b[0m" if s.style and s.text.strip() else s.text for s in line)
