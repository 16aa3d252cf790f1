"""A race in words."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.transfers.race import Runner, crossings, order
from ulterion.core.units import show_duration, show_percent


def story(runners: Sequence[Runner]) -> list[str]:
    """Return who was first, how far the others were then, and where one came past another."""
    ranked = order(runners)
    first = ranked[0]
    sentences = [
        f"{first.name} finished in {show_duration(first.end)}"
        if first.done
        else f"none came to its end; {first.name} came furthest"
    ]
    for other in ranked[1:]:
        had = f"{other.name} had {show_percent(other.at(min(first.end, other.end)))} then"
        rest = f" and was over after {show_duration(other.end)}" if other.done else " and did not come to its end"
        sentences.append(had + rest if first.done else f"{other.name} came to {show_percent(other.at(other.end))}")
    for one in crossings(runners)[:MAX_TOLD]:
        sentences.append(
            f"after {show_duration(one.seconds)} {one.ahead} came past {one.behind}, at {show_percent(one.share)}"
        )
    return sentences


MAX_TOLD = 6
