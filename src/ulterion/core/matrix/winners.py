"""Which level of a factor is fastest in each place of a matrix: among the cells that are alike in all other factors."""

from __future__ import annotations

from collections.abc import Mapping

from ulterion.core.matrix.grid import Cell
from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import estimate
from ulterion.core.stats.samples import Rates
from ulterion.core.stats.verdicts import compare_family


@dataclass(frozen=True)
class Winner:
    """The fastest among cells that differ in one factor only.

    Attributes:
        rest: the levels of the other factors, which they share.
        best: the level with the highest rate, bytes per second.
        alike: levels that are surely within the margin of it.
        unsure: levels that may be as fast.
    """

    rest: Cell
    best: str
    rate: float
    alike: tuple[str, ...]
    unsure: tuple[str, ...]

    @property
    def first(self) -> tuple[str, ...]:
        """The best, and those it ties with."""
        return (self.best, *self.alike)


def winners(rates: Mapping[Cell, Rates], factor: str, margin: float) -> list[Winner]:
    """Return the fastest level of a factor wherever two of its levels or more were measured, in the order of the cells.

    Each is compared with the fastest by the rates of their passes (bytes per second), at 95% for all of a place together.
    """
    places: dict[Cell, dict[str, Rates]] = {}
    for cell, measured in rates.items():
        rest = tuple(pair for pair in cell if pair[0] != factor)
        places.setdefault(rest, {})[dict(cell)[factor]] = measured
    return [_winner(rest, levels, margin) for rest, levels in places.items() if len(levels) > 1]


def _winner(rest: Cell, levels: Mapping[str, Rates], margin: float) -> Winner:
    known = {level: estimate(measured).rate for level, measured in levels.items()}
    best = max(known, key=lambda level: known[level])
    others = [level for level in levels if level != best]
    verdicts = [c.verdict for c in compare_family([(levels[o], levels[best]) for o in others], margin)]
    by = dict(zip(others, verdicts, strict=True))
    return Winner(
        rest=rest,
        best=best,
        rate=known[best],
        alike=tuple(o for o in others if by[o] == "same"),
        unsure=tuple(o for o in others if by[o] == "undecided"),
    )
