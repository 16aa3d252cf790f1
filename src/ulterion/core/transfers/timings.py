"""Transfers timed by hand: what was typed, what it comes to, and how sure it is.

A hand is late, or early, by `HAND` at each end (a standard deviation; the usual time of a simple reaction is 0.2 s: R. D. Luce, Response
Times, 1986).  What was typed was rounded to its last digit, and lies anywhere within half of it: a standard deviation of the
step over the root of 12.  Both go into the log of the rate.  Several timings make the hand's part smaller, but not that of rounding: the size
is the same in all, and a clock may cut off what it does not show, each time.  Nor do they make smaller what a hand does every time: who starts
late once does so again, by a quarter more than one end is off by.

A transfer that did not end gives no rate, but a bound: it was slower than what it would have taken to be further.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

from ulterion.core.errors import UsageError
from ulterion.core.records import dataclass
from ulterion.core.stats.samples import VARIES, ByHand
from ulterion.core.units import (
    BINARY,
    DECIMAL,
    MAX_SECONDS,
    bounded,
    parse_duration,
    parse_rate,
    parse_size,
    show_duration,
    show_rate,
    show_size,
    significant,
)

HAND = 0.2  # seconds at each end
HABIT = 1.25  # times the error of one end, that the same hand repeats
MAX_OFF = 60.0  # seconds
MIN_RATIO = 5  # times what hand and clock are off by: a shorter transfer is no figure
EXAMPLE = "4.2 GB in 1m12s"
End = Literal["done", "stopped", "going on", "shown"]
"""How a timing ended: the transfer was over; it broke off; it was still going on; or the device showed a rate itself."""


@dataclass(frozen=True)
class Timing:
    """One transfer as a hand timed it.

    Attributes:
        end: how it ended.
        size: bytes of the whole; `size_step` what one of the last digit typed is.
        seconds: from start to end, or to where it was looked at; None where that is not known.
        seconds_step: likewise.
        moved: bytes that were over by then, of one that did not end; `moved_step` likewise, None where that is not known.
        rate: bytes per second that the device showed, `rate_step` likewise.
        reaction_seconds: seconds that a hand is off by at each end.
        laps: (seconds, bytes) on the way.
    """

    end: End
    size: float = 0.0
    size_step: float = 0.0
    seconds: float | None = None
    seconds_step: float = 0.0
    moved: float | None = None
    moved_step: float = 0.0
    rate: float | None = None
    rate_step: float = 0.0
    reaction_seconds: float = HAND
    laps: tuple[tuple[float, float], ...] = ()

    @property
    def figure(self) -> float | None:
        """The rate, bytes per second, of one that is a figure."""
        if self.end == "shown":
            return self.rate
        return self.size / self.seconds if self.end == "done" and self.seconds else None

    @property
    def bound(self) -> float | None:
        """What it was slower than, bytes per second, of one that did not end: the most that may have been moved in the shortest such time."""
        if self.end not in ("stopped", "going on") or not self.seconds:
            return None
        whole = self.size + self.size_step / 2
        reached = whole if self.moved is None else min(whole, self.moved + self.moved_step)
        shortest = self.seconds - self.seconds_step / 2
        return reached / shortest if shortest > 0 else None

    @property
    def reaction_error(self) -> float:
        """Standard deviation of the log of its time that the hand explains."""
        return math.sqrt(2) * self.reaction_seconds / self.seconds if self.seconds and self.end != "shown" else 0.0

    @property
    def habit(self) -> float:
        """Standard deviation of the log of its time that the same hand repeats every time."""
        return HABIT * self.reaction_seconds / self.seconds if self.seconds and self.end != "shown" else 0.0

    @property
    def rounding(self) -> float:
        """Standard deviation of the log of its rate that the rounding of what was typed explains."""
        if self.end == "shown":
            return self.rate_step / math.sqrt(12) / (self.rate or 1.0)
        ticks = self.seconds_step / self.seconds if self.seconds else 0.0
        return math.hypot(self.size_step / self.size, ticks) / math.sqrt(12)

    def words(self) -> str:
        """Return what it shows, in words."""
        return f"{self.progress()}: slower than {show_rate(self.bound)}" if self.bound else self.progress()

    def progress(self) -> str:
        """Return how far it got, and in what time, in words."""
        if self.end == "shown":
            return f"the device shows {show_rate(self.rate or 0.0)}"
        whole, after = show_size(self.size), "" if self.seconds is None else f" after {show_duration(self.seconds)}"
        if self.end == "done":
            return f"{whole} in {show_duration(self.seconds or 0.0)}"
        reached = "" if self.moved is None else f" at {show_size(self.moved)}"
        if self.end == "stopped":
            return f"stopped{reached} of {whole}{after}"
        return f"{whole} not finished{reached and ','}{reached}{after}"


def read_timing(text: str, reaction_seconds: float = HAND) -> Timing:
    """Read a timing as people write it; raise UsageError.

    '4.2 GB in 1m12s'; '64 GB not finished after 10m'; 'stopped at 30 of 64 GB after 5m' (or without a time); 'still at 30 GB of 64 GB
    after 5m'; '64 GB still at 0% after 2m'; 'shows 95 MB/s'.
    """
    words = " ".join(bounded(text, "timing", EXAMPLE).split())
    for pattern, read in FORMS:
        match = re.fullmatch(pattern, words, re.IGNORECASE)
        if match is not None:
            return _checked(replace(read(match), reaction_seconds=reaction_seconds), text)
    raise UsageError(
        f"'{text[:60]}' is not a timing; write it like '{EXAMPLE}', '64 GB not finished after 10m', 'stopped at 30 of 64 GB after 5m' or 'shows 95 MB/s'"
    )


def read_reaction(text: str) -> float:
    """Read how far a hand is off at each end, seconds; '0 s' for times that a device shows itself.  Raises UsageError."""
    bare = bounded(text, "time", "0.2 s").removesuffix("s").strip()
    seconds = 0.0 if bare in ("0", "0.0") else parse_duration(text)
    if seconds > MAX_OFF:
        raise UsageError(f"{text} is longer than any reaction time; give at most {MAX_OFF:g} s")
    return seconds


def _checked(timing: Timing, text: str) -> Timing:
    if timing.moved is not None and timing.moved > timing.size:
        raise UsageError(f"'{text[:60]}': {show_size(timing.moved)} of {show_size(timing.size)} is more than the whole")
    least = MIN_RATIO * math.sqrt(2 * timing.reaction_seconds**2 + timing.seconds_step**2 / 12)
    if timing.end == "done" and timing.seconds is not None and timing.seconds < least:
        raise UsageError(
            f"'{text[:60]}' is too short to be timed like this: reaction and rounding alone may be off by {significant(least / MIN_RATIO, 2)} s; move more, or type more digits"
        )
    return timing


def _done(match: re.Match[str]) -> Timing:
    (size, step), (seconds, tick) = read_size(match[1]), _time(match[2])
    return Timing("done", size, step, seconds, tick)


def _unfinished(match: re.Match[str]) -> Timing:
    (size, step), (seconds, tick) = read_size(match[1]), _time(match[2])
    return Timing("going on", size, step, seconds, tick)


def _stands(match: re.Match[str]) -> Timing:
    """A size 'of' a size, stopped or going on, perhaps without a time."""
    size, step = read_size(match[3])
    moved, moved_step = read_size(match[2], size_unit(match[3]))
    seconds, tick = _time(match[4]) if match[4] else (None, 0.0)
    end: End = "stopped" if match[1].casefold() == "stopped" else "going on"
    return Timing(
        end=end, size=size, size_step=step, seconds=seconds, seconds_step=tick, moved=moved, moved_step=moved_step
    )


def _percent(match: re.Match[str]) -> Timing:
    (size, step), (seconds, tick) = read_size(match[1]), _time(match[4])
    end: End = "stopped" if match[2].casefold() == "stopped" else "going on"
    return Timing(
        end=end,
        size=size,
        size_step=step,
        seconds=seconds,
        seconds_step=tick,
        moved=size * float(match[3]) / 100,
        moved_step=size * _step(match[3]) / 100,
    )


def _shown(match: re.Match[str]) -> Timing:
    number = re.match(r"[\d.]+", match[1])
    rate = parse_rate(match[1])
    return Timing("shown", rate=rate, rate_step=_step(number[0]) * rate / float(number[0]) if number else 0.0)


FORMS = (
    (r"(.+?) in (.+)", _done),
    (r"(.+?),? not finished(?: after)? (.+)", _unfinished),
    (r"(stopped|still) at ([\d.]+ ?\w*) of (.+?)(?:,? (?:after|in) (.+))?", _stands),
    (r"(.+?),? (stopped|still) at (\d{1,3}(?:\.\d+)?) ?% (?:after|in) (.+)", _percent),
    (r"(?:it |the device )?shows (.+)", _shown),
)
"""The ways to write a timing, each with what reads it."""


def _step(number: str) -> float:
    """Return what one of the last digit of a number is: 0.1 for '4.2', 1 for '30'."""
    return 10.0 ** -len(number.partition(".")[2])


def size_unit(text: str) -> str:
    """Return the unit that a size is written in, '' for none."""
    return re.sub(r"^[\d.\s]+", "", text).strip()


def read_size(text: str, unit: str = "") -> tuple[float, float]:
    """Return a size and the step of its last digit, bytes; `unit` is meant where none is written.  Raises UsageError."""
    number = re.match(r"[\d.]+", text)
    whole = text if size_unit(text) else f"{text} {unit}"
    size, prefix = parse_size(whole), size_unit(whole).removesuffix("B")
    return size, _step(number[0] if number else "0") * (DECIMAL | BINARY).get(prefix, 1)


def _time(text: str) -> tuple[float, float]:
    """Return a time and the step of its last digit, seconds: a minute for '10m', a second for '1m12s' and '1:12'."""
    clock = re.fullmatch(r"(?:(\d+):)?(\d+):(\d{2}(?:\.\d+)?)", text)
    if clock is not None:
        seconds = int(clock[1] or 0) * 3600 + int(clock[2]) * 60 + float(clock[3])
        if seconds > MAX_SECONDS:
            raise UsageError(f"'{text}' is longer than a year; check the number")
        return seconds, _step(clock[3])
    seconds = parse_duration(text)
    number, unit = re.findall(r"([\d.]+)\s*([a-zµ]+)", text, re.IGNORECASE)[-1]
    return seconds, _step(number) * parse_duration(f"1 {unit}")


def rates_of(timings: Sequence[Timing], varies: float = VARIES) -> ByHand:
    """Return the rates of timings with what is known of their errors; empty where none has one.

    `varies` is the standard deviation of the log from one transfer to the next that is taken where there are fewer than three.

    A rate that a device shows is another measurement than a timing: where a hand timed, that alone counts.
    """
    figures = [t for t in timings if t.figure is not None]
    done = [t for t in figures if t.end == "done"] or figures
    if not done:
        return ByHand.of((), 0.0, 0.0)
    error = math.sqrt(sum(t.reaction_error**2 for t in done) / len(done))
    shared = math.sqrt(sum(t.rounding**2 + t.habit**2 for t in done) / len(done))
    return ByHand.of([t.figure or 0.0 for t in done], error, shared, varies)


def bound_of(timings: Sequence[Timing]) -> float | None:
    """Return the least that unfinished timings say a transfer was slower than, bytes per second, or None."""
    return min((t.bound for t in timings if t.bound is not None), default=None)
