"""The sources of a product's claims, and whether two disagree."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.records import dataclass
from ulterion.model.claims import Said
from ulterion.model.review import Review


@dataclass(frozen=True)
class Provenance:
    """Where one claim of a part is said.

    Attributes:
        part, claim: which.
        said: by whom, in the order noted.
        judged: those that say what is judged; none where the review judges another figure than any that is noted.
    """

    part: str
    claim: str
    said: tuple[Said, ...]
    judged: tuple[Said, ...]

    @property
    def disagree(self) -> bool:
        """Whether two say different things."""
        return len({str(s.amount) for s in self.said}) > 1


def provenance(review: Review, parts: Sequence[str] = ()) -> list[Provenance]:
    """Return where the claims of parts are said, of all parts unless some are named."""
    found = []
    for key, part in review.parts.items():
        if parts and key not in parts:
            continue
        for claim in dict.fromkeys(s.claim for s in part.said):
            mine = tuple(s for s in part.said if s.claim == claim)
            judged = tuple(s for s in mine if s.amount == getattr(part.claims, claim))
            found.append(Provenance(key, claim, mine, judged))
    return found
