"""What a reader gets on a port of his own, in plain text."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ulterion.core.estimates.readers import Reader
from ulterion.core.links.standards import Link
from ulterion.core.units import show_between, show_duration, show_rate, show_size
from ulterion.features.claims.capacity_proofs import holds
from ulterion.features.estimate.other_port import Suggestion
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun


def chain_words(review: Review, one: Suggestion) -> str:
    """Return the names of what is connected to the port."""
    return review.joined(one.parts)


def grouped(found: Sequence[tuple[str, str]]) -> list[str]:
    """Return each sentence once, with the names it applies to before it."""
    names: dict[str, list[str]] = {}
    for name, words in found:
        names.setdefault(words, []).append(name)
    return [f"{', '.join(every)}: {words}" for words, every in names.items()]


def basis_words(review: Review, one: Suggestion) -> str:
    """Return where its figures are known from; what was not measured there is said to be so."""
    if one.setup is None:
        return "not measured"
    port = review.ports[review.setups[one.setup].chain[0]].link
    kinds = {w.basis for w in one.ways.values()}
    if kinds == {"measured"}:
        return "measured on such a port"
    told = []
    if "as measured" in kinds:
        told.append(f"measured on {port}, at rates that this port carries too")
    if "the link" in kinds and one.negotiated is not None:
        span = show_between(show_rate(one.negotiated.practical_low), show_rate(one.negotiated.practical_high))
        told.append(f"faster on {port} than {one.negotiated} allows, which is {span} in practice")
    if "at least" in kinds:
        told.append(f"measured on {port}, which was the limit, so it may be faster here")
    return f"estimated: {'; '.join(told)}"


def reader_answer(review: Review, reader: Reader, link: Link, known: Sequence[Suggestion], unit: str) -> str:
    """Return what is fastest on a reader's port, and how long the reader's amount takes there."""
    reads = [(s, way) for s in known if (way := s.ways.get("read")) is not None]
    if not reads:
        return f"Nothing that was measured fits a port of {link}."
    best, way = max(reads, key=lambda pair: pair[1].low)
    rate = show_between(show_rate(way.low, unit), show_rate(way.high, unit))
    times = ""
    if reader.size is not None and way.quick is not None and way.slow is not None:
        span = show_between(show_duration(way.quick.low), show_duration(way.slow.high))
        times = f", {show_size(reader.size)} in {span}"
    return f"On {link}, {chain_words(review, best)} reads fastest: {rate}{times}."


def too_small(review: Review, runs: Sequence[AnyRun], size: int, found: Sequence[Suggestion]) -> list[str]:
    """Return how many of each medium that holds less than a size it takes."""
    told = []
    for medium in dict.fromkeys(s.parts[-1] for s in found):
        room = holds(review, runs, medium)
        if room is not None and room.bytes < size:
            count = math.ceil(size / room.bytes)
            told.append(f"{review.label(medium)} {room.words}: {show_size(size)} take {count} of them")
    return told
