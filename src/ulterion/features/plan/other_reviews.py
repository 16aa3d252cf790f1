"""What another review measured of the same products: rows to be set beside a plan's grid, marked as another's."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import Estimate
from ulterion.core.workloads.workload import Workload
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.results.pooling import pooled_results


@dataclass(frozen=True)
class OtherReviewRow:
    """A setup of another review, with a product that ours has too: its products as readers know them, host, and figure."""

    title: str
    setup: str
    chain: tuple[str, ...]
    host: str
    workload: Workload
    text: str
    figure: Estimate


def beside(review: Review, other: Review, runs: Sequence[AnyRun], texts: Sequence[str]) -> list[OtherReviewRow]:
    """Return what the other review measured by the same workloads on setups that hold a product of ours, matched by its name for readers."""
    plan = review.plan
    levels = {level for names in (plan.factors.values() if plan else []) for level in names}
    ours = {review.label(k).casefold() for k in review.parts if k in levels}
    found = []
    for name, figures in pooled_results(runs).items():
        if name not in other.setups:
            continue
        chain = tuple(other.label(k) for k in other.setups[name].chain)
        if not ours & {part.casefold() for part in chain}:
            continue
        found += [
            OtherReviewRow(
                title=other.review.title,
                setup=name,
                chain=chain,
                host=one.run.bench.host or "",
                workload=one.workload,
                text=text,
                figure=one.estimate,
            )
            for text, one in figures.items()
            if text in texts
        ]
    return found
