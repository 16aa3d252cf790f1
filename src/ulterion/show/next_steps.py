"""What moves a review forward, for the `next:` line that an answer ends with."""

from __future__ import annotations

from ulterion.model.review import Review


def after_comparing(review: Review) -> str:
    """Return the command that comes after a comparison: the claims where the review states any, else the page."""
    return "ulterion claims" if review.has_claims else "ulterion report"
