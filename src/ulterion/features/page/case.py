"""The reader's own case: how long an amount takes on each setup, from the measured course of its long run."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

from ulterion.core.estimates.transfer_time import End, Piece
from ulterion.core.links.ceilings import Direction
from ulterion.core.units import show_duration, show_size
from ulterion.features.claims.capacity_proofs import holds
from ulterion.features.estimate.transfer_time import end_of
from ulterion.features.page.article import CaseEnd, Section, YourCase
from ulterion.features.page.inputs import DIRECTIONS, ReportInputs
from ulterion.features.page.subjects import FILES, PORT, known_as, subjects, tests
from ulterion.show.looks import Cast, product_of

LARGEST = 2e12  # bytes, the end of the slider at most
UNBOUND = 1e12  # bytes, its end where nothing is known to hold less
MOST = 12  # setups of a direction
SAME_PACE = 0.03  # of a rate, within which pieces beside each other are one


def your_case(inputs: ReportInputs) -> Iterator[Section]:
    """Yield the times of every product under test and every baseline; nothing where nothing was measured."""
    ends = tuple(end for way in DIRECTIONS for end in _ends(inputs, way))
    if not ends:
        return
    size = float(inputs.review.report.work)
    largest = max([size, *(end.holds or UNBOUND for end in ends)])
    yield Section(
        "case",
        "Your case: how long does it take?",
        (YourCase(size, show_size(size), ends, max(min(largest, LARGEST), size)),),
    )


def _ends(inputs: ReportInputs, way: Direction) -> Iterator[CaseEnd]:
    """Yield the ends of a direction: the quickest first, at the end those whose medium holds less than the amount."""
    review, cast = inputs.review, Cast.of(inputs.review)
    known = {r.target: r.work for r in inputs.works[way] if r.work is not None}
    smaller = [name for name in inputs.measured_setups if name not in known]
    for name in _chosen(inputs, [*known, *smaller]):
        found, work = end_of(review, inputs.runs, name, way), known.get(name)
        if found is None:
            continue
        end, room, port = found[0], holds(review, inputs.runs, review.setups[name].medium), review.setups[name].chain[0]
        pieces, rest = _course(end)
        yield CaseEnd(
            name=_name(inputs, name),
            medium=_medium(inputs, name),
            shade=cast.shade(name),
            port=review.label(port) if port in review.ports else "",
            way=way,
            pieces=pieces,
            rest=rest,
            holds=room.bytes if room is not None else None,
            long=end.long,
            text=show_duration(work.seconds) if work is not None else "",
            seconds=work.seconds if work is not None else math.inf,
        )


def _chosen(inputs: ReportInputs, known: Sequence[str]) -> list[str]:
    """Return of many setups those of products and baselines; of still more the quickest of each product with each medium, then of each product."""
    review = inputs.review
    products = [s.key for s in subjects(inputs) if s.kind != PORT]
    chosen = [n for n in known if review.setups[n].baseline or any(tests(inputs, n, key) for key in products)]
    chosen = chosen or list(known)
    for alike in (lambda n: (product_of(review, n), review.setups[n].medium), lambda n: product_of(review, n)):
        if len(chosen) > MOST:
            first = dict[object, str]()
            for name in chosen:
                first.setdefault(alike(name), name)
            chosen = list(first.values())
    return chosen


def _name(inputs: ReportInputs, setup: str) -> str:
    """Return what a setup is called in the table: its products, or its medium where that is alone at a port."""
    review, chain = inputs.review, inputs.review.setups[setup].chain
    alone = not any(key in review.parts for key in chain[:-1])
    return known_as(inputs, chain[-1]) if alone else review.setup_label(setup)


def _medium(inputs: ReportInputs, setup: str) -> str:
    """Return the medium of a setup, or empty where its name tells it already."""
    medium = inputs.review.setups[setup].medium
    named = _name(inputs, setup) == known_as(inputs, medium) or inputs.review.parts[medium].kind == FILES
    return "" if named else inputs.review.label(medium)


def _course(end: End) -> tuple[tuple[tuple[float, float], ...], float]:
    """Return the pieces of an end, those at one pace together, and the rate behind them."""
    merged = list[Piece]()
    for piece in end.pieces:
        last = merged[-1] if merged else None
        if last is not None and abs(piece.rate / last.rate - 1) < SAME_PACE:
            size = last.bytes + piece.bytes
            merged[-1] = Piece(size, size / (last.bytes / last.rate + piece.bytes / piece.rate), last.why)
        else:
            merged.append(piece)
    rest = end.tail.rate if end.tail is not None else end.rate
    return tuple((round(p.bytes), round(p.rate)) for p in merged), round(rest)
