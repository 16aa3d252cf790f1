"""Quantities of two words on a command line: '200 GB' need not be put in quotes."""

from __future__ import annotations

import os
from collections.abc import Sequence

from ulterion.core.patterns import pattern

NUMBER = pattern(r"\d[\d.,]*")
UNIT = pattern(r"[kKMGTP]?i?[bB](?:/s)?|[kMG]bit/s|[nuµμm]?s|sec|seconds?|m|min|minutes?|h|hours?|d|days?|IOPS")


def joined(argv: Sequence[str]) -> list[str]:
    """Return a command line with '200', 'GB' as the one word '200 GB'.

    A unit of one letter counts only for the value of an option, and none where a file or folder is called so.
    """
    end = argv.index("--") if "--" in argv else len(argv)
    words: list[str] = []
    for at, word in enumerate(argv):
        number = words[-1] if at < end and words and words[-1][:1].isdigit() and NUMBER.fullmatch(words[-1]) else ""
        value = len(words) > 1 and words[-2].startswith("--")
        if number and UNIT.fullmatch(word) and (len(word) > 1 or value) and not os.path.lexists(word):
            words[-1] = f"{number} {word}"
        else:
            words.append(word)
    return words
