"""The live view of a soak, on a terminal only: the phase, rate and temperatures as running lines, events as they come."""

from __future__ import annotations

import contextlib
import os
import select
import sys
from collections.abc import Sequence
from typing import IO, Any

from rich.console import Group, RenderableType
from rich.live import Live
from rich.table import Table
from rich.text import Text

from ulterion.core import remaining
from ulterion.core.errors import UsageError
from ulterion.core.soak.falls import Fall
from ulterion.core.soak.trace import AGAIN, LOAD, TraceRow
from ulterion.core.units import show_duration, show_size
from ulterion.features.measure.tables import preview
from ulterion.features.soak.asking import Question, Questions
from ulterion.features.soak.words import ask_words, event_text, note_words
from ulterion.model.runs.notes import Note, Reading
from ulterion.model.runs.soak import SoakPlan, SoakRun
from ulterion.run.observers import Observer
from ulterion.show.live import Lines, console
from ulterion.show.sparkline import RunningLine, rate_cells, width_beside

SHOWN_EVENTS = 6


class Keys:
    """The lines typed while the live view is shown; none without a keyboard."""

    def __init__(self) -> None:
        self._old: list[Any] | None = None
        self.line = ""
        if sys.stdin is not None and sys.stdin.isatty():
            with contextlib.suppress(ImportError, OSError):
                import termios
                import tty

                self._old = termios.tcgetattr(sys.stdin.fileno())
                tty.setcbreak(sys.stdin.fileno())

    @property
    def on(self) -> bool:
        """Whether there is a keyboard."""
        return self._old is not None

    def lines(self) -> list[str]:
        """Return the lines finished since the last call; never waits."""
        text: list[str] = []
        while self.on and select.select([sys.stdin.fileno()], [], [], 0)[0]:
            typed = os.read(sys.stdin.fileno(), 256).decode("utf-8", "replace")
            if not typed:
                break
            for key in typed:
                if key in "\r\n":
                    text += [self.line] if self.line.strip() else []
                    self.line = ""
                elif key in "\x7f\b":
                    self.line = self.line[:-1]
                elif key.isprintable():
                    self.line += key
        return text

    def close(self) -> None:
        """Give the keyboard back as it was."""
        if self._old is not None:
            import termios

            termios.tcsetattr(sys.stdin.fileno(), termios.TCSADRAIN, self._old)
            self._old = None


class SoakAnnouncer(Observer):
    """Shows what will be tested and each phase as it begins, and nothing more: for pipes."""

    def __init__(self, stream: IO[str], unit: str) -> None:
        self.console = console(stream)
        self.unit = unit

    def preparing(self, words: str) -> None:
        """Say what is waited for."""
        self.console.print(words)

    def opened(self, run: SoakRun) -> None:
        """Show the preview with the sensors."""
        for line in preview(run):
            self.console.print(Lines(line))

    def phase(self, name: str, until: str) -> None:
        """Show the phase."""
        self.console.print(f"{name} {until}")

    def close(self) -> None:
        """Nothing to take away."""


