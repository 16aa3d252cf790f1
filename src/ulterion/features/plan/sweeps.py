"""Effects across the sizes of a sweep: one sentence for each level, one table and one chart for all sizes."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.matrix.across_sizes import AcrossSizes, across_sizes
from ulterion.core.matrix.effects import Effects
from ulterion.core.units import show_block
from ulterion.core.workloads.workload import DriveWorkload
from ulterion.features.plan import words
from ulterion.features.plan.judging import Observations
from ulterion.model.review import Review
from ulterion.show.columns import show_change
from ulterion.show.sentences import listed, sentence_of

EffectsOf = Sequence[tuple[Observations, Effects]]
FEWEST = 4  # sizes that make a sweep


def is_sweep(found: EffectsOf) -> bool:
    """Return whether all workloads are one, at several sizes of a request."""
    kinds = {
        (w.direction, w.pattern, w.depth, w.write_share) if isinstance(w := o.workload, DriveWorkload) else None
        for o, _ in found
    }
    return len(found) >= FEWEST and len(kinds) == 1 and None not in kinds


def levels_across_sizes(review: Review, found: EffectsOf) -> list[AcrossSizes]:
    """Return what each level does across the sizes of a sweep."""
    return across_sizes({o.workload.block_bytes: e for o, e in found}, review.review.margin)


def sweep_sentences(every: Sequence[AcrossSizes], review: Review) -> list[str]:
    """Return, for each level, how its effect changes with the size: the same at all sizes, where it is least and most, or where there is none."""
    told = [_across(review, one) for one in every if one.shown]
    flat = [words.named(review, one.level) for one in every if len(one.none) == len(one.effects)]
    unsure = [words.named(review, one.level) for one in every if not one.shown and len(one.none) < len(one.effects)]
    told += [f"no difference at any size: {listed(flat)}"] if flat else []
    told += [f"undecided: {listed(unsure)}"] if unsure else []
    return [sentence_of(one) for one in told]


def _across(review: Review, one: AcrossSizes) -> str:
    """Return what a level does across the sizes."""
    name = f"{words.named(review, one.level)} against {words.named(review, one.against)}"
    if one.alike:
        does = f"{show_change(one.typical)} at all sizes"
    else:
        ends = [_at(one, size) for size in sorted({one.least, one.most})]
        does = ("between " if len(ends) > 1 else "") + " and ".join(ends) + _nowhere(one)
    depends = f"; it depends on the {listed(list(one.differs_with))}" if one.differs_with else ""
    alike = "" if depends or not one.with_each else f", with every {listed(list(one.with_each))}"
    return f"{name}: {does}{alike}{depends}"


def _at(one: AcrossSizes, size: int) -> str:
    return f"{show_change(one.effects[size].ratio or 1.0)} at {show_block(size)}"


def _nowhere(one: AcrossSizes) -> str:
    """Return at which sizes it makes no difference, or none is shown."""
    rest = [size for size in one.effects if size not in one.shown]
    if not rest:
        return ""
    sure = all(size in one.none for size in rest)
    what = "no difference" if sure else "nothing shown"
    if min(rest) > max(one.shown):
        return f", {what} from {show_block(min(rest))} up"
    if max(rest) < min(one.shown):
        return f", {what} up to {show_block(max(rest))}"
    return f", {what} at {listed([show_block(size) for size in rest])}"
