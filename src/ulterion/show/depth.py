"""How much of an answer is shown."""

from __future__ import annotations

import argparse
import enum


class Depth(enum.IntEnum):
    """The answer, its evidence as well (`--why`), or everything (`--long`)."""

    ANSWER = 0
    WHY = 1
    EVERYTHING = 2

    @classmethod
    def of(cls, arguments: argparse.Namespace) -> Depth:
        """Return what a command line asks for."""
        if getattr(arguments, "long", False):
            return cls.EVERYTHING
        return cls.WHY if getattr(arguments, "why", False) else cls.ANSWER
