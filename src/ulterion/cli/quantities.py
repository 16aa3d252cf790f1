"""Quantities of two words on a command line: '200 GB' need not be put in quotes."""

from __future__ import annotations

import os
from collections.abc import Sequence

from ulterion.core.errors import UnitError
from ulterion.core.units import parse_duration, parse_iops, parse_rate, parse_size


def joined(argv: Sequence[str]) -> list[str]:
    """Return a command line with '200', 'GB' as the one word '200 GB'.

    A unit of one letter counts only for the value of an option, and none where a file or folder has its name.
    """
    end = argv.index("--") if "--" in argv else len(argv)
    words: list[str] = []
    for word in argv[:end]:
        of_option = len(words) > 1 and words[-2].startswith("--")
        unit = words and word.rstrip("/s").isalpha() and (len(word) > 1 or of_option)
        if unit and _is_quantity(f"{words[-1]} {word}") and not os.path.lexists(word):
            words[-1] += f" {word}"
        else:
            words.append(word)
    return [*words, *argv[end:]]


def _is_quantity(text: str) -> bool:
    """Return whether a text is a size, a rate or a time."""
    if not text[0].isdigit():
        return False
    for parse in (parse_size, parse_rate, parse_iops, parse_duration):
        try:
            parse(text)
        except UnitError:
            continue
        return True
    return False
