"""The article that a page shows, as plain records: its first screen, its sections, and the chapters of its products."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import field
from typing import Literal

from ulterion.core.records import dataclass
from ulterion.show.blocks import Shown
from ulterion.show.charts import Bar, Chart, Tone

Measure = Literal["read", "write", "small"]
MEASURES: dict[Measure, str] = {"read": "Read", "write": "Write", "small": "Small requests"}
"""What the reader can switch between."""


@dataclass(frozen=True)
class Drawing:
    """A figure: its name, in files and addresses, and its chart."""

    name: str
    chart: Chart

    @property
    def caption(self) -> str:
        """The chart's title."""
        return self.chart.caption.title

    @property
    def alternative(self) -> str:
        """The chart in words, for readers who cannot see it."""
        return self.chart.alternative


@dataclass(frozen=True)
class Words:
    """The reviewer's own words, in Markdown."""

    markdown: str


@dataclass(frozen=True)
class Photograph:
    """A photograph: its file in the review, and what it shows."""

    file: str
    alternative: str


@dataclass(frozen=True)
class Headline:
    """The headline, a line with date, bench and number of runs, and the lead below."""

    words: str
    line: str
    lead: str = ""


@dataclass(frozen=True)
class Alarm:
    """A warning that every reader must see."""

    words: str


@dataclass(frozen=True)
class AnswerRow:
    """A product on the first screen.

    Attributes:
        name, price: as readers know them; `chapter` the address of its chapter.
        bar: the measured rate, with a mark at the claim; None without a measured rate. `most` is the rate of a full bar.
        rate: the bar in words.
        course: the long run, as shares of its highest rate; empty without one.
        tone, chip: the verdict in a word or two; `told` in a sentence.
        pick: whether it is recommended.
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
    """Products by one measure: the recommended one first, then the fastest."""

    measure: Measure
    title: str
    what: str
    rows: tuple[AnswerRow, ...]

    @property
    def claimed(self) -> bool:
        """Whether any product has a claim to be held against."""
        return any(row.bar is not None and row.bar.mark is not None for row in self.rows)

    @property
    def courses(self) -> bool:
        """Whether any product has a long run."""
        return any(row.course for row in self.rows)


@dataclass(frozen=True)
class AnswerTable:
    """Products of one kind, or all products without a rival, by each measure."""

    kind: str
    views: tuple[AnswerView, ...]


@dataclass(frozen=True)
class CaseEnd:
    """A setup in "your case".

    Attributes:
        name, shade: its name, and the place of its colour.
        medium, port: the medium, '' where that is the name already; the port.
        way: 'read' or 'write'.
        pieces: the measured long run, as (bytes, bytes per second).
        rest: bytes per second after the last piece.
        holds: capacity of the medium in bytes, None where unknown; `long` the most bytes ever moved in one go.
        text, seconds: the time that the review's amount takes; '' and infinite where the medium holds less.
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
    """How long an amount takes on each setup; the reader may choose another amount."""

    size: float
    size_words: str
    ends: tuple[CaseEnd, ...]
    largest: float

    def basis(self, way: str) -> str:
        """Return what the times of a direction rest on, in a sentence or two."""
        mine = [e for e in self.ends if e.way == way]
        told = ["Cache and heat are included where a long run was measured."] if any(e.pieces for e in mine) else []
        limited = any(e.long is not None and math.isfinite(e.long) for e in mine)
        return " ".join([*told, *(["* longer than any test so far"] if limited else [])])


Role = Literal["limit", "suspect", ""]


@dataclass(frozen=True)
class Link:
    """A part of a chain: its name, its link or rate in words, and its role: the bottleneck ('limit'), a 'suspect', or ''."""

    name: str
    words: str
    role: Role


@dataclass(frozen=True)
class ChainStrip:
    """A setup's chain from port to medium, the rate it reaches, and its bottleneck in a sentence."""

    name: str
    rate: str
    links: tuple[Link, ...]
    told: str


@dataclass(frozen=True)
class Limits:
    """The bottleneck of each product."""

    strips: tuple[ChainStrip, ...]


PageBlock = Shown | Drawing | Words | Photograph | Headline | Alarm | AnswerTable | YourCase | Limits
"""What a page shows."""


@dataclass(frozen=True)
class Section:
    """A section: its name, which is its address and places the reviewer's remarks; its title; its blocks.

    `mark` is a verdict beside the title, with its tone.
    """

    name: str
    title: str
    blocks: tuple[PageBlock, ...]
    mark: tuple[Tone, str] | None = None


@dataclass(frozen=True)
class Article:
    """A whole article.

    Attributes:
        title: the review's.
        sections, chapters, details: in page order; details are folded.
        lead: the reviewer's introduction; `answer` the first screen.
        titles: the reviewer's titles for figures, by name.
        beside: figures that are only written as files.
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
        """All sections in page order."""
        return (*self.sections, *self.chapters, *self.details)
