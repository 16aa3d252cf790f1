"""Another reviewer's runs of the same products laid beside one's own: do they agree, within what both state?"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import Estimate, Ratio, ratio
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.results.pooling import pooled_results

Agreement = Literal["agree", "differ", "undecided"]


@dataclass(frozen=True)
class Pair:
    """A workload that both measured on the same products.

    Attributes:
        setup, other: names in either review; `workload` its words.
        mine, theirs: the figures.
        ratio: theirs over mine, with its interval.
        agreement: 'agree' where 1 lies in the interval, or all of it within the margin; 'differ' where it lies outside; else undecided.
    """

    setup: str
    other: str
    workload: str
    mine: Estimate
    theirs: Estimate
    ratio: Ratio
    agreement: Agreement


def agreements(review: Review, runs: Sequence[AnyRun], other: Review, their_runs: Sequence[AnyRun]) -> list[Pair]:
    """Return every workload that both reviews measured on setups of the same products, by the names that readers know."""
    mine, theirs, margin = pooled_results(runs), pooled_results(their_runs), review.review.margin
    named = {_names(other, n): n for n in theirs if n in other.setups}
    found = []
    for setup, cells in mine.items():
        partner = named.get(_names(review, setup)) if setup in review.setups else None
        if partner is None:
            continue
        for text, cell in cells.items():
            far = theirs[partner].get(text)
            if far is not None:
                compared = ratio(far.rates, cell.rates)
                found.append(
                    Pair(
                        setup=setup,
                        other=partner,
                        workload=text,
                        mine=cell.estimate,
                        theirs=far.estimate,
                        ratio=compared,
                        agreement=_agreement(compared, margin),
                    )
                )
    return found


def _names(review: Review, setup: str) -> tuple[str, ...]:
    """Return the products of a chain, as readers know them; ports are everybody's own, but for their link."""
    chain = review.setups[setup].chain
    return tuple(str(review.ports[k].link or k) if k in review.ports else review.label(k).casefold() for k in chain)


def _agreement(compared: Ratio, margin: float) -> Agreement:
    if compared.low is None or compared.high is None:
        return "undecided"
    if compared.low <= 1 <= compared.high or (compared.low > 1 - margin and compared.high < 1 + margin):
        return "agree"
    return "differ"
