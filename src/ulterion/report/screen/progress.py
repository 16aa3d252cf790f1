"""The live view of a run, on a terminal only; elsewhere the silent `Observer` takes its place."""

from __future__ import annotations

import time
from typing import IO

from rich.console import Group, RenderableType
from rich.live import Live
from rich.table import Table
from rich.text import Text

from ulterion.conduct.observers import Observer
from ulterion.core import remaining
from ulterion.core.passes import PassResult
from ulterion.core.units import show_duration, show_rate, show_size
from ulterion.core.workload import Workload
from ulterion.model.runs.measure import MeasureRun
from ulterion.report.screen.console import console
from ulterion.report.screen.results import preview

BAR = 24  # characters


class Announcer(Observer):
    """Shows what will be tested, and nothing more: for pipes."""

    def __init__(self, stream: IO[str]) -> None:
        self.console = console(stream)

    def preparing(self, words: str) -> None:
        """Say what is waited for."""
        self.console.print(words)

    def opened(self, run: MeasureRun) -> None:
        """Show the preview."""
        for line in preview(run):
            self.console.print(line)

    def close(self) -> None:
        """Nothing to take away."""


class Display(Announcer):
    """Shows what is running, the pass, the live rate and the time left."""

    def __init__(self, stream: IO[str], unit: str) -> None:
        super().__init__(stream)
        self._unit = unit
        self._live: Live | None = None
        self._run: MeasureRun | None = None
        self._done: list[int] = []
        self._line = ("", "", "")
        self._since = 0.0
        self._last = (0.0, 0)

    def opened(self, run: MeasureRun) -> None:
        """Show the preview and start the live line."""
        super().opened(run)
        self._run = run
        self._live = Live(console=self.console, refresh_per_second=8, transient=True, get_renderable=self._render)
        self._live.start()

    def close(self) -> None:
        """Take the live line away."""
        if self._live is not None:
            self._live.stop()
            self._live = None

    def _lengths(self) -> list[float]:
        return [r.workload.seconds or 0.0 for r in self._run.workloads] if self._run else []

    def _passes(self) -> int:
        return self._run.settings.passes if self._run else 0

    def _left(self) -> float:
        running = time.monotonic() - self._since if self._since else 0.0
        return remaining.of_run(self._lengths(), self._passes(), self._done, running)

    def _render(self) -> RenderableType:
        name, step, rate = self._line
        total = remaining.whole_run(self._lengths(), self._passes())
        grid = Table.grid(padding=(0, 2, 0, 0))
        for width in (16, 14, 12, BAR):
            grid.add_column(no_wrap=True, min_width=width)
        filled = round(BAR * (1 - self._left() / total)) if total else 0
        bar = Text("█" * filled, style="name") + Text("░" * (BAR - filled), style="muted")
        grid.add_row(Text(name, style="name"), step, Text(rate, justify="right"), bar)
        return Group(
            grid, Text(f"about {show_duration(self._left())} left; Ctrl-C keeps what is measured", style="muted")
        )

    def laying(self, done: int, total: int) -> None:
        """Show the test file growing."""
        self._line = ("test file", f"{done * 100 // total} %", show_size(done))

    def begin(self, index: int, workload: Workload, number: int) -> None:
        """Show the pass."""
        self._since, self._last = time.monotonic(), (0.0, 0)
        passes = self._passes()
        self._line = (workload.name, f"pass {number} of {passes}" if number else "warm-up", "")

    def resting(self, words: str) -> None:
        """Show what is waited for."""
        self._line = ("", words, "")

    def tick(self, seconds: float, moved: int) -> None:
        """Show the rate since the last tick that lies a while back."""
        then, before = self._last
        if seconds - then >= 0.25 and moved > before:
            self._line = (*self._line[:2], show_rate((moved - before) / (seconds - then), self._unit))
            self._last = (seconds, moved)

    def end(self, index: int, workload: Workload, number: int, result: PassResult) -> None:
        """Count the pass."""
        if number:
            self._done.append(index)
        self._since = 0.0


def make_display(stream: IO[str], unit: str) -> Announcer:
    """Return the live view on a terminal, the announcer elsewhere."""
    return Display(stream, unit) if stream.isatty() else Announcer(stream)
