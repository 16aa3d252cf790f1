"""What a tested product gives on a reader's own port: measured there, or worked out from where it was measured, and said so.

What is between port and medium, and the medium, go along.  On a port that carries as much or more they give at least what they gave; on one
that carries less, what they gave as long as that port has room for it, or else what its link gives in practice.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Literal

from ulterion.core.estimates.transfer_time import End, Work, work
from ulterion.core.links.ceilings import Direction
from ulterion.core.links.standards import Link, lower
from ulterion.core.records import dataclass
from ulterion.features.estimate.transfer_time import end_of
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.results.bottleneck import DIRECTIONS, TAKEN_BY

ROOM = 0.95  # of the lower end of a link's practical range: a rate below it leaves the link room
SURE = 1.645  # standard deviations to the ends of a 90% interval
Basis = Literal["measured", "as measured", "at least", "the link", "does not fit", "not measured"]


@dataclass(frozen=True)
class There:
    """One direction of a product on a reader's port.

    Attributes:
        low, high: bytes per second at the start, between which it lies; the same ways that `works` has them for the size asked for.
        basis: 'measured' on such a port; 'as measured' elsewhere, for the port has room; 'at least' that, for the other port may have
            held it; 'the link' gives so much.
        quick, slow: the work at either end, None without a size.
    """

    low: float
    high: float
    basis: Basis
    quick: Work | None = None
    slow: Work | None = None


@dataclass(frozen=True)
class Suggestion:
    """A product, or a chain of them, on a reader's port.

    Attributes:
        parts: what hangs on the port, the medium last; `link` the port's, `negotiated` what they train there, None where not known.
        ways: by direction; empty where it does not fit, or nothing was measured.
        setup: whose measurement it rests on; `runs` their ids.
        why: where there are no figures.
    """

    parts: tuple[str, ...]
    link: Link
    negotiated: Link | None
    ways: dict[Direction, There]
    setup: str | None
    runs: tuple[str, ...] = ()
    why: str | None = None


Ends = Mapping[tuple[str, Direction], tuple[End, tuple[str, ...]]]
"""What is known of each setup in each direction, with the runs that say so."""


def suggestions(review: Review, runs: Sequence[AnyRun], link: Link, size: int | None) -> list[Suggestion]:
    """Return every chain of the review on a port of a link, the quickest at reading first, what does not fit last."""
    chains = list(dict.fromkeys(tuple(h.chain[1:]) for h in review.setups.values() if h.chain[0] in review.ports))
    ends = {(n, w): e for n in review.setups for w in DIRECTIONS if (e := end_of(review, runs, n, w)) is not None}
    found = [_suggestion(review, runs, ends, link=link, size=size, parts=parts) for parts in chains]
    return sorted(found, key=lambda s: -max((w.low for w in s.ways.values()), default=0.0))


def _suggestion(
    review: Review, runs: Sequence[AnyRun], ends: Ends, link: Link, size: int | None, *, parts: tuple[str, ...]
) -> Suggestion:
    first = next((k for p in parts if (k := review.parts[p].link) is not None), None)  # a cable may have none
    blank = Suggestion(parts, link, None, {}, None)
    if first is not None and link.family == "USB" and first.family in TAKEN_BY["USB"] and first.family != "USB":
        return replace(blank, why=f"made for {first.family}; whether it works on a port for USB was not tried")
    if first is not None and not _fits(first, link):
        return replace(blank, why=f"{first.family} device: does not fit a {link.family} port")
    source = _source(review, ends, link, parts)
    if source is None:
        return replace(blank, why="none of its setups was measured")
    ways, ids = dict[Direction, There](), list[str]()
    negotiated = lower(first, link) if first is not None and first.family == link.family else first or link
    for direction in DIRECTIONS:
        known = ends.get((source, direction))
        if known is not None:
            ran, port, here = _ran_at(review, runs, source, known[1]), _port(review, source), negotiated or link
            if ran.payload < min(
                port.payload, here.payload
            ):  # what trained less than its port could hardly does better here
                here = ran
            top = _most(review, ends, parts[-1], direction)
            ways[direction] = _there(ran, measured=port == link, here=here, end=known[0], most=top, size=size)
            ids += known[1]
    return replace(blank, negotiated=negotiated, ways=ways, setup=source, runs=tuple(dict.fromkeys(ids)))


def _fits(plug: Link, port: Link) -> bool:
    return port.family in TAKEN_BY.get(plug.family, (plug.family,))


def _source(review: Review, ends: Ends, link: Link, parts: tuple[str, ...]) -> str | None:
    """Return the measured setup of a chain to go by: on such a port, else on the slowest that carries more, else on the fastest."""
    mine = [
        (port, name)
        for name, h in review.setups.items()
        if tuple(h.chain[1:]) == parts
        and (port := _stated(review, name)) is not None
        and any((name, way) in ends for way in DIRECTIONS)
    ]
    same = [n for k, n in mine if k.name == link.name]
    more = sorted((k.payload, n) for k, n in mine if k.payload >= link.payload)
    less = sorted(((k.payload, n) for k, n in mine), reverse=True)
    return next(iter([*same, *(n for _, n in more), *(n for _, n in less)]), None)


def _stated(review: Review, setup: str) -> Link | None:
    """Return the link that the review states of a setup's port, or None."""
    first = review.setups[setup].chain[0]
    return review.ports[first].link if first in review.ports else None


