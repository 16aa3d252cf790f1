"""A stopwatch that is worked by keys: started, stopped, with laps typed as the device shows them.  It knows no terminal."""

from __future__ import annotations

from typing import Literal

from ulterion.core.errors import UsageError
from ulterion.core.transfers.timings import HAND, Timing, read_size, size_unit
from ulterion.core.units import show_duration, show_rate, show_size

State = Literal["ready", "running", "typing", "over"]
ENTER, ERASE, ESCAPE = ("\r", "\n"), ("\x7f", "\b"), "\x1b"
MAX_CHARACTERS = 24  # characters of a size


class Stopwatch:
    """One transfer: `press` takes keys with their moment (seconds of any steady clock), `line` says how it stands.

    Space starts it.  While it runs space marks a lap, whose size is then typed and ended with Enter; Enter alone stops it, x says that
    the transfer broke off.
    """

    def __init__(self, size: tuple[float, float] | None = None, reaction_seconds: float = HAND) -> None:
        self.size, self.reaction_seconds = size, reaction_seconds
        self.state: State = "ready"
        self.broke_off = False
        self.laps: list[tuple[float, float, float]] = []  # seconds, bytes, step of the last digit
        self.message = ""
        self._unit = "GB"  # of laps, until one is typed with another
        self._start = self._mark = self._end = 0.0
        self._typed = ""

    def press(self, key: str, at: float) -> None:
        """Take a key that was pressed at a moment."""
        if self.state == "ready" and key == " ":
            self._start, self.state = at, "running"
        elif self.state == "running" and key == " ":
            self._mark, self._typed, self.message, self.state = at, "", "", "typing"
        elif self.state == "running" and (key in ENTER or key in "xX"):
            self._end, self.broke_off, self.state = at, key in "xX", "over"
        elif self.state == "typing":
            self._type(key)

    def _type(self, key: str) -> None:
        if key in ENTER:
            self._lap()
        elif key in ERASE:
            self._typed = self._typed[:-1]
        elif key == ESCAPE:
            self.state = "running"
        elif key.isprintable() and len(self._typed) < MAX_CHARACTERS:
            self._typed += key

    def _lap(self) -> None:
        self.state = "running"
        text = self._typed.strip()
        if not text:
            return
        try:
            moved, step = read_size(text, self._unit)
        except UsageError as error:
            self.message = str(error)
            return
        behind = self.laps[-1][1] if self.laps else 0.0
        whole = self.size[0] if self.size else None
        if moved < behind or (whole is not None and moved > whole):
            self.message = f"{show_size(moved)} is {'less than before' if moved < behind else 'more than the whole'}; the lap was left out"
            return
        self._unit = size_unit(text) or self._unit
        self.laps.append((self._mark - self._start, moved, step))

    def elapsed(self, now: float) -> float:
        """Return the seconds since the start, or from start to end."""
        return 0.0 if self.state == "ready" else (self._end if self.state == "over" else now) - self._start

    def line(self, now: float) -> str:
        """Return its state in one line."""
        if self.state == "ready":
            return "space starts the clock"
        words = [show_clock(self.elapsed(now))]
        if self.laps:
            seconds, moved, _ = self.laps[-1]
            rate = moved / seconds if seconds > 0 else 0.0
            words.append(f"{show_size(moved)} at {show_clock(seconds)}, {show_rate(rate)}")
            if self.size and rate > 0:
                left = max(0.0, self.size[0] / rate - self.elapsed(now))
                words.append(f"about {show_duration(left)} left" if left >= 1 else "about to end")
        if self.state == "typing":
            return f"{', '.join(words)} | moved by {show_clock(self._mark - self._start)}: {self._typed}"
        return f"{', '.join(words)} | {self.message or 'space: lap  Enter: finished  x: stopped early'}"

    def timing(self, size: tuple[float, float], moved: tuple[float, float] | None = None) -> Timing:
        """Return the timing; `size` of the whole and, of one that broke off, what was `moved`, each with its step, bytes."""
        laps = tuple((seconds, done) for seconds, done, _ in self.laps)
        if not self.broke_off:
            return Timing(
                "done", *size, seconds=self.elapsed(self._end), reaction_seconds=self.reaction_seconds, laps=laps
            )
        known = moved or (self.laps[-1][1:] if self.laps else (None, 0.0))
        seconds, step = self.elapsed(self._end), known[1]
        return Timing(
            "stopped",
            *size,
            seconds,
            moved=known[0],
            moved_step=step,
            reaction_seconds=self.reaction_seconds,
            laps=laps,
        )


def show_clock(seconds: float) -> str:
    """Return seconds as a stopwatch shows them: '1:02.3'."""
    return f"{int(seconds // 60)}:{seconds % 60:04.1f}"
