"""What an article is made of, as plain values; and how what is shown on a terminal becomes that."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from rich.console import RenderableType
from rich.text import Text

from ulterion.core.text import visible
from ulterion.show.terminal import BulletList, TableBlock

if TYPE_CHECKING:
    from matplotlib.figure import Figure

MARKS = ("good", "bad", "open", "muted", "warning", "name")  # styles of the terminal that the page has too


@dataclass(frozen=True)
class Cell:
    """A cell of a table: its text, and its style on the terminal, or nothing."""

    text: str
    mark: str = ""


@dataclass(frozen=True)
class Heading:
    """A heading within a section."""

    text: str


@dataclass(frozen=True)
class Prose:
    """A paragraph."""

    text: str
    mark: str = ""


@dataclass(frozen=True)
class Items:
    """A list of sentences."""

    sentences: tuple[str, ...]


@dataclass(frozen=True)
class Table:
    """A table: headings with the side they are set to, and rows; a row of one cell stands over the whole width."""

    columns: tuple[tuple[str, str], ...]
    rows: tuple[tuple[Cell, ...], ...]
    caption: str = ""


@dataclass(frozen=True)
class Drawing:
    """A figure: the name of its files, what it shows in words, its caption, and what draws it, for a dark page or not."""

    name: str
    alternative: str
    caption: str
    draw: Callable[[bool], Figure]


@dataclass(frozen=True)
class Chart:
    """Figures that the reader can choose among and look at: rows of workload, setup, rate, low, high, in the unit."""

    name: str
    caption: str
    unit: str
    rows: tuple[tuple[str, str, float, float | None, float | None], ...]


@dataclass(frozen=True)
class Words:
    """The reviewer's own words, in Markdown."""

    markdown: str


Block = Heading | Prose | Items | Table | Drawing | Chart | Words


@dataclass(frozen=True)
class Section:
    """A section: the name by which the reviewer's own words are placed, its title, and what it holds."""

    name: str
    title: str
    blocks: tuple[Block, ...]


@dataclass(frozen=True)
class Article:
    """The whole of it."""

    title: str
    sections: tuple[Section, ...]
    lead: tuple[Block, ...] = field(default=())


def from_screen(shown: Sequence[RenderableType], caption: str = "") -> list[Block]:
    """Return what is shown on a terminal as blocks of a page: headings, paragraphs, lists, tables."""
    blocks: list[Block] = []
    for one in shown:
        blocks += _blocks_of(one, caption)
    return blocks


def _blocks_of(one: RenderableType, caption: str) -> Iterator[Block]:
    if isinstance(one, BulletList):
        yield Items(tuple(visible(s) for s in one.sentences))
    elif isinstance(one, TableBlock) and one.columns:
        columns = tuple((visible(h), side) for h, side in one.columns)
        yield Table(columns, tuple(_row(r) for r in one.rows), ": ".join(c for c in (caption, one.about) if c))
    elif isinstance(one, TableBlock):
        yield from (Prose(visible(line.plain), _mark(line)) for line in one.lines if line.plain.strip())
    elif isinstance(one, Text) and one.plain.strip():
        text = visible(one.plain.strip())
        yield Heading(text) if str(one.style) == "head" else Prose(text, _mark(one))
    elif isinstance(one, str) and one.strip():
        yield Prose(visible(one.strip()))


def _row(row: Sequence[Text | str] | Text) -> tuple[Cell, ...]:
    cells = [row] if isinstance(row, Text) else row
    return tuple(Cell(visible(str(c)).strip(), _mark(c) if isinstance(c, Text) else "") for c in cells)


def _mark(text: Text) -> str:
    style = str(text.style) or next((str(s.style) for s in text.spans), "")
    return style if style in MARKS else ""