def _port(review: Review, setup: str) -> Link:
    link = _stated(review, setup)
    assert link is not None  # setups without one are no source to go by
    return link


def _ran_at(review: Review, runs: Sequence[AnyRun], setup: str, ids: Sequence[str]) -> Link:
    """Return the link that a setup ran at: its port's, or the lower one that was seen."""
    port = _port(review, setup)
    seen = next((r.seen_link for r in runs if r.id in ids and r.setup == setup and r.seen_link is not None), None)
    return seen if seen is not None and seen.payload < port.payload else port


def _most(review: Review, ends: Ends, medium: str, way: Direction) -> float:
    """Return the most that a medium gave anywhere, bytes per second; infinite where its direct setup was not measured."""
    baseline = review.baseline_for(medium)
    known = [e[0] for n, h in review.setups.items() if h.medium == medium and (e := ends.get((n, way))) is not None]
    return max(e.rate * math.exp(SURE * e.error) for e in known) if baseline and (baseline, way) in ends else math.inf


def _there(ran: Link, *, measured: bool, here: Link, end: End, most: float, size: int | None) -> There:
    """Return what a direction gives on a link `here`, from what it gave on the one it ran at."""
    spread = math.exp(SURE * end.error)
    low, high = end.rate / spread, end.rate * spread
    if measured:
        return _with_work(There(low, high, "measured"), end, size)
    if here == ran or (end.rate <= here.practical_low * ROOM and end.rate <= ran.practical_low * ROOM):
        return _with_work(There(low, high, "as measured"), end, size)
    if here.payload >= ran.payload:
        return _with_work(There(low, max(min(here.practical_high, most), high), "at least"), end, size)
    if end.rate <= here.practical_low * ROOM:
        return _with_work(There(low, high, "as measured"), end, size)
    return _with_work(There(min(here.practical_low, low), min(here.practical_high, high), "the link"), end, size)


def _with_work(there: There, end: End, size: int | None) -> There:
    if size is None:
        return there
    slow = work(size, [_held(end, there.low)])
    quick = work(size, [_held(end, there.high, raised=there.basis == "at least")])
    return replace(there, slow=slow, quick=quick)


def _held(end: End, rate: float, *, raised: bool = False) -> End:
    """Return an end that moves no more than a rate; a raised one is as fast as the rate where it was fastest."""
    top = rate if raised else math.inf

    def at(own: float) -> float:
        return min(max(own, top if own >= end.rate * ROOM and raised else 0.0), rate)

    pieces = tuple(replace(p, rate=at(p.rate)) for p in end.pieces)
    tail = replace(end.tail, rate=at(end.tail.rate)) if end.tail is not None else None
    return replace(end, rate=min(rate, max(end.rate, top if raised else 0.0)), pieces=pieces, tail=tail)
