"""Readings that the reviewer wants to be asked for during a soak: what, and at which moments of the load."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ulterion.core.errors import UsageError
from ulterion.core.patterns import pattern
from ulterion.core.records import dataclass
from ulterion.core.soak.trace import AGAIN, COOL, IDLE, LOAD
from ulterion.core.units import parse_duration, show_duration

END = "end"
BEFORE_END = 15.0  # seconds of the load that are left when its end is asked for
_ASK = pattern(r"(.+?)\s+at\s+(.+)", re.IGNORECASE)
_NUMBER = pattern(r"[+-]?\d+(?:\.\d+)?")


@dataclass(frozen=True)
class Question:
    """One thing to be read by hand: `moment` is 'idle', 'end', or seconds since the load began."""

    what: str
    moment: str | float

    @property
    def when(self) -> str:
        """The moment, as a note has it: 'idle', '5m00s', 'end'."""
        return self.moment if isinstance(self.moment, str) else show_duration(self.moment)


def parse_questions(text: str) -> tuple[Question, ...]:
    """Read 'case at idle, 5m, end'; raise UsageError."""
    match = _ASK.fullmatch(text.strip())
    if match is None:
        raise UsageError(f"--ask '{text}' does not say what is read and when; write it like 'case at idle, 5m, end'")
    return tuple(Question(match[1], _moment(one.strip())) for one in match[2].split(","))


def _moment(text: str) -> str | float:
    return text.casefold() if text.casefold() in (IDLE, END) else parse_duration(text)


class Questions:
    """What is to be asked, and what was answered.

    Args:
        wanted: in any order.
        load_seconds: length of the load, None where it ends by bytes or by itself: its end is then asked for after it.
    """

    def __init__(self, wanted: Sequence[Question], load_seconds: float | None) -> None:
        self.open = sorted(wanted, key=self._order)
        self._load_seconds = load_seconds

    @staticmethod
    def _order(one: Question) -> float:
        return {IDLE: -1.0, END: float("inf")}.get(one.moment, 0.0) if isinstance(one.moment, str) else one.moment

    def due(self, phase: str, seconds: float) -> Question | None:
        """Return the first question whose moment has come, so many seconds into a phase."""
        return next((one for one in self.open if self._has_come(one, phase, seconds)), None)

    def _has_come(self, one: Question, phase: str, seconds: float) -> bool:
        if one.moment == IDLE:
            return phase == IDLE
        if one.moment == END:
            nearly = self._load_seconds is not None and seconds >= self._load_seconds - BEFORE_END
            return phase in (COOL, AGAIN) or (phase == LOAD and nearly)
        return phase == LOAD and seconds >= float(one.moment)

    def read(self, line: str, phase: str, seconds: float) -> str:
        """Return what was typed as a note: a bare number answers the question that is due."""
        due = self.due(phase, seconds)
        return f"{due.what} {line.strip()} C" if due is not None and _NUMBER.fullmatch(line.strip()) else line

    def answered(self, what: str, phase: str, seconds: float) -> None:
        """Take a reading for the answer to the question that is due, if it is about the same."""
        due = self.due(phase, seconds)
        if due is not None and due.what.casefold() == what.casefold():
            self.open.remove(due)
