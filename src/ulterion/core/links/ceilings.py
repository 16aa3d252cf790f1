"""Ceilings: what each part and link of a setup lets through at most.

A link's ceiling is its practical range.  A part's is what its maker claims, or better, what was measured of it
directly.  They say which claims cannot be tested on a setup; what held a measurement back is found by `ulterion.core.bottleneck`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import field
from typing import Literal

from ulterion.core.links.standards import Link
from ulterion.core.records import dataclass
from ulterion.core.units import show_between, show_rate

Direction = Literal["read", "write"]
NEAR = 0.90  # a measurement of at least this share of a part's own rate counts as near it
REFUTED = 1.10  # a measurement above this share of a ceiling shows that the ceiling does not hold


@dataclass(frozen=True)
class Element:
    """One element of a setup's chain, from the host's port (first) to the medium (last).

    Attributes:
        key: its name in the review.
        label: how it is called in sentences.
        link: its link towards the host, as labelled, or None when not stated.
        inside: its link towards the medium (the card bus of a reader, the lanes in an enclosure), or None.
        seen: the link towards the host as it was seen to run, or None when nothing could be read.
        claimed: claimed rate for each direction, bytes per second.
        baseline: rate measured on the baseline for each direction, bytes per second (media only).
        only_link: whether it has no limit of its own but its link, like a port.
    """

    key: str
    label: str
    link: Link | None = None
    inside: Link | None = None
    seen: Link | None = None
    claimed: dict[Direction, float] = field(default_factory=dict)
    baseline: dict[Direction, float] = field(default_factory=dict)
    only_link: bool = False


@dataclass(frozen=True)
class Ceiling:
    """What one element lets through in one direction.

    Attributes:
        owner: key of the element.
        kind: 'link', or 'part' for a rate claimed or measured of the part itself.
        text: the ceiling in words.
        low, high: range in which a measurement counts as near it, and its upper end; bytes per second.
        source: where the figure comes from.
    """

    owner: str
    kind: Literal["link", "part"]
    text: str
    low: float
    high: float
    source: str


def _of_link(element: Element, link: Link, words: str) -> Ceiling:
    span = f"{show_between(show_rate(link.practical_low), show_rate(link.practical_high))} in practice"
    return Ceiling(
        owner=element.key,
        kind="link",
        text=f"{words} ({span})",
        low=link.practical_low,
        high=link.practical_high,
        source=link.source,
    )


def _of_upstream(element: Element) -> Ceiling | None:
    seen, sold = element.seen, element.link
    if seen is None or (sold is not None and sold.payload <= seen.payload):
        return _of_link(element, sold, f"{element.label}, {sold.name}") if sold else None
    sold_as = f", sold as {sold.name}" if sold else ""
    return _of_link(element, seen, f"{element.label}, linked at {seen.name}{sold_as}")


def _of_part(element: Element, direction: Direction) -> Ceiling | None:
    for rates, words in ((element.baseline, "does directly"), (element.claimed, "claims")):
        if direction in rates:
            rate = rates[direction]
            text = f"what {element.label} {words}, {show_rate(rate)}"
            return Ceiling(
                owner=element.key, kind="part", text=text, low=rate * NEAR, high=rate, source=f"what it {words}"
            )
    return None


def ceilings_of(chain: Sequence[Element], direction: Direction) -> list[Ceiling]:
    """Return every ceiling of a chain for one direction, lowest first."""
    ceilings: list[Ceiling | None] = []
    for element in chain:
        ceilings.append(_of_upstream(element))
        if element.inside is not None:
            ceilings.append(_of_link(element, element.inside, f"inside {element.label}, {element.inside.name}"))
        ceilings.append(_of_part(element, direction))
    return sorted((c for c in ceilings if c is not None), key=lambda c: c.high)
