"""What answers are made of, as plain values: made once, then set on a terminal (`ulterion.show.terminal`) or in a page."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from ulterion.core.records import dataclass

if TYPE_CHECKING:
    from pathlib import Path


HEAD = "head"
BARS = "bars"
"""The heading of a column of bars, which only a terminal shows, and without the heading."""
STYLES = ("good", "bad", "open", "muted", HEAD, "name", "warning")
"""The styles that a terminal and a page have."""
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


@dataclass(frozen=True)
class Text:
    """A line, a paragraph or a cell: words in a style.

    Attributes:
        text, style: the words; one of `STYLES`, or nothing.
        after, after_style: what follows them in another style.
        indent: characters before it, also where it goes on in another line.
        whole: whether it is never broken, so that it can be copied.
    """

    text: str
    style: str = ""
    after: str = ""
    after_style: str = "muted"
    indent: int = 0
    whole: bool = False


Cells = Sequence[Text | str]
"""One row of a table."""
BLANK = Text("")


def heading(text: str) -> Text:
    """Return a heading."""
    return Text(text, HEAD)


@dataclass(frozen=True)
class Items:
    """A list of sentences."""

    sentences: tuple[str, ...]


@dataclass(frozen=True)
class Definitions:
    """Names at the left, in a column of a width, and sentences beside them."""

    rows: tuple[tuple[str, str], ...]
    width: int = 12
    style: str = "name"


@dataclass(frozen=True)
class Table:
    """A table: headings with the side they are set to ('left' or 'right'), and rows; `caption`: what it shows.

    A row that is a single text stands over the whole width, as a heading between rows.  `spare` are headings of columns that are left out
    where the line is too narrow for all, the least important first.  With `folds` the last column goes on in further lines before that.
    """

    columns: Sequence[tuple[str, str]]
    rows: Sequence[Cells | Text]
    caption: str = ""
    spare: tuple[str, ...] = ()
    folds: bool = False

    def without(self, headings: Sequence[str]) -> Table:
        """Return the table without the columns of some headings."""
        kept = [i for i, (title, _) in enumerate(self.columns) if title not in headings]
        rows = [row if isinstance(row, Text) else [row[i] for i in kept] for row in self.rows]
        return replace(self, columns=[self.columns[i] for i in kept], rows=rows)


Shown = Text | Items | Definitions | Table | str
"""What a terminal shows."""


def bullet_list(title: str, sentences: Sequence[str]) -> list[Shown]:
    """Return a heading and a list of sentences below it; nothing when there are none."""
    return [BLANK, heading(title), Items(tuple(sentences))] if sentences else []


def kept_line(path: Path) -> Text:
    """Return where a run is kept."""
    return Text(f"kept in {path}", "muted", whole=True)


def verdict(word: str, after: str = "", *, shown: str | None = None) -> Text:
    """Return a verdict, or what is `shown` in its place, in its colour."""
    return Text(shown or word, VERDICT_STYLE[word], after)


def captioned(blocks: Sequence[Shown], caption: str) -> list[Shown]:
    """Return blocks for a page: tables without bars, and with a caption before what each has of its own."""
    return [
        replace(b.without([BARS]), caption=": ".join(c for c in (caption, b.caption) if c))
        if isinstance(b, Table)
        else b
        for b in blocks
    ]
