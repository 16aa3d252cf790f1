"""A copy on the screen: what will be copied, how it goes, what came of it."""

from __future__ import annotations

from pathlib import Path
from typing import IO

from rich.console import RenderableType
from rich.text import Text

from ulterion.core.units import show_duration, show_rate, show_size
from ulterion.model.runs.copied import CopyPass, CopyRun
from ulterion.report.screen.console import Sheet, bullets, table
from ulterion.report.words import copied as words
from ulterion.report.words.columns import align_points, show_margin

CLASS_COLUMNS = (("files", "left"), ("number", "right"), ("bytes", "right"), ("files/s", "right"), ("rate", "right"))


def before(run: CopyRun) -> list[RenderableType]:
    """Return what will be copied."""
    one = run.copied
    source = one.source
    rows = [
        ("from", ", ".join(one.sources)),
        (
            "",
            ", ".join(w for w in (source.device, source.model, source.link, source.filesystem) if w) if source else "",
        ),
        ("to", run.target.path),
        ("", ", ".join(w for w in (run.target.device, run.target.model, run.target.link, run.target.filesystem) if w)),
        ("what", words.what_words(run)),
        ("expected", words.expected_words(run) or ""),
    ]
    lines: list[RenderableType] = [Text(f"{name:<10}{value}") for name, value in rows if value]
    return [*lines, *(Text(f"warning: {w}", style="warning") for w in run.warnings), Text("")]


def after(run: CopyRun, path: Path, unit: str) -> list[RenderableType]:
    """Return what came of it."""
    columns = [("copy", "right"), (unit, "right"), ("files/s", "right"), ("time", "right"), ("flush", "right")]
    passes = run.copied.passes
    rates = align_points([show_rate(p.rate, unit, with_unit=False) for p in passes])
    rows = [
        [str(p.number), rate, f"{p.files / p.seconds:.0f}", show_duration(p.seconds), show_duration(p.flush_seconds)]
        for p, rate in zip(passes, rates, strict=True)
    ]
    lines: list[RenderableType] = [table(columns, [list(r) for r in rows])] if rows else []
    told = words.figure(run)
    if told is not None:
        lines += [
            Text(""),
            Text(f"{run.copied.task}: {show_rate(told.rate, unit)} ± {show_margin(told)}", style="head"),
        ]
        lines += [Text(told.why, style="muted")] if told.why else []
    lines += [*_classes(passes, unit), *bullets("What it says", words.findings(run))]
    lines += bullets("Not as it should be", words.listed(words.troubles(run)))
    lines += bullets("Ended early", run.state.sentence("copy"))
    return [*lines, Text(""), Sheet([Text(f"kept in {path}", style="muted")], cut=False)]


def _classes(passes: list[CopyPass], unit: str) -> list[RenderableType]:
    """Return rates by size of files, of the last copy; nothing where all are of one class."""
    classes = passes[-1].classes if passes else []
    if len(classes) < 2:
        return []
    rows = []
    for one in classes:
        each, rate = words.rate_of_class(one.files, one.bytes, one.seconds, unit)
        rows.append([one.name, str(one.files), show_size(one.bytes), each, rate])
    columns = [(unit if name == "rate" else name, side) for name, side in CLASS_COLUMNS]
    note = Text("by the time that one worker had each file open, the flush left out", style="muted")
    return [Text(""), table(columns, [list(r) for r in rows]), note]


class Line:
    """One line that says how a copy goes, on a terminal; nothing elsewhere."""

    def __init__(self, out: IO[str], unit: str) -> None:
        self._out, self._unit, self._live = out, unit, out.isatty()
        self._what, self._size, self._shown = "", 0, 0.0
        self._last: tuple[float, int] = (0.0, 0)
        self._rate = 0.0

    def begin(self, what: str, size: int) -> None:
        """Something of so many bytes begins."""
        self._what, self._size, self._shown, self._last, self._rate = what, size, -1.0, (0.0, 0), 0.0

    def tick(self, seconds: float, moved: int) -> None:
        """So much of it is over: the rate is that of the last second."""
        if not self._live or seconds - self._shown < 0.2:
            return
        self._shown = seconds
        if seconds < 1.0:
            self._rate = moved / max(seconds, 1e-9)
        elif seconds - self._last[0] >= 1.0:
            self._rate = (moved - self._last[1]) / (seconds - self._last[0])
            self._last = (seconds, moved)
        left = (self._size - moved) / (moved / seconds) if moved and seconds > 0 else None
        rest = f", about {show_duration(left)} left" if left is not None and left > 0.5 else ""
        text = f"{self._what}: {show_size(moved)} of {show_size(self._size)}, {show_rate(self._rate, self._unit)}{rest}"
        self._out.write(f"\r\x1b[2K{text[:LONGEST]}")
        self._out.flush()

    def clear(self) -> None:
        """Take the line away."""
        if self._live:
            self._out.write("\r\x1b[2K")
            self._out.flush()


LONGEST = 110  # characters of the line
