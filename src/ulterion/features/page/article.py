"""The article that a page shows, as plain records: its first screen, its sections, and the chapters of its products."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from ulterion.show.blocks import Shown
from ulterion.show.charts import Bar, Chart, Tone

Measure = Literal["read", "write", "small"]
MEASURES: dict[Measure, str] = {"read": "Read", "write": "Write", "small": "Small requests"}
"""What the reader can switch between."""


@dataclass(frozen=True)
class Drawing:
    """A figure: the name of its files and of its address, and the chart that is drawn."""

    name: str
    chart: Chart

    @property
    def caption(self) -> str:
        """Its title."""
        return self.chart.caption.title

    @property
    def alternative(self) -> str:
        """It in words, for those who do not see it."""
        return self.chart.alternative


@dataclass(frozen=True)
class Words:
    """The reviewer's own words, in Markdown."""

    markdown: str


@dataclass(frozen=True)
class Photograph:
    """A photograph: the name of its file among those of the review, and what it shows."""

    file: str
    alternative: str


@dataclass(frozen=True)
class Headline:
    """What a review comes to, a line on when, where and from how many runs, and a few words below."""

    words: str
    line: str
    lead: str = ""


@dataclass(frozen=True)
class Alarm:
    """What must be said first."""

    words: str


@dataclass(frozen=True)
class AnswerRow:
    """A product on the first screen.

    Attributes:
        name, price: as readers know them; `chapter` the address of its chapter.
        bar: of what was measured, with a mark at the claim; None where no rate was measured; `most` is what a whole bar stands for.
        rate: the same in words.
        course: of its long run, shares of the highest rate; empty where there was none.
        tone, chip: the verdict in a word or two; `told` in a sentence.
        pick: whether it is the one to buy among the products beside it.
    """

    name: str
    price: str
    chapter: str
    bar: Bar | None
    most: float
    rate: str
    course: tuple[float, ...]
    tone: Tone
    chip: str
    told: str
    pick: bool = False


@dataclass(frozen=True)
class AnswerView:
    """Products by one measure, the one to buy first, then the fastest."""

    measure: Measure
    title: str
    what: str
    rows: tuple[AnswerRow, ...]


@dataclass(frozen=True)
class AnswerTable:
    """Products of one kind beside each other, or those that have no rival here, by each measure they were measured with."""

    kind: str
    views: tuple[AnswerView, ...]


@dataclass(frozen=True)
class CaseEnd:
    """A setup in the reader's own case.

    Attributes:
        name, shade: how it is called, and the place of its colour.
        medium, port: what holds the data, '' where it is the name already, and the port it hangs on.
        way: 'read' or 'write'.
        pieces: bytes and bytes per second of each stretch of its measured course; the last rate goes on for ever.
        rest: bytes per second behind the last piece.
        holds: bytes that its medium holds, None where that is not known; `long` bytes moved in one go at most.
        text: how long the size of the review takes, in words; `seconds` in figures.
    """

    name: str
    shade: int
    medium: str
    port: str
    way: Literal["read", "write"]
    pieces: tuple[tuple[float, float], ...]
    rest: float
    holds: float | None
    long: float | None
    text: str
    seconds: float


@dataclass(frozen=True)
class YourCase:
    """How long an amount takes on each setup; the reader may choose another."""

    size: float
    size_words: str
    ends: tuple[CaseEnd, ...]
    largest: float


Role = Literal["limit", "suspect", ""]


@dataclass(frozen=True)
class Link:
    """A part of a chain: its name, its link or rate in words, and whether it limits ('limit'), may limit ('suspect'), or neither ('')."""

    name: str
    words: str
    role: Role


@dataclass(frozen=True)
class ChainStrip:
    """What limits a setup: its parts from the port to the medium, what it reaches, and the finding in a sentence."""

    name: str
    rate: str
    links: tuple[Link, ...]
    told: str


@dataclass(frozen=True)
class Limits:
    """What limits each setup."""

    strips: tuple[ChainStrip, ...]


PageBlock = Shown | Drawing | Words | Photograph | Headline | Alarm | AnswerTable | YourCase | Limits
"""What a page shows."""


@dataclass(frozen=True)
class Section:
    """A section: the name by which the reviewer's own words are placed and that is its address, its title, and what it holds.

    `mark` is a verdict beside the title, with its tone.
    """

    name: str
    title: str
    blocks: tuple[PageBlock, ...]
    mark: tuple[Tone, str] | None = None


@dataclass(frozen=True)
class Article:
    """The whole of it.

    Attributes:
        title: of the review.
        sections: shown at once, in their order; `details` folded below them, `chapters` of products between.
        lead: the reviewer's own words before everything; `answer` the first screen.
        titles: the reviewer's own for figures, by name.
        beside: figures that stand only in files.
    """

    title: str
    sections: tuple[Section, ...]
    chapters: tuple[Section, ...] = ()
    details: tuple[Section, ...] = ()
    lead: tuple[PageBlock, ...] = ()
    answer: tuple[PageBlock, ...] = ()
    titles: Mapping[str, str] = field(default_factory=dict)
    beside: tuple[Drawing, ...] = ()

    @property
    def every(self) -> tuple[Section, ...]:
        """Every section, as they stand."""
        return (*self.sections, *self.chapters, *self.details)
