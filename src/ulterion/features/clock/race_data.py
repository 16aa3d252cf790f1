"""A race as plain data for JSON: seconds, shares of the whole."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NotRequired

from typing_extensions import TypedDict

from ulterion.core.transfers.race import Runner, crossings, order


class Racer(TypedDict):
    """One transfer: when it was over (or last looked at), and its share when the first was over."""

    name: str
    seconds: float
    done: bool
    share_then: float


class Passing(TypedDict):
    """A moment at which one came past another."""

    seconds: float
    ahead: str
    behind: str
    share: float


class Race(TypedDict):
    """`ulterion race`."""

    amount: float
    racers: list[Racer]
    crossings: list[Passing]
    story: list[str]
    figures: NotRequired[list[str]]
    figure_error: NotRequired[str]


def race_as_data(runners: Sequence[Runner], story: list[str]) -> Race:
    """Return a race as plain data, the first to end first."""
    ranked = order(runners)
    first = ranked[0].end
    return {
        "amount": ranked[0].total,
        "racers": [
            {"name": r.name, "seconds": r.end, "done": r.done, "share_then": r.at(min(first, r.end))} for r in ranked
        ],
        "crossings": [
            {"seconds": c.seconds, "ahead": c.ahead, "behind": c.behind, "share": c.share} for c in crossings(runners)
        ],
        "story": story,
    }
