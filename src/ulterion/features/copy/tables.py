"""A copy on the screen: what will be copied, how it goes, what came of it."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import IO

from ulterion.core.units import show_duration, show_rate, show_size
from ulterion.features.copy import words as words
from ulterion.model.runs.copied import CopyPass, CopyRun
from ulterion.show.blocks import BLANK, Shown, Table, Text, bullet_list, heading, kept_line
from ulterion.show.columns import align_points, with_margin
from ulterion.show.sentences import first_few
from ulterion.show.sparkline import NARROWEST, RunningLine

BY_SECOND = 32  # characters of a rate by second
FEWEST_SECONDS = 3  # that are drawn
CLASS_COLUMNS = (("files", "left"), ("number", "right"), ("bytes", "right"), ("files/s", "right"), ("rate", "right"))


def before(run: CopyRun) -> list[Shown]:
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
    lines: list[Shown] = [Text(f"{name:<10}{value}") for name, value in rows if value]
    return [*lines, *(Text(f"warning: {w}", style="warning") for w in run.warnings), BLANK]


def after(run: CopyRun, path: Path | None, unit: str) -> list[Shown]:
    """Return the result, and where it is kept."""
    passes = run.copied.passes
    lines: list[Shown] = [_passes(passes, unit)] if passes else []
    between = words.between_words(run)
    lines += [Text(between, style="muted")] if between else []
    told = words.figure(run)
    if told is not None:
        lines += [
            BLANK,
            heading(
                f"{run.copied.task}: {show_duration(passes[-1].bytes / told.rate)}, {with_margin(show_rate(told.rate, unit), told)}"
            ),
        ]
        lines += [Text(told.why, style="muted")] if told.why else []
    lines += [*_classes(passes, unit), *bullet_list("Findings", words.findings(run))]
    lines += bullet_list("Problems", first_few(words.troubles(run)))
    lines += bullet_list("Ended early", run.state.sentence("copy"))
    return lines if path is None else [*lines, BLANK, kept_line(path)]


def _passes(passes: list[CopyPass], unit: str) -> Shown:
    """Return the table of the copies, each with its rate second by second on one scale."""
    columns = [(name, "right") for name in ("copy", unit, "files/s", "time", "flush")]
    rates = align_points([show_rate(p.rate, unit, with_unit=False) for p in passes])
    most = max((rate for p in passes for rate in p.series), default=0.0)
    drawn = [_drawn(p.series, most) for p in passes]
    rows = [
        [
            str(p.number),
            rate,
            f"{p.files / p.seconds:.0f}",
            show_duration(p.seconds),
            show_duration(p.flush_seconds),
            line,
        ]
        for p, rate, line in zip(passes, rates, drawn, strict=True)
    ]
    seen = any(drawn)
    columns += [(f"by second, 0 to {show_rate(most, unit, with_unit=False)}", "left")] if seen else []
    return Table(columns, [list(r) if seen else r[:-1] for r in rows])


def _drawn(series: tuple[float, ...], most: float) -> str:
    """Return rates as a line of blocks, nothing from a few seconds."""
    line = RunningLine()
    for rate in series:
        line.add(rate)
    return line.draw(BY_SECOND, 0.0, most) if len(series) >= FEWEST_SECONDS else ""


def _classes(passes: list[CopyPass], unit: str) -> list[Shown]:
    """Return rates by size of files, of the last copy; nothing where all are of one class."""
    classes = passes[-1].classes if passes else []
    if len(classes) < 2:
        return []
    rows = []
    for one in classes:
        each, rate = words.rate_of_class(one.files, one.bytes, one.seconds, unit)
        rows.append([one.name, str(one.files), show_size(one.bytes), each, rate])
    columns = [(unit if name == "rate" else name, side) for name, side in CLASS_COLUMNS]
    note = Text("by the time each file was open, without the flush", style="muted")
    return [BLANK, Table(columns, [list(r) for r in rows]), note]


class Line:
    """One line that says how a copy goes, on a terminal; nothing elsewhere."""

    def __init__(self, out: IO[str], unit: str) -> None:
        self._out, self._unit, self._live = out, unit, out.isatty()
        self._what, self._size, self._shown = "", 0, 0.0
        self._last: tuple[float, int] = (0.0, 0)
        self._rate = 0.0
        self._line = RunningLine()

    def begin(self, what: str, size: int) -> None:
        """Something of so many bytes begins."""
        self._what, self._size, self._shown, self._last, self._rate = what, size, -1.0, (0.0, 0), 0.0
        self._line = RunningLine()

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
            self._line.add(self._rate)
        left = (self._size - moved) / (moved / seconds) if moved and seconds > 0 else None
        rest = f", about {show_duration(left)} left" if left is not None and left > 0.5 else ""
        text = f"{self._what}: {show_size(moved)} of {show_size(self._size)}, {show_rate(self._rate, self._unit)}{rest}"
        room = min(MAX_LINE, shutil.get_terminal_size().columns - 1) - len(text) - 2
        drawn = self._line.draw(min(room, BY_SECOND), 0.0, self._line.high) if room >= NARROWEST else ""
        self._out.write(f"\r\x1b[2K{text[:MAX_LINE]}  {drawn}")
        self._out.flush()

    def clear(self) -> None:
        """Take the line away."""
        if self._live:
            self._out.write("\r\x1b[2K")
            self._out.flush()


MAX_LINE = 160  # characters of the line
