"""What a reader gets on a port of his own, in plain text."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.estimates.readers import Reader
from ulterion.core.units import show_between, show_rate, show_size
from ulterion.features.estimate.other_port import Suggestion
from ulterion.model.review import Review


def chain_words(one: Suggestion) -> str:
    """Return the names of what hangs on the port."""
    return " + ".join(one.parts)


def grouped(found: Sequence[tuple[str, str]]) -> list[str]:
    """Return sentences, each once with all the names it is said of before it."""
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
        told.append(f"estimated: measured on {port}, slow enough for this port")
    if "the link" in kinds and one.negotiated is not None:
        span = show_between(show_rate(one.negotiated.practical_low), show_rate(one.negotiated.practical_high))
        told.append(f"faster on {port} than {one.negotiated} allows, which is {span} in practice")
    if "at least" in kinds:
        told.append(f"it gave as much as {port} carries; here it may give more")
    return f"not measured there: {'; '.join(told)}"


def too_small(review: Review, reader: Reader, found: Sequence[Suggestion]) -> list[str]:
    """Return which media hold less than what is moved: it takes several of them, or several fillings."""
    told = []
    for medium in dict.fromkeys(s.parts[-1] for s in found):
        holds = review.parts[medium].claims.capacity
        if holds is not None and reader.size is not None and holds < reader.size:
            told.append(
                f"{review.label(medium)} holds {show_size(holds)}: {show_size(reader.size)} fill it more than once"
            )
    return told
