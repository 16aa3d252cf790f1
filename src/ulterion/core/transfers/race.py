"""Transfers on one clock: how far each was when, who was ahead, and where that changed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from ulterion.core.records import dataclass
from ulterion.core.stats.lines import between

NEAR = 0.005  # of the whole; who is so little ahead is not ahead


@dataclass(frozen=True)
class Runner:
    """One transfer.

    Attributes:
        name: what it is called.
        seconds, bytes: what was over by when, both rising, from (0, 0) on.
        total: bytes of the whole.
        done: whether it came to its end; the last of `seconds` is when.
        setup: the setup it was on, or None.
    """

    name: str
    seconds: tuple[float, ...]
    bytes: tuple[float, ...]
    total: float
    done: bool = True
    setup: str | None = None

    @property
    def end(self) -> float:
        """When it was over, or last looked at, seconds."""
        return self.seconds[-1]

    def at(self, moment: float) -> float:
        """Return the share of the whole that was over by a moment; of one that did not end never more than was seen."""
        return between(moment, self.seconds, self.bytes) / self.total


@dataclass(frozen=True)
class Crossing:
    """A moment at which one transfer came to be ahead of another."""

    seconds: float
    ahead: str
    behind: str
    share: float


def to_amount(runner: Runner, amount: float) -> Runner:
    """Return a transfer as far as a number of bytes, so that long and short ones can be held against each other."""
    if runner.total <= amount:
        return runner
    moment = between(amount, runner.bytes, runner.seconds)
    if runner.bytes[-1] < amount:
        return replace(runner, total=amount, done=False)
    kept = [(s, b) for s, b in zip(runner.seconds, runner.bytes, strict=True) if b < amount]
    seconds, moved = (*(s for s, _ in kept), moment), (*(b for _, b in kept), amount)
    return replace(runner, seconds=seconds, bytes=moved, total=amount, done=True)


def order(runners: Sequence[Runner]) -> list[Runner]:
    """Return them by when they were over, those that were not at the end by how far they came."""
    return sorted(runners, key=lambda r: (not r.done, r.end if r.done else -r.at(r.end)))


def crossings(runners: Sequence[Runner], steps: int = 2000) -> list[Crossing]:
    """Return where one came to be ahead of another that had been ahead of it, in the order of time."""
    until = max(r.end for r in runners)
    moments = [until * step / (steps - 1) for step in range(steps)]
    found = []
    for place, one in enumerate(runners):
        for other in runners[place + 1 :]:
            last = 0
            for moment in (m for m in moments if m <= min(one.end, other.end)):
                gap = one.at(moment) - other.at(moment)
                sign = 1 if gap > NEAR else -1 if gap < -NEAR else 0
                if sign and last and sign != last:
                    ahead, behind = (one, other) if sign > 0 else (other, one)
                    found.append(Crossing(moment, ahead.name, behind.name, ahead.at(moment)))
                last = sign or last
    return sorted(found, key=lambda c: c.seconds)
