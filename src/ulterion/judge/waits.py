"""What a hookup adds to the wait for each small request, against another: the figure that large transfers do not show."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from scipy.special import stdtrit

from ulterion.core.stats import FEWEST, LEVEL
from ulterion.judge.measured import Measured


@dataclass(frozen=True)
class AddedWait:
    """The time that a hookup adds to every request that is made one at a time.

    Attributes:
        hookup, run; base, base_run: which two hookups, and the runs.
        workload: name of the workload.
        seconds: added, with its 95 % interval `low` to `high` (Welch's, on the passes' times for a request); below zero: saved.
        parts: what is in the chain of the one and not of the other.
    """

    hookup: str
    run: str
    base: str
    base_run: str
    workload: str
    seconds: float
    low: float
    high: float
    parts: tuple[str, ...]

    @property
    def is_sure(self) -> bool:
        """Whether it surely adds or saves anything."""
        return self.low > 0 or self.high < 0


def added_wait(cell: Measured, base: Measured) -> AddedWait | None:
    """Return what one measurement of single small requests adds to another's wait, or None where that cannot be told."""
    work = cell.workload
    if work.pattern != "random" or work.depth != 1 or min(len(cell.rates), len(base.rates)) < FEWEST:
        return None
    mine, theirs = ([work.block_bytes / r for r in m.rates] for m in (cell, base))
    added = _mean(mine) - _mean(theirs)
    va, vb = (_variance(w) / len(w) for w in (mine, theirs))
    error = math.sqrt(va + vb)
    if error == 0.0:
        half = 0.0
    else:
        df = (va + vb) ** 2 / (va**2 / (len(mine) - 1) + vb**2 / (len(theirs) - 1))
        half = float(stdtrit(df, 0.5 + LEVEL / 2)) * error
    parts = tuple(k for k in cell.run.chain if k not in base.run.chain)
    return AddedWait(
        cell.hookup, cell.run.id, base.hookup, base.run.id, work.name, added, added - half, added + half, parts
    )


def _mean(values: Sequence[float]) -> float:
    return math.fsum(values) / len(values)


def _variance(values: Sequence[float]) -> float:
    mean = _mean(values)
    return math.fsum((v - mean) ** 2 for v in values) / (len(values) - 1)
