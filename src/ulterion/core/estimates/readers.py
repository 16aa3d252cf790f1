"""A reader's own bench in words: 'a laptop with USB 5 Gb/s, 200 GB of photographs a week'."""

from __future__ import annotations

import re

from ulterion.core.errors import UsageError
from ulterion.core.links.standards import LINKS, Link
from ulterion.core.patterns import pattern
from ulterion.core.records import dataclass
from ulterion.core.units import bounded, parse_size

MAX_WORDS = 600  # characters of a question in words
PERIODS = ("day", "week", "month", "year")
_SIZE = pattern(r"(?<![\w.])(\d+(?:\.\d+)?\s*[kMGT]i?B)(?![\w/])")
_PERIOD = pattern(rf"\b(?:a|an|per|each|every)\s+({'|'.join(PERIODS)})\b", re.IGNORECASE)


@dataclass(frozen=True)
class Reader:
    """What a reader has, and does.

    Attributes:
        links: of the ports named, in their order.
        size: bytes that are moved, None where none are named.
        period: 'day', 'week', 'month' or 'year' where it is so much in each, or None.
    """

    links: tuple[Link, ...]
    size: int | None
    period: str | None


def parse_reader(text: str) -> Reader:
    """Read a reader's bench from words; raise UsageError where they name no port, or two sizes."""
    links = links_in(bounded(text, "port", "a laptop with USB 5 Gb/s, 200 GB of photographs a week", MAX_WORDS))
    if not links:
        raise UsageError(
            f"--for '{text}' names no port; write it like 'a laptop with USB 5 Gb/s, 200 GB of photographs a week'"
        )
    sizes = _SIZE.findall(text)
    if len(sizes) > 1:
        raise UsageError(f"--for '{text}' names {len(sizes)} sizes, {' and '.join(sizes)}; ask for one at a time")
    period = _PERIOD.search(text)
    return Reader(links, parse_size(sizes[0]) if sizes else None, period[1].casefold() if period and sizes else None)


def links_in(text: str) -> tuple[Link, ...]:
    """Return the links that words name, the longest name where one holds another."""
    names = sorted(((n, k) for k in LINKS for n in (k.name, *k.aliases)), key=lambda one: -len(one[0]))
    found, left = list[tuple[int, Link]](), text
    for name, link in names:
        words = r"[\s_\-]*".join(re.escape(w) for w in re.split(r"[\s_\-]+", name))
        while match := re.search(rf"(?<![\w.]){words}(?![\w.]*\w)", left, re.IGNORECASE):
            found.append((match.start(), link))
            left = left[: match.start()] + "\0" * len(match[0]) + left[match.end() :]
    return tuple(dict.fromkeys(link for _, link in sorted(found, key=lambda one: one[0])))
