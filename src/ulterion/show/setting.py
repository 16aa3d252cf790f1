"""Blocks set in lines: words are wrapped and columns aligned for a width; what a terminal would obey is written out."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterator, Sequence

from ulterion.core.patterns import pattern
from ulterion.core.records import dataclass
from ulterion.core.text import visible
from ulterion.show.blocks import BARS, HEAD, Definitions, Items, Shown, Table, Text

GAP, NARROW_GAP = 2, 1  # spaces between columns
FOLDED, NARROWEST = 28, 12  # characters that a folded text should have, and that it needs at least
LEAST = 6  # of a sentence beside a name, however narrow the screen
BULLET = "  - "
_WORD = pattern(r"\s*\S+\s*")


@dataclass(frozen=True)
class Span:
    """Words in one of the styles of `show/blocks.py`, or in none."""

    text: str
    style: str = ""


Line = tuple[Span, ...]


def set_block(block: Shown, width: int) -> list[Line]:
    """Return a block as lines of at most a width, in characters of a terminal."""
    if isinstance(block, Table):
        return _TableSetting(block, width).lines()
    if isinstance(block, Items):
        return [line for sentence in block.sentences for line in _beside(Span(BULLET), sentence, width)]
    if isinstance(block, Definitions):
        rows = ((Span(visible(name).ljust(block.width), block.style), sentence) for name, sentence in block.rows)
        return [line for name, sentence in rows for line in _beside(name, sentence, width)]
    text = Text(block) if isinstance(block, str) else block
    if text.whole:
        return [_spans(text)]
    left = (Span(" " * text.indent),) if text.indent else ()
    return [left + line for line in _paragraphs(text, width - text.indent)]


def cells(text: str) -> int:
    """Return how many characters of a terminal a text takes: East Asian letters two, marks on a letter none."""
    if text.isascii():
        return len(text)
    return sum(0 if unicodedata.combining(c) else 2 if unicodedata.east_asian_width(c) in "WF" else 1 for c in text)


def length(line: Line) -> int:
    """Return how many characters of a terminal a line takes."""
    return sum(cells(span.text) for span in line)


def _spans(text: Text | str) -> Line:
    if isinstance(text, str):
        return (Span(visible(text)),)
    after = (Span(visible(text.after), text.after_style),) if text.after else ()
    return (Span(visible(text.text), text.style), *after)


def _paragraphs(text: Text | str, width: int) -> list[Line]:
    """Return a text wrapped to a width; a newline in it begins a new line."""
    return [part for line in _split_at_newlines(_spans(text)) for part in _wrapped(line, width)]


def _split_at_newlines(line: Line) -> Iterator[Line]:
    kept = list[Span]()
    for span in line:
        first, *others = span.text.expandtabs().split("\n")
        kept.append(Span(first, span.style))
        for other in others:
            yield tuple(kept)
            kept = [Span(other, span.style)]
    yield tuple(kept)


def _beside(name: Span, sentence: str, width: int) -> list[Line]:
    """Return a sentence beside a name; its further lines hang below its beginning."""
    first = cells(name.text)
    room = max(width - first, LEAST)
    hanging = Span(" " * first)
    return [
        _stripped((name if number == 0 else hanging, *line)) for number, line in enumerate(_paragraphs(sentence, room))
    ]


def _wrapped(line: Line, width: int) -> list[Line]:
    """Return a line broken between words where it is too long; a word longer than the width is broken itself."""
    if length(line) <= width:
        return [_stripped(line)]
    text, width = "".join(span.text for span in line), max(width, 1)
    first = _WORD.match(text)
    fits = first is not None and cells(first[0].rstrip()) <= width
    # spaces before a word that has no room beside them are left out
    begin = 0 if fits else len(text) - len(text.lstrip())
    breaks = [begin, *_breaks(text, begin, width)]
    return [_stripped(_cut(line, start, end)) for start, end in zip(breaks, [*breaks[1:], None], strict=True)]


def _breaks(text: str, begin: int, width: int) -> Iterator[int]:
    """Yield where a text is broken from a place on, as places in it."""
    used = 0
    for match in _WORD.finditer(text, begin):
        word, start = match[0], match.start()
        long = cells(word.rstrip())
        if long <= width - used:
            used += cells(word)
            continue
        if used:
            yield start
        while long > width:
            at = _fitting_letters(word, width)
            start, word = start + at, word[at:]
            yield start
            long = cells(word.rstrip())
        used = cells(word)


def _fitting_letters(word: str, width: int) -> int:
    """Return how many letters of a word fit a width; one at least."""
    taken = 0
    for number, letter in enumerate(word):
        taken += cells(letter)
        if taken > width:
            return max(number, 1)
    return len(word)


def _cut(line: Line, start: int, end: int | None) -> Line:
    """Return what of a line lies between two places, in letters."""
    found, at = [], 0
    for span in line:
        last = len(span.text) if end is None else max(end - at, 0)
        part = span.text[max(start - at, 0) : last]
        if part:
            found.append(Span(part, span.style))
        at += len(span.text)
    return tuple(found)


def _stripped(line: Line) -> Line:
    """Return a line without spaces at its end."""
    kept = list(line)
    while kept and not kept[-1].text.rstrip():
        kept.pop()
    if kept:
        kept[-1] = Span(kept[-1].text.rstrip(), kept[-1].style)
    return tuple(kept)


def _headed(title: str) -> str:
    return "" if title == BARS else title


class _TableSetting:
    """A table set closer where it does not fit, then without the columns that can be spared, which is said; nothing is cut."""

    def __init__(self, table: Table, width: int) -> None:
        self._whole, self._width = table, width
        self._take(table)

    def _take(self, table: Table) -> None:
        self._table = table
        self._heads: list[Line] = [(Span(_headed(title), HEAD),) for title, _ in table.columns]
        self._cells = [[_spans(c) for c in row] for row in table.rows if not isinstance(row, Text)]
        self._widths = [max(map(length, column)) for column in zip(self._heads, *self._cells, strict=True)]

    def lines(self) -> list[Line]:
        """Return the lines of the table."""
        left_out: list[str] = []
        order = self._whole.spare if BARS in self._whole.spare else (BARS, *self._whole.spare)
        spare = [s for s in order if s in [title for title, _ in self._whole.columns]]
        lines = self._within()
        while lines is None and spare:
            left_out.append(spare.pop(0))
            self._take(self._whole.without(left_out))
            lines = self._within()
        if lines is None and self._whole.folds:
            lines = self._folded(NARROWEST)
        if lines is None:
            lines = [part for line in self._lines(NARROW_GAP) for part in _wrapped(line, self._width)]
        left_out = [title for title in left_out if title != BARS]
        said = Text(f"not shown, for lack of width: {', '.join(left_out)}", "muted")
        return [*lines, *(_paragraphs(said, self._width) if left_out else [])]

    def _lines(self, gap: int) -> list[Line]:
        body = iter(self._cells)
        rows = [_spans(row) if isinstance(row, Text) else self._set(next(body), gap) for row in self._table.rows]
        headed = any(title for title, _ in self._table.columns)
        return [_stripped(line) for line in ([self._set(self._heads, gap)] if headed else []) + rows]

    def _set(self, row: Sequence[Line], gap: int) -> Line:
        """Return the cells of a row in their columns."""
        placed = list[Span]()
        for cell, width, (_, side) in zip(row, self._widths, self._table.columns, strict=True):
            spaces = Span(" " * (width - length(cell)))
            placed += [spaces, *cell] if side == "right" else [*cell, spaces]
            placed.append(Span(" " * gap))
        return tuple(placed)

    def _within(self) -> list[Line] | None:
        """Return the lines where they fit: as they are, with a narrow gap, or folded where the table may be."""
        for gap in (GAP, NARROW_GAP):
            lines = self._lines(gap)
            if max(map(length, lines), default=0) <= self._width:
                return lines
        return self._folded() if self._whole.folds else None

    def _folded(self, least: int = FOLDED) -> list[Line] | None:
        """Return the lines with the last column folded into what is left of the width, or None where that is too little."""
        room = self._width - sum(self._widths[:-1]) - NARROW_GAP * (len(self._widths) - 1)
        if room < least:
            return None
        lines, body = [], iter(self._cells)
        for row in [self._heads, *self._table.rows]:
            if isinstance(row, Text):
                lines.append(_spans(row))
                continue
            *first, last = self._heads if row is self._heads else next(body)
            for number, part in enumerate(_wrapped(last, room)):
                lines.append(self._set([*(first if number == 0 else [()] * len(first)), part], NARROW_GAP))
        return [_stripped(line) for line in lines]
