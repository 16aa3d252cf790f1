"""The terminal: one place that decides on width and colour."""

from __future__ import annotations

from collections.abc import Sequence
from typing import IO

from rich.console import Console, RenderableType
from rich.table import Table
from rich.text import Text
from rich.theme import Theme

PLAIN_WIDTH = 80  # for pipes and files
THEME = Theme({
    "good": "green", "bad": "red", "open": "yellow", "muted": "dim", "head": "bold", "name": "cyan", "warning": "yellow",
})  # fmt: skip
VERDICT_STYLE = {
    "faster": "good", "same": "good", "slower": "bad", "undecided": "open",
    "met": "good", "missed": "bad", "not testable here": "open", "not measured": "muted",
}  # fmt: skip


def console(stream: IO[str]) -> Console:
    """Return a console on a stream: its own width and colour on a terminal, 80 plain columns elsewhere."""
    width = None if stream.isatty() else PLAIN_WIDTH
    return Console(file=stream, width=width, theme=THEME, highlight=False, emoji=False, soft_wrap=False)


def table(columns: Sequence[tuple[str, str]], rows: Sequence[Sequence[RenderableType | str]]) -> Table:
    """Return a plain table; each column is (heading, 'left' or 'right')."""
    made = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="head", show_edge=False)
    for heading, side in columns:
        # a column gives way with an ellipsis rather than break a row over two lines
        made.add_column(heading, justify="right" if side == "right" else "left", no_wrap=True, overflow="ellipsis")
    for row in rows:
        made.add_row(*row)
    return made


def verdict(word: str, after: str = "") -> Text:
    """Return a verdict in its colour."""
    return Text(word, style=VERDICT_STYLE[word]) + Text(after, style="muted")


def bullets(heading: str, sentences: Sequence[str]) -> list[RenderableType]:
    """Return a heading and a hanging list; nothing when there are no sentences."""
    if not sentences:
        return []
    grid = Table.grid(padding=(0, 1, 0, 0))
    grid.add_column(no_wrap=True)
    grid.add_column(overflow="fold")
    for sentence in sentences:
        grid.add_row("  -", Text(sentence))
    return [Text(""), Text(heading, style="head"), grid]
