"""Which setup the others of a medium are compared with."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from ulterion.core.records import dataclass
from ulterion.model.review import Review


@dataclass(frozen=True)
class Baseline:
    """What others are compared with.

    Attributes:
        setup: its name, None where there is nothing to compare with.
        assumed: whether the review marks none, and it is only the first that was named or measured.
    """

    setup: str | None
    assumed: bool = False


def baseline_among(
    review: Review, medium: str | None, known: Collection[str], named: Sequence[str] = (), against: str | None = None
) -> Baseline:
    """Return the baseline of a medium (None: of everything): `against`, the one the report asks for, the marked one, or else the first.

    `known` are the setups of which there is something to compare; `named` those that were asked for, in order.
    """
    if against is not None:
        return Baseline(against)
    mine = [n for n in [*named, *review.setups] if medium is None or review.setups[n].medium == medium]
    if review.report.against in mine:
        return Baseline(review.report.against)
    marked = next((n for n in review.setups if n in mine and review.setups[n].baseline), None)
    if marked is not None:
        return Baseline(marked)
    first = next((n for n in mine if n in known), None)
    return Baseline(first, assumed=first is not None)
