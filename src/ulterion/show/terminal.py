"""The terminal: one place that decides on width and colour."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import IO

from rich.cells import cell_len
from rich.console import Console, ConsoleOptions, OverflowMethod, RenderableType, RenderResult
from rich.segment import Segment
from rich.table import Table
from rich.text import Text
from rich.theme import Theme

from ulterion.core.text import visible

PLAIN_WIDTH = 80  # for pipes and files
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
VERDICT_STYLE = {
    "faster": "good",
    "a little faster": "good",
    "a little slower": "open",
    "same": "good",
    "slower": "bad",
    "undecided": "open",
    "met": "good",
    "missed": "bad",
    "partly": "open",
    "not testable": "open",
    "reported": "open",
    "not measured": "muted",
    "not tested": "muted",
}


class Screen(Console):
    """A console on which text is only ever text: no name or remark is taken for markup or obeyed by the terminal."""

    def render(self, renderable: RenderableType, options: ConsoleOptions | None = None) -> Iterable[Segment]:
        """Yield the segments of a renderable with what is not printable written out."""
        for segment in super().render(renderable, options):
            clean = segment.control or visible(segment.text) == segment.text
            yield segment if clean else Segment(visible(segment.text), segment.style)


def console(stream: IO[str]) -> Console:
    """Return a console on a stream: its own width and colour on a terminal, 80 plain columns elsewhere."""
    width = None if stream.isatty() else PLAIN_WIDTH
    return Screen(file=stream, width=width, theme=THEME, markup=False, highlight=False, emoji=False, soft_wrap=False)


GAP, NARROW_GAP = "  ", " "  # between columns


Cells = Sequence[Text | str]
"""One row of a table."""


class TableBlock:
    """Lines that are never broken: one too long for the screen is cut with an ellipsis, or left whole to be copied.

    `narrow` are the same lines set closer, for a screen on which they do not fit.  Of a table, `columns` and `rows` are what it was set from, and
    `about` is what it tells, where another beside it tells something else.
    """

    def __init__(
        self,
        lines: Sequence[Text],
        *,
        narrow: Sequence[Text] = (),
        cut: bool = True,
        columns: Sequence[tuple[str, str]] = (),
        rows: Sequence[Cells | Text] = (),
        about: str = "",
    ) -> None:
        self.lines, self.narrow, self.columns, self.rows, self.about = lines, narrow, columns, rows, about
        self.overflow: OverflowMethod = "ellipsis" if cut else "ignore"

    def __rich_console__(self, console: Console, options: ConsoleOptions) -> RenderResult:
        wide = max((line.cell_len for line in self.lines), default=0) > options.max_width
        for line in self.narrow if wide and self.narrow else self.lines:
            line.no_wrap, line.overflow = True, self.overflow
            yield line


def table(columns: Sequence[tuple[str, str]], rows: Sequence[Cells | Text], about: str = "") -> TableBlock:
    """Return a plain table; each column is (heading, 'left' or 'right'), `about` what it tells.

    A row that is a single text stands over the whole width, as a heading between rows.
    """
    cells = [[_text(c) for c in row] for row in rows if not isinstance(row, Text)]
    widths = [max([cell_len(heading), *(c[i].cell_len for c in cells)]) for i, (heading, _) in enumerate(columns)]
    sides = [side for _, side in columns]

    def lines(gap: str) -> list[Text]:
        set_ = [_set([Text(heading, style="head") for heading, _ in columns], widths, sides, gap)]
        body = iter(cells)
        set_ += [row.copy() if isinstance(row, Text) else _set(next(body), widths, sides, gap) for row in rows]
        for line in set_:
            line.rstrip()
        return set_

    return TableBlock(lines(GAP), narrow=lines(NARROW_GAP), columns=columns, rows=rows, about=about)


def _text(cell: Text | str) -> Text:
    return cell.copy() if isinstance(cell, Text) else Text(cell)


def _set(cells: Sequence[Text], widths: Sequence[int], sides: Sequence[str], gap: str) -> Text:
    """Set one row."""
    line = Text()
    for cell, width, side in zip(cells, widths, sides, strict=True):
        placed = cell.copy()
        placed.align("right" if side == "right" else "left", width)
        line.append_text(placed).append(gap)
    return line


def verdict(word: str, after: str = "", *, shown: str | None = None) -> Text:
    """Return a verdict, or what is `shown` in its place, in its colour."""
    return Text(shown or word, style=VERDICT_STYLE[word]) + Text(after, style="muted")


def definitions(rows: Sequence[tuple[str, str]], width: int = 12) -> RenderableType:
    """Return names at the left and sentences beside them, which hang where they are longer than the line."""
    grid = Table.grid(padding=(0, 0, 0, 0))
    grid.add_column(no_wrap=True, width=width)
    grid.add_column(overflow="fold")
    for name, sentence in rows:
        grid.add_row(Text(name, style="name"), Text(sentence))
    return grid


class BulletList:
    """A hanging list of sentences."""

    def __init__(self, sentences: Sequence[str]) -> None:
        self.sentences = tuple(sentences)

    def __rich_console__(self, console: Console, options: ConsoleOptions) -> RenderResult:
        grid = Table.grid(padding=(0, 1, 0, 0))
        grid.add_column(no_wrap=True)
        grid.add_column(overflow="fold")
        for sentence in self.sentences:
            grid.add_row("  -", Text(sentence))
        yield grid


def bullet_list(heading: str, sentences: Sequence[str]) -> list[RenderableType]:
    """Return a heading and a hanging list; nothing when there are no sentences."""
    if not sentences:
        return []
    return [Text(""), Text(heading, style="head"), BulletList(sentences)]
