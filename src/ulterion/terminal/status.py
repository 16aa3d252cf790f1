"""Every exit status of the program, and the refusal of a command line."""

from __future__ import annotations

from enum import IntEnum, unique


@unique
class Status(IntEnum):
    """What the exit status says."""

    DONE = 0
    USAGE = 2
    """wrong use or input, or something asked for beside a measurement (a figure) that could not be had"""
    TARGET_FAILED = 3
    """the thing under test failed; what was measured is kept"""
    BAD_VERDICT = 4
    """a verdict named by --fail-on came out"""
    FAULT = 70
    """a fault of our own (EX_SOFTWARE of sysexits.h); what was measured before it is kept"""
    INTERRUPTED = 130
    """stopped by hand or by the system; what was measured is kept"""


class Refused(Exception):  # noqa: N818 - it names what happened
    """A command line that cannot be understood, and why."""
