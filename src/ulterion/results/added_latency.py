"""What a setup adds to the wait for each small request, against another: the figure that large transfers do not show."""

from __future__ import annotations

from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import FEWEST, difference
from ulterion.core.stats.samples import scaled
from ulterion.results.measurement import Measurement


@dataclass(frozen=True)
class AddedLatency:
    """The time that a setup adds to every request that is made one at a time.

    Attributes:
        setup, run; base, base_run: which two setups, and the runs.
        workload: name of the workload.
        seconds: added, with its 95% interval `low` to `high` (Welch's, on the passes' times for a request); below zero: saved.
        parts: what is in the chain of the one and not of the other.
        messages: whether they are messages over a network.
    """

    setup: str
    run: str
    base: str
    base_run: str
    workload: str
    seconds: float
    low: float
    high: float
    parts: tuple[str, ...]
    messages: bool = False

    @property
    def is_sure(self) -> bool:
        """Whether it surely adds or saves anything."""
        return self.low > 0 or self.high < 0


def added_latency(cell: Measurement, base: Measurement) -> AddedLatency | None:
    """Return what one measurement of single small requests adds to another's wait, or None where that is unknown."""
    work = cell.workload
    if work.drive_pattern != "random" or work.depth != 1 or min(cell.estimate.passes, base.estimate.passes) < FEWEST:
        return None
    mine, theirs = (scaled(m.rates, lambda rate: work.block_bytes / rate) for m in (cell, base))
    added = difference(mine, theirs)
    parts = tuple(k for k in cell.run.chain if k not in base.run.chain)
    return AddedLatency(
        setup=cell.setup,
        run=cell.run.id,
        base=base.setup,
        base_run=base.run.id,
        workload=work.title,
        seconds=added.value,
        low=added.low,
        high=added.high,
        parts=parts,
        messages=work.pattern == "messages",
    )
