"""Effects across the sizes of a sweep: one sentence for each level, one table and one chart for all sizes."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ulterion.core.matrix.effects import Effect, Effects
from ulterion.core.units import show_block
from ulterion.core.workloads.workload import DriveWorkload
from ulterion.features.plan import words
from ulterion.features.plan.judging import Observations
from ulterion.model.review import Review
from ulterion.show.columns import show_change
from ulterion.show.sentences import sentence_of

EffectsOf = Sequence[tuple[Observations, Effects]]
FEWEST = 4  # sizes that make a sweep
Key = tuple[str, str]


def is_sweep(found: EffectsOf) -> bool:
    """Return whether all workloads are one, at several sizes of a request."""
    kinds = {
        (w.direction, w.pattern, w.depth, w.write_share) if isinstance(w := o.workload, DriveWorkload) else None
        for o, _ in found
    }
    return len(found) >= FEWEST and len(kinds) == 1 and None not in kinds


def by_size(found: EffectsOf) -> dict[Key, dict[int, Effect]]:
    """Return the effects of each level by the bytes of a request, smallest first; those that cannot be determined are left out."""
    ordered = sorted(found, key=lambda pair: pair[0].workload.block_bytes)
    effects: dict[Key, dict[int, Effect]] = {}
    for observations, one in ordered:
        for effect in one.effects:
            if effect.ratio is not None:
                effects.setdefault((effect.factor, effect.level), {})[observations.workload.block_bytes] = effect
    return effects


def sweep_sentences(review: Review, found: EffectsOf) -> list[str]:
    """Return for each level how its effect goes with the size: least and most, or that it makes no difference at any."""
    margin = math.log1p(review.review.margin)
    told, flat = [], []
    for (_, level), sizes in by_size(found).items():
        name = words.named(review, level)
        sure = {s: abs(math.log(e.ratio or 1.0)) for s, e in sizes.items() if words.matters(e)}
        if max(sure.values(), default=0.0) <= margin:
            flat.append(name)
            continue
        least, most = (pick(sure, key=lambda s: sure[s]) for pick in (min, max))
        against = words.named(review, next(iter(sizes.values())).against)
        if sure[most] - sure[least] <= margin:
            told.append(sentence_of(f"{name} against {against}: {show_change(sizes[most].ratio or 1.0)} at all sizes"))
            continue
        ends = [f"{show_change(sizes[s].ratio or 1.0)} at {show_block(s)}" for s in sorted((least, most))]
        told.append(sentence_of(f"{name} against {against}: {' and '.join(dict.fromkeys(ends))}"))
    none = [sentence_of(f"no difference shown at any size: {', '.join(flat)}")] if flat else []
    return [*told, *none]
