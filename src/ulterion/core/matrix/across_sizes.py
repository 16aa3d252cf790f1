"""What a level does across the sizes of a sweep: the same at all of them, more at some, or nothing."""

from __future__ import annotations

import math
from collections.abc import Mapping

from ulterion.core.arrays import np
from ulterion.core.matrix.effects import TOGETHER_BELOW, Effect, Effects
from ulterion.core.records import dataclass
from ulterion.core.stats.beta import chi_square_tail

NORMAL = 1.959964  # standard deviations to either end of a 95% interval
ALIKE_ABOVE = 0.01  # p of the sizes doing the same, below which they differ (benchmarks/sweeps.py)


@dataclass(frozen=True)
class AcrossSizes:
    """A level against another, by the bytes of a request.

    Attributes:
        factor, level, against: which.
        effects: of each size, smallest first.
        shown: sizes at which it surely does something, by more than the margin.
        none: sizes at which it surely does no more than the margin; at the sizes left over it is undecided.
        alike: whether it does the same at every size.
        typical: the ratio that all sizes share, where they are alike.
        with_each: factors on whose levels it does the same at every size; `differs_with` those on which it does not at one.
    """

    factor: str
    level: str
    against: str
    effects: Mapping[int, Effect]
    shown: tuple[int, ...]
    none: tuple[int, ...]
    alike: bool
    typical: float
    with_each: tuple[str, ...]
    differs_with: tuple[str, ...]

    @property
    def most(self) -> int:
        """The size at which it does most; there is one where `shown` is not empty."""
        return max(self.shown, key=lambda size: abs(math.log(self.effects[size].ratio or 1.0)))

    @property
    def least(self) -> int:
        """The size, of those shown, at which it does least."""
        return min(self.shown, key=lambda size: abs(math.log(self.effects[size].ratio or 1.0)))


def across_sizes(found: Mapping[int, Effects], margin: float) -> list[AcrossSizes]:
    """Return what each level does across sizes (bytes of a request), in the order of the factors; what is refused everywhere is left out."""
    by_level: dict[tuple[str, str], dict[int, Effect]] = {}
    for size, one in sorted(found.items()):
        for effect in one.effects:
            if effect.ratio is not None:
                by_level.setdefault((effect.factor, effect.level), {})[size] = effect
    return [_across(found, effects, margin) for effects in by_level.values()]


def _across(found: Mapping[int, Effects], effects: Mapping[int, Effect], margin: float) -> AcrossSizes:
    one = next(iter(effects.values()))
    limit = math.log1p(margin)
    ends = {size: (math.log(e.low), math.log(e.high)) for size, e in effects.items() if e.low and e.high}
    logs = {size: math.log(e.ratio) for size, e in effects.items() if e.ratio}
    shown = tuple(s for s, (low, high) in ends.items() if not low <= 0 <= high and abs(logs[s]) > limit)
    none = tuple(s for s, (low, high) in ends.items() if s not in shown and -limit <= low and high <= limit)
    typical, alike = _common({s: logs[s] for s in ends}, ends, limit)
    with_each, differs = _others(found, one.factor)
    return AcrossSizes(
        factor=one.factor,
        level=one.level,
        against=one.against,
        effects=effects,
        shown=shown,
        none=none,
        alike=alike,
        typical=math.exp(typical),
        with_each=with_each,
        differs_with=differs,
    )


def _common(logs: Mapping[int, float], ends: Mapping[int, tuple[float, float]], limit: float) -> tuple[float, bool]:
    """Return the weighted mean of the logs, and whether all sizes can be that: within the margin, or by the spread their intervals allow.

    The sum of squares over variances about the weighted mean is chi-squared where all are the same (W. G. Cochran, The combination of
    estimates from different experiments, 1954).
    """
    if not logs:
        return 0.0, False
    values = np.array([logs[s] for s in ends])
    spread = np.array([max((high - low) / (2 * NORMAL), 1e-6) for low, high in ends.values()])
    weights = 1 / spread**2
    mean = float(np.sum(weights * values) / np.sum(weights))
    if np.ptp(values) <= limit:
        return mean, True
    if len(values) < 2:
        return mean, True
    q = float(np.sum(weights * (values - mean) ** 2))
    return mean, chi_square_tail(len(values) - 1, q) > ALIKE_ABOVE


def _others(found: Mapping[int, Effects], factor: str) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Return the other factors with which it does the same at all sizes, and those with which it does not at one or more."""
    others = list(dict.fromkeys(e.factor for one in found.values() for e in one.effects if e.factor != factor))
    lowest: dict[str, float] = {}
    for other in others:
        counted = [t.p for one in found.values() for t in one.together if {factor, other} == set(t.factors)]
        if counted:
            lowest[other] = min(counted)
    unknown = {o for o in others if any({factor, o} == set(u.factors) for one in found.values() for u in one.untested)}
    differs = tuple(o for o, p in lowest.items() if p * len(found) <= TOGETHER_BELOW)  # Bonferroni, over the sizes
    return tuple(o for o in others if o not in lowest and o not in unknown), differs
