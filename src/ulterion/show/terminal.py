"""The terminal: one place that decides on width and colour."""

from __future__ import annotations

import io
from collections.abc import Iterable, Sequence
from typing import IO

import rich.table
import rich.text
from rich.cells import cell_len
from rich.console import Console, ConsoleOptions, RenderableType, RenderResult
from rich.padding import Padding
from rich.segment import Segment
from rich.theme import Theme

from ulterion.core.text import visible
from ulterion.show.blocks import BARS, HEAD, Definitions, Items, Shown, Table, Text
from ulterion.show.width import columns

THEME = Theme(
    {
        "good": "green",
        "bad": "red",
        "open": "yellow",
        "muted": "dim",
        "head": "bold",
        "name": "cyan",
        "warning": "yellow",
    }
)


class Screen(Console):
    """A console on which text is only ever text: no name or remark is taken for markup or obeyed by the terminal."""

    def render(self, renderable: RenderableType, options: ConsoleOptions | None = None) -> Iterable[Segment]:
        """Yield the segments of a renderable with what is not printable written out."""
        for segment in super().render(renderable, options):
            clean = segment.control or visible(segment.text) == segment.text
            yield segment if clean else Segment(visible(segment.text), segment.style)


def console(stream: IO[str]) -> Console:
    """Return a console on a stream, as wide as COLUMNS says, or as the terminal is; elsewhere lines are as long as they are, in plain text."""
    return Screen(
        file=stream, width=columns(stream), theme=THEME, markup=False, highlight=False, emoji=False, soft_wrap=False
    )


GAP, NARROW_GAP = "  ", " "  # between columns
FOLDED, NARROWEST = 28, 12  # columns that a folded text should have, and that it needs at least


def plain_lines(block: Shown) -> str:
    """Return a block as plain text for a pipe or a file: as wide as COLUMNS says, or as it is; no line ends in spaces."""
    out = io.StringIO()
    block = block.without([BARS]) if isinstance(block, Table) else block
    console(out).print(renderable(block), crop=False)
    return "\n".join(line.rstrip(" ") for line in out.getvalue().split("\n"))


def renderable(block: Shown) -> RenderableType:
    """Return a block as it is set on a terminal."""
    if isinstance(block, Table):
        return _TableLines(block)
    if isinstance(block, Items):
        return _grid([("  -", "", sentence) for sentence in block.sentences], gap=1)
    if isinstance(block, Definitions):
        return _grid([(name, block.style, sentence) for name, sentence in block.rows], width=block.width)
    if isinstance(block, str):
        return block
    line = _line(block)
    if block.whole:
        line.no_wrap, line.overflow = True, "ignore"
    return Padding(line, (0, 0, 0, block.indent)) if block.indent else line


def _grid(rows: Sequence[tuple[str, str, str]], width: int | None = None, gap: int = 0) -> rich.table.Table:
    """Return names, each in a style, and sentences beside them, which hang where they are longer than the line."""
    grid = rich.table.Table.grid(padding=(0, gap, 0, 0))
    grid.add_column(no_wrap=True, width=width)
    grid.add_column(overflow="fold")
    for name, style, sentence in rows:
        grid.add_row(rich.text.Text(name, style=style), rich.text.Text(sentence))
    return grid


def _line(text: Text | str) -> rich.text.Text:
    if isinstance(text, str):
        return rich.text.Text(text)
    return rich.text.Text(text.text, style=text.style) + rich.text.Text(text.after, style=text.after_style)


def _headed(title: str) -> str:
    return "" if title == BARS else title


class _TableLines:
    """A table on a terminal: set closer where it does not fit, then without the columns that can be spared, which is said; nothing is cut."""

    def __init__(self, table: Table) -> None:
        self._whole = table
        self._take(table)

    def _take(self, table: Table) -> None:
        self._table = table
        self._cells = [[_line(c) for c in row] for row in table.rows if not isinstance(row, Text)]
        self._widths = [
            max([cell_len(_headed(title)), *(c[i].cell_len for c in self._cells)])
            for i, (title, _) in enumerate(table.columns)
        ]

    def _lines(self, gap: str) -> list[rich.text.Text]:
        heads = [rich.text.Text(_headed(title), style=HEAD) for title, _ in self._table.columns]
        body = iter(self._cells)
        rows = [_line(row) if isinstance(row, Text) else self._set(next(body), gap) for row in self._table.rows]
        lines = [*([self._set(heads, gap)] if any(title for title, _ in self._table.columns) else []), *rows]
        for line in lines:
            line.rstrip()
        return lines

    def _set(self, cells: Sequence[rich.text.Text], gap: str) -> rich.text.Text:
        line = rich.text.Text()
        for cell, width, (_, side) in zip(cells, self._widths, self._table.columns, strict=True):
            placed = cell.copy()
            placed.align("right" if side == "right" else "left", width)
            line.append_text(placed).append(gap)
        return line

    def __rich_console__(self, console: Console, options: ConsoleOptions) -> RenderResult:
        left_out: list[str] = []
        order = self._whole.spare if BARS in self._whole.spare else (BARS, *self._whole.spare)
        spare = [s for s in order if s in [title for title, _ in self._whole.columns]]
        lines = self._set_within(console, options.max_width)
        while lines is None and spare:
            left_out.append(spare.pop(0))
            self._take(self._whole.without(left_out))
            lines = self._set_within(console, options.max_width)
        if lines is None and self._whole.folds:
            lines = self._folded(console, options.max_width, NARROWEST)
        for line in lines or self._lines(NARROW_GAP):
            line.no_wrap, line.overflow = lines is not None, "fold"
            yield line
        left_out = [title for title in left_out if title != BARS]
        if left_out:
            yield rich.text.Text(f"not shown, for lack of width: {', '.join(left_out)}", style="muted")

    def _set_within(self, console: Console, width: int) -> list[rich.text.Text] | None:
        """Return the lines where they fit as they are, or folded where the table may be."""
        return self._fitting(width) or (self._folded(console, width) if self._whole.folds else None)

    def _folded(self, console: Console, width: int, least: int = FOLDED) -> list[rich.text.Text] | None:
        """Return the lines with the last column folded into what is left of the width, or None where that is too little."""
        first = sum(self._widths[:-1]) + len(NARROW_GAP) * (len(self._widths) - 1)
        if width - first < least:
            return None
        lines, body = [], iter(self._cells)
        heads = [rich.text.Text(_headed(title), style=HEAD) for title, _ in self._table.columns]
        for row in [heads, *self._table.rows]:
            if isinstance(row, Text):
                lines.append(_line(row))
                continue
            *cells, last = row if row is heads else next(body)
            for number, part in enumerate(last.wrap(console, width - first) or [rich.text.Text()]):
                before = cells if number == 0 else [rich.text.Text() for _ in cells]
                lines.append(self._set([*before, part], NARROW_GAP))
        for line in lines:
            line.rstrip()
        return lines

    def _fitting(self, width: int) -> list[rich.text.Text] | None:
        """Return the lines where they fit, with a narrow gap if need be."""
        for gap in (GAP, NARROW_GAP):
            lines = self._lines(gap)
            if max((line.cell_len for line in lines), default=0) <= width:
                return lines
        return None
