"""The live view of a run, on a terminal only; elsewhere the silent `Observer` takes its place."""

from __future__ import annotations

import time
from typing import IO

from rich.console import Group, RenderableType
from rich.live import Live
from rich.table import Table
from rich.text import Text

from ulterion.core import remaining
from ulterion.core.stats.estimates import estimate
from ulterion.core.units import show_duration, show_rate, show_size
from ulterion.core.workloads.passes import PassResult
from ulterion.core.workloads.workload import Workload
from ulterion.features.measure.tables import preview
from ulterion.model.runs.measure import MeasureRun
from ulterion.run.observers import Observer
from ulterion.show.columns import show_margin
from ulterion.show.live import Lines, console
from ulterion.show.sparkline import RunningLine, rate_cells, width_beside

MAX_ROWS = 12  # workloads in view at a time; a sweep has many more


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
            self.console.print(Lines(line))

    def remark(self, words: str) -> None:
        """Say it, above what is shown live."""
        self.console.print(words)

    def close(self) -> None:
        """Nothing to take away."""


class Display(Announcer):
    """Shows every workload with what its finished passes gave, the one that runs with its rate, and the time left."""

    def __init__(self, stream: IO[str], unit: str) -> None:
        super().__init__(stream)
        self._unit = unit
        self._live: Live | None = None
        self._run: MeasureRun | None = None
        self._every: dict[str, tuple[dict[int, list[float]], set[int]]] = {}  # by run, of several targets
        self._rates: dict[int, list[float]] = {}
        self._over: set[int] = set()
        self._at: int | None = None
        self._doing, self._rate = "", ""
        self._line, self._begun = RunningLine(), True
        self._since = 0.0
        self._last = (0.0, 0)

    def opened(self, run: MeasureRun) -> None:
        """Show the preview and start the live view, of several targets again below the last preview."""
        self.close()
        super().opened(run)
        self.turn(run)
        self._live = Live(console=self.console, refresh_per_second=8, transient=True, get_renderable=self._render)
        self._live.start()

    def turn(self, run: MeasureRun) -> None:
        """Show the passes of this target from now on."""
        self._run = run
        self._rates, self._over = self._every.setdefault(run.id, ({}, set()))

    def close(self) -> None:
        """Take the live view away."""
        if self._live is not None:
            self._live.stop()
            self._live = None

    def _passes_left(self, run: MeasureRun) -> tuple[list[int], str]:
        """Return how many passes of each workload are left, and in a word how sure that is: it depends on what they give."""
        settings = run.settings
        done = [len(self._rates.get(i, ())) for i in range(len(run.workloads))]
        if all(n >= settings.passes for n in done) and settings.max_passes:
            return [0 if i in self._over else settings.max_passes - n for i, n in enumerate(done)], "at most"
        return [max(0, settings.passes - n) for n in done], "at least" if settings.max_passes else "about"

    def _render(self) -> RenderableType:
        run = self._run
        if run is None:
            return Text(self._doing)
        grid = Table.grid(padding=(0, 2, 0, 0))
        for width in (16, 16, 12, 8):
            grid.add_column(no_wrap=True, min_width=width)
        first, last = window(self._at or 0, len(run.workloads), MAX_ROWS)
        for index in range(first, last):
            grid.add_row(*self._row(run, index))
        left, word = self._passes_left(run)
        running = time.monotonic() - self._since if self._since else 0.0
        seconds = remaining.of_run([r.workload.seconds or 0.0 for r in run.workloads], left, running)
        about = f"{word} {show_duration(round(seconds))} left"
        several = [Text(run.setup or str(run.target.path), style="head")] if len(self._every) > 1 else []
        return Group(
            *several,
            grid,
            *self._running(),
            Text(f"{self._doing}{about}; Ctrl-C keeps what is measured", style="muted"),
        )

    def _running(self) -> list[RenderableType]:
        """Return the rate of the pass that is on, or of the last one, as a line."""
        if self._line.last is None:
            return []
        width = width_beside(self.console.width)
        grid = Table.grid(padding=(0, 1, 0, 0))
        for column in (10, 10, width, 12):
            grid.add_column(no_wrap=True, min_width=column)
        grid.add_row("rate", *rate_cells(self._line, width, self._unit))
        return [grid]

    def _row(self, run: MeasureRun, index: int) -> list[Text]:
        """Return a workload's line: its passes so far, the rate they gave with its spread, or the rate just now."""
        rates, running = self._rates.get(index, []), index == self._at
        number = len(rates) + running
        least, most = run.settings.passes, run.settings.max_passes
        of = str(least) if most is None or number <= least else f"{most} at most"
        step = (
            f"pass {number} of {of}"
            if running
            else f"{len(rates)} pass{'es' if len(rates) != 1 else ''}"
            if rates
            else ""
        )
        shown = self._rate if running else show_rate(estimate(rates).rate, self._unit) if rates else ""
        spread = "" if running or not rates else show_margin(estimate(rates))
        name = Text(run.workloads[index].workload.title, style="name" if running or rates else "muted")
        return [name, Text(step), Text(shown, justify="right"), Text(spread, justify="right")]

    def prefilling(self, done: int, total: int) -> None:
        """Show the test file growing."""
        self._doing = f"test file {done * 100 // total}%, {show_size(done)}; "

    def begin(self, index: int, workload: Workload, number: int) -> None:
        """Show the pass."""
        self._since, self._last = time.monotonic(), (0.0, 0)
        self._at, self._rate, self._doing = index, "", "" if number else "warm-up; "
        self._begun = True

    def resting(self, words: str) -> None:
        """Show what is waited for."""
        self._at, self._doing = None, f"{words}; "

    def tick(self, seconds: float, moved: int) -> None:
        """Show the rate since the last tick that lies a while back."""
        then, before = self._last
        if seconds - then >= 0.25 and moved > before:
            rate = (moved - before) / (seconds - then)
            self._rate = show_rate(rate, self._unit)
            if self._begun:  # until then the line of the pass before stays in sight
                self._line, self._begun = RunningLine(), False
            self._line.add(rate)
            self._last = (seconds, moved)

    def end(self, index: int, workload: Workload, number: int, result: PassResult) -> None:
        """Count the pass."""
        if number:
            self._rates.setdefault(index, []).append(result.rate)
        self._at, self._since = None, 0.0

    def ended(self, index: int, why: str) -> None:
        """Know that no more passes of a workload are run."""
        self._over.add(index)


def window(at: int, count: int, most: int) -> tuple[int, int]:
    """Return which rows of many to show around one: from the first to before the last."""
    first = min(max(0, at - most // 2), max(0, count - most))
    return first, min(count, first + most)


def make_display(stream: IO[str], unit: str) -> Announcer:
    """Return the live view on a terminal, the announcer elsewhere."""
    return Display(stream, unit) if stream.isatty() else Announcer(stream)
