"""The sources of a product's claims, in plain text."""

from __future__ import annotations

from ulterion.features.claims.sources import Provenance
from ulterion.model.claims import Said
from ulterion.model.review import Review


def said_words(said: Said) -> str:
    """Return one source with its value."""
    date = f", {said.date.isoformat()}" if said.date is not None else ""
    return f"{'up to ' if said.up_to else ''}{said.value} ({said.where}{date})"


def provenance_words(review: Review, one: Provenance) -> str:
    """Return where a claim is said; that two disagree, and by which it is judged."""
    told = f"{review.label(one.part)}, {one.claim.replace('_', ' ')}: {'; '.join(map(said_words, one.said))}"
    if one.disagree:
        told += "; they disagree"
        told += f": judged by {one.judged[0].value}" if one.judged else ""
    return told if one.judged else f"{told}; the review uses another value without a source"
