"""A race in words."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.transfers.race import Runner, crossings, order
from ulterion.core.units import show_duration, show_percent


def story(runners: Sequence[Runner]) -> list[str]:
    """Return who was first, how far the others were by then, and where one overtook another."""
    ranked = order(runners)
    first = ranked[0]
    sentences = [
        f"{first.name} finished in {show_duration(first.end)}"
        if first.done
        else f"none finished; {first.name} came furthest"
    ]
    for other in ranked[1:]:
        had = f"{other.name} was at {show_percent(other.at(min(first.end, other.end)))} by then"
        rest = f" and finished in {show_duration(other.end)}" if other.done else " and did not finish"
        sentences.append(had + rest if first.done else f"{other.name} reached {show_percent(other.at(other.end))}")
    for one in crossings(runners)[:MAX_TOLD]:
        sentences.append(
            f"after {show_duration(one.seconds)}, at {show_percent(one.share)}, {one.ahead} overtook {one.behind}"
        )
    return sentences


def drawing(seconds: float, share: float) -> str:
    """Return how far the drawing of a film of so many seconds is."""
    return f"drawing a film of {seconds:.0f} s, {show_percent(share)}"


MAX_TOLD = 6