class SoakDisplay(SoakAnnouncer):
    """The live view."""

    def __init__(self, stream: IO[str], unit: str, plan: SoakPlan, wanted: Sequence[Question] = ()) -> None:
        super().__init__(stream, unit)
        self._plan = plan
        self.questions = Questions(wanted, plan.load_seconds)
        self._asked: Question | None = None
        self._live: Live | None = None
        self._keys = Keys()
        self._rate = RunningLine()
        self._warm: dict[str, RunningLine] = {}
        self._phase = ("", "")
        self._done = (0.0, 0)
        self._events: list[str] = []
        self._said: list[str] = []
        self._trouble: dict[str, str] = {}

    def opened(self, run: SoakRun) -> None:
        """Show the preview and start the live view."""
        super().opened(run)
        self._live = Live(console=self.console, refresh_per_second=4, transient=True, get_renderable=self._render)
        self._live.start()

    def close(self) -> None:
        """Take the live view away and give the keyboard back."""
        self._keys.close()
        if self._live is not None:
            self._live.stop()
            self._live = None

    def prefilling(self, done: int, total: int) -> None:
        """Show the file growing."""
        self._phase = ("laying down", f"{done * 100 // total}% of {show_size(total)}")

    def phase(self, name: str, until: str) -> None:
        """Show the phase."""
        self._phase, self._done = (name, until), (0.0, 0)

    def row(self, name: str, row: TraceRow, seconds: float, moved: int) -> None:
        """Take an interval into the running lines."""
        self._done = (seconds, moved)
        self._rate.add(row.bytes / row.seconds if name in (LOAD, AGAIN) else 0.0)
        for sensor, value in row.sensors.items():
            self._warm.setdefault(sensor, RunningLine()).add(value)
        due = self.questions.due(name, seconds)
        if due is not None and due is not self._asked:
            self.console.bell()
        self._asked = due

    def events(self, falls: Sequence[Fall], load_start: float) -> None:
        """Show what happened to the rate."""
        self._events = [event_text(f, load_start, self.unit) for f in falls]

    def trouble(self, sensors: dict[str, str]) -> None:
        """Show what sensors without a value say."""
        self._trouble = sensors

    def typed(self) -> list[str]:
        """Return finished lines."""
        return [self.questions.read(line, self._phase[0], self._done[0]) for line in self._keys.lines()]

    def noted(self, record: Reading | Note) -> None:
        """Show what was kept."""
        if isinstance(record, Reading):
            self.questions.answered(record.what, self._phase[0], self._done[0])
        what = str(record) if isinstance(record, Reading) else record.text
        self._said = [*self._said, f"{show_duration(record.at_seconds or 0.0)}  noted: {what}"][-3:]

    def _left(self) -> str:
        """Return how much is left of the phase, in words."""
        seconds, moved = self._done
        if self._phase[0] != LOAD:
            return ""
        left = remaining.of_load(seconds, moved, most_seconds=self._plan.load_seconds, most_bytes=self._plan.load_bytes)
        return "" if left is None else f"   about {show_duration(left)} left"

    def _render(self) -> RenderableType:
        name, until = self._phase
        seconds, moved = self._done
        amount = f"   {show_size(moved)}" if moved else ""
        head = Text.assemble((name, "head"), f" {until}   {show_duration(seconds)}{amount}{self._left()}")
        hint = (
            f"> {self._keys.line}▏"
            if self._keys.line
            else (
                "type a reading ('case 38 C'), a remark, or 'next' to end this phase, and Enter; Ctrl-C ends it all"
                if self._keys.on
                else "Ctrl-C ends it and keeps what was measured"
            )
        )
        lost = [Text(f"{sensor}: {why}", style="warning") for sensor, why in self._trouble.items()]
        events = [Text(e, style="open") for e in self._events[-SHOWN_EVENTS:]]
        said = [Text(s, style="muted") for s in self._said]
        due = self.questions.due(name, seconds)
        ask = [Text(ask_words(due), style="head")] if due is not None else []
        return Group(head, self._lines(), *events, *lost, *said, *ask, Text(hint, style="muted"))

    def _lines(self) -> Table:
        width = width_beside(self.console.width)
        grid = Table.grid(padding=(0, 1, 0, 0))
        grid.add_column(no_wrap=True, width=10)
        grid.add_column(no_wrap=True, width=10, justify="right")
        grid.add_column(no_wrap=True, width=width)
        grid.add_column(no_wrap=True)
        grid.add_row("rate", *rate_cells(self._rate, width, self.unit))
        for sensor, line in self._warm.items():
            unit = "W" if sensor == "power" else "°C"
            value = "–" if line.last is None else f"{line.last:.1f} {unit}"
            low, high = (line.low, max(line.high, line.low + 5.0)) if line.high >= line.low else (0.0, 1.0)
            between = Text(f"{line.low:.0f} to {line.high:.0f}" if line.high >= line.low else "", style="muted")
            grid.add_row(sensor[:10], value, Text(line.draw(width, low, high), style="bad"), between)
        return grid


def make_soak_display(
    stream: IO[str], unit: str, plan: SoakPlan, wanted: Sequence[Question] = ()
) -> SoakDisplay | SoakAnnouncer:
    """Return the live view on a terminal, the announcer elsewhere; raise UsageError where questions have nobody to answer them."""
    if wanted and not (stream.isatty() and sys.stdin is not None and sys.stdin.isatty()):
        raise UsageError(f"--ask needs a terminal; without one write it down afterwards: {note_words(wanted[0])}")
    return SoakDisplay(stream, unit, plan, wanted) if stream.isatty() else SoakAnnouncer(stream, unit)
