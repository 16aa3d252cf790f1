"""Figures that cannot be the drive's: faster than the link can carry, or read from memory; and passes that sink."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.links.standards import Link
from ulterion.core.units import show_block, show_rate
from ulterion.core.workloads.workload import DriveWorkload, Workload

SUNK = 0.85  # of the first pass: a last one below it was held back by something that the first was not
BUFFERED = "part of it was still in a cache, or the size or the time is wrong"
ROUNDING = 1.02  # a rate above this share of what the link carries is impossible, not rounding


def impossible(
    workload: Workload, rate: float, link: Link | None, *, cache_bypassed: bool, memory_bytes: int | None
) -> str | None:
    """Return why a rate (bytes per second) cannot be the drive's, in words, or None when nothing speaks against it.

    `link` is the link that was seen, `memory_bytes` the host's memory.
    """
    too_fast = above_link(rate, link)
    if too_fast is not None:
        return f"{too_fast}: a cache answered, or the link is not what it seems"
    span = workload.covered(0)
    reads = isinstance(workload, DriveWorkload) and workload.direction != "write"
    if reads and not cache_bypassed and span < (memory_bytes or 0):
        return f"the system's cache was not bypassed and {show_block(span)} fits into memory"
    return None


def above_link(rate: float, link: Link | None) -> str | None:
    """Return that a rate (bytes per second) is more than its link can carry, in words, or None where it is not."""
    if link is None or rate <= link.payload * ROUNDING:
        return None
    return f"{show_rate(rate)} is more than {link.name} can carry ({show_rate(link.payload)})"


def sinking(rates: Sequence[float]) -> bool:
    """Return whether the passes of a workload sank: the last two both well below the first two, both of them."""
    if len(rates) < 4:
        return False
    return max(rates[-2:]) < SUNK * min(rates[:2])
