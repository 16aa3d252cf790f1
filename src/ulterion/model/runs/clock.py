"""Transfers timed by hand, as they are written down."""

from __future__ import annotations

from typing import Annotated, Literal

from ulterion.core.documents.fields import Field, Limits
from ulterion.core.documents.written import Written
from ulterion.core.links.ceilings import Direction
from ulterion.core.transfers.course import Course, Transfer
from ulterion.core.transfers.timings import HAND, End, Timing
from ulterion.model.quantities import MAX_SECONDS, Count, Seconds, Spoken
from ulterion.model.runs.header import Header, State
from ulterion.model.runs.upgrades import Raw

Positive = Annotated[float, Limits(gt=0, le=MAX_SECONDS)]
Step = Annotated[float, Limits(ge=0, le=1e18)]
Rate = Annotated[float, Limits(gt=0, le=1e15)]


class TimingRecord(Written):
    """One transfer: what was typed, and what it was read as."""

    text: Spoken = Field(default="", description="as it was typed, or 'live'")
    end: End = Field(
        description="the transfer was over; broke off; was going on when it was looked at; or the device showed a rate"
    )
    size_bytes: Count = 0
    size_step: Step = Field(default=0.0, description="bytes that one of the last digit typed is")
    seconds: Positive | None = None
    seconds_step: Step = 0.0
    moved_bytes: Count | None = Field(default=None, description="what was over by then, of one that did not end")
    moved_step: Step = 0.0
    rate: Rate | None = Field(default=None, description="bytes per second that the device showed")
    rate_step: Step = 0.0
    reaction_seconds: Seconds = Field(
        default=HAND, description="seconds that the hand is off by at each end, a standard deviation"
    )
    laps: list[tuple[Seconds, Count]] = Field(default=[], description="seconds and bytes on the way")

    def check_whole(self) -> None:
        """Raise ValueError unless it has what its end asks for."""
        missing = self.rate is None if self.end == "shown" else self.size_bytes == 0
        if missing or (self.end == "done" and self.seconds is None):
            raise ValueError("it lacks the size, the time or the rate that its end asks for")

    @classmethod
    def of(cls, text: str, timing: Timing) -> TimingRecord:
        """Return what is written down of a timing."""
        return cls(
            text=text,
            end=timing.end,
            size_bytes=round(timing.size),
            size_step=timing.size_step,
            seconds=timing.seconds,
            seconds_step=timing.seconds_step,
            moved_bytes=None if timing.moved is None else round(timing.moved),
            moved_step=timing.moved_step,
            rate=timing.rate,
            rate_step=timing.rate_step,
            reaction_seconds=timing.reaction_seconds,
            laps=[(at, round(moved)) for at, moved in timing.laps],
        )

    @property
    def timing(self) -> Timing:
        """The timing as it is judged."""
        return Timing(
            end=self.end,
            size=self.size_bytes,
            size_step=self.size_step,
            seconds=self.seconds,
            seconds_step=self.seconds_step,
            moved=self.moved_bytes,
            moved_step=self.moved_step,
            rate=self.rate,
            rate_step=self.rate_step,
            reaction_seconds=self.reaction_seconds,
            laps=tuple((at, float(moved)) for at, moved in self.laps),
        )


class ClockRecord(Written):
    """Transfers of one task in one direction."""

    task: Spoken = Field(description="what was transferred, by which timings are matched")
    direction: Direction = Field(description="seen from the host: 'write' to the medium, 'read' from it")
    timings: list[TimingRecord] = Field(min_length=1)


class ClockRun(Header):
    """Transfers timed by hand on a setup."""

    kind: Literal["clock"] = "clock"
    clock: ClockRecord

    @property
    def timings(self) -> list[Timing]:
        """The timings as they are judged."""
        return [t.timing for t in self.clock.timings]

    @property
    def transfer(self) -> Transfer:
        """What was timed."""
        return Transfer(self.clock.task, self.clock.direction != "read", "by hand")

    @property
    def course(self) -> Course | None:
        """How far a timing was when: the last with laps, else the last that ended, straight from start to end, else one that was left on the way."""
        drawn = [t for t in self.timings if t.seconds and (t.laps or t.end == "done" or t.moved)]
        timed = max(reversed(drawn), key=lambda t: (bool(t.laps), t.end == "done"), default=None)
        if timed is None or timed.seconds is None:
            return None
        over = timed.size if timed.end == "done" else timed.moved
        last = (
            [(timed.seconds, over)] if over is not None and over >= max((b for _, b in timed.laps), default=0.0) else []
        )
        points = [(0.0, 0.0), *timed.laps, *last]
        return Course(tuple(s for s, _ in points), tuple(b for _, b in points), timed.size, timed.end == "done")

    @property
    def kept_words(self) -> str:
        """What a cut-off run has, in words."""
        return f"its {len(self.clock.timings)} timings are"


class Recovery:
    """What a journal of it holds: nothing but its beginning, for it is written whole."""

    def __init__(self, run: ClockRun) -> None:
        self._run = run

    def take(self, line: Raw) -> None:
        """Take no line; raise ValueError."""
        raise ValueError("no line of a timing")

    def run(self, state: State) -> ClockRun:
        """Return the run with its state."""
        return self._run.changed(state=state)
