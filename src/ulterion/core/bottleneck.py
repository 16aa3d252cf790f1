"""What held a setup back: named by elimination, from what its elements carried elsewhere.

An element that carried more on another setup is cleared.  So is one without which the rate stayed the same, and a port
whose link could carry far more.  The others are the suspects.  A single suspect is the bottleneck; of several none is named.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

from ulterion.core.links.ceilings import REFUTED, Element
from ulterion.core.links.standards import Link
from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import Estimate, Ratio, ratio
from ulterion.core.stats.samples import Rates

MORE = 1.03  # a rate at least this many times another, and surely higher, is more
ALIKE = 0.03  # rates within this share of one another, and surely no further apart, are the same
CLOSE = 0.015  # likewise, where what was exchanged is not known to do more
BOTH_WAYS = ("USB", "Thunderbolt", "PCIe")  # links that give the same in both directions
BARE = 0.10  # without an interval on both sides it takes this much to be more
SPARE = 0.95  # of the lower end of a link's practical range: a port with a rate below it has room to spare

How = Literal["swap", "link", "own rate", "elimination", "together"]


@dataclass(frozen=True)
class Carried:
    """What a setup carried in one direction.

    Attributes:
        setup: its name; `run` the id of the run.
        chain: its elements, the port first, the medium last.
        rates: of the passes, bytes per second, by run where there are several; `estimate` from them.
        baseline: whether it is the baseline of its medium.
    """

    setup: str
    run: str
    chain: tuple[Element, ...]
    rates: Rates
    estimate: Estimate
    baseline: bool = False

    @property
    def keys(self) -> frozenset[str]:
        """The names of its elements."""
        return frozenset(e.key for e in self.chain)


@dataclass(frozen=True)
class Cleared:
    """An element that is not to blame, and the evidence.

    Attributes:
        key, label: which.
        why: 'carried more' on a setup, or 'in the other direction', 'no difference' without it, or 'room to spare' on its link.
        setup, run: where that was seen; None for the link's own room.
        rate: what it carried there, bytes per second; None likewise.
    """

    key: str
    label: str
    why: Literal["carried more", "carried more in the other direction", "no difference", "room to spare"]
    setup: str | None = None
    run: str | None = None
    rate: float | None = None


@dataclass(frozen=True)
class Suspect:
    """An element that may be what holds the rate back.

    Attributes:
        key, label: which.
        link: its link whose practical range the rate meets, or None.
    """

    key: str
    label: str
    link: Link | None = None


@dataclass(frozen=True)
class Finding:
    """The bottleneck of a setup in one direction, or the suspects.

    Attributes:
        setup, run, rate: whose rate it is, bytes per second.
        suspects: the elements that were not cleared; the bottleneck when there is only one.
        how: the evidence for a single suspect; 'together' when every element carried more elsewhere; None with several suspects.
        other: the setup that shows it, for a swap or the medium's own rate; `other_rate` what that carried.
        cleared: all others.
    """

    setup: str
    run: str
    rate: float
    suspects: tuple[Suspect, ...]
    how: How | None
    other: str | None
    other_rate: float | None
    cleared: tuple[Cleared, ...]

    @property
    def sole_suspect(self) -> Suspect | None:
        """The one that is left, or None."""
        return self.suspects[0] if len(self.suspects) == 1 else None


def find_bottleneck(target: Carried, others: Sequence[Carried], opposite: Sequence[Carried] = ()) -> Finding:
    """Find the bottleneck of `target` from the rates of other setups in the same direction.

    `opposite` holds the rates in the other direction: a link of packets carries the same both ways, so these clear
    an element that is only a link, if other suspects remain.
    """
    others = [o for o in others if o.setup != target.setup]
    cleared = {e.key: c for e in target.chain if (c := _by_carrying(e, target, others)) is not None}
    left = [e for e in target.chain if e.key not in cleared]
    for also in (
        _by_the_other_way(target, left, opposite),
        _by_likeness(target, left, others),
        _by_room(target, left),
    ):
        for one in also:
            if len(left) > 1:
                cleared[one.key] = one
                left = [e for e in left if e.key != one.key]
    how, other = _how(target, left, others)
    return Finding(
        setup=target.setup,
        run=target.run,
        rate=target.estimate.rate,
        suspects=tuple(Suspect(e.key, e.label, met_link(e, target.estimate.rate)) for e in left),
        how=how,
        other=other.setup if other else None,
        other_rate=other.estimate.rate if other else None,
        cleared=tuple(cleared[e.key] for e in target.chain if e.key in cleared and e not in left),
    )


def is_more(one: Carried, other: Carried) -> bool:
    """Return whether one setup surely carried more than another."""
    if one.estimate.rate <= other.estimate.rate:  # most do, and an interval takes its time
        return False
    compared = ratio(one.rates, other.rates)
    if compared.low is None:
        return compared.value > 1 + BARE
    return compared.low > 1.0 and compared.value > MORE


def is_alike(one: Carried, other: Carried, within: float = ALIKE) -> bool:
    """Return whether two setups surely carried the same."""
    if not 1 - within < one.estimate.rate / other.estimate.rate < 1 + within:
        return False
    compared: Ratio = ratio(one.rates, other.rates)
    if compared.low is None or compared.high is None:
        return False
    return 1 - within < compared.low and compared.high < 1 + within


def met_link(element: Element, rate: float) -> Link | None:
    """Return the link of an element whose practical range a rate (bytes per second) meets: the lowest, or None."""
    links = [k for k in (element.seen or element.link, element.inside) if k is not None]
    met = [k for k in links if k.practical_low <= rate <= k.practical_high * REFUTED]
    return min(met, key=lambda k: k.practical_high, default=None)


def _by_carrying(element: Element, target: Carried, others: Sequence[Carried]) -> Cleared | None:
    """Return where an element carried more, the most it did."""
    where = [o for o in others if element.key in o.keys and is_more(o, target)]
    if not where:
        return None
    best = max(where, key=lambda o: o.estimate.rate)
    return Cleared(
        key=element.key,
        label=element.label,
        why="carried more",
        setup=best.setup,
        run=best.run,
        rate=best.estimate.rate,
    )


def _by_the_other_way(target: Carried, left: Sequence[Element], opposite: Sequence[Carried]) -> list[Cleared]:
    """Return the links that carried more in the other direction."""
    links = [e for e in left if e.only_link and (k := e.seen or e.link) is not None and k.name.startswith(BOTH_WAYS)]
    back = [c for e in links if (c := _by_carrying(e, target, opposite)) is not None]
    return [replace(c, why="carried more in the other direction") for c in back]


def _by_likeness(target: Carried, left: Sequence[Element], others: Sequence[Carried]) -> list[Cleared]:
    """Return the elements without which the rate stayed the same, with the same medium: two media may be alike by chance.

    What stood in their place is surely able to more; or it is something else with another link, which would hardly stop at
    that very rate too.
    """
    same: list[Cleared] = []
    for other in others:
        new = [e for e in other.chain if e.key not in target.keys]
        gone = [e for e in left if e.key not in other.keys]
        if other.chain[-1].key != target.chain[-1].key or not is_alike(other, target):
            continue
        if not all(_is_clear(e, other, others) for e in new):
            gone = [
                e
                for e in gone
                if is_alike(other, target, CLOSE) and not _could_stop_alike(e, new, target.estimate.rate)
            ]
        same += [
            Cleared(
                key=e.key,
                label=e.label,
                why="no difference",
                setup=other.setup,
                run=other.run,
                rate=other.estimate.rate,
            )
            for e in gone
        ]
    return same


def _could_stop_alike(element: Element, new: Sequence[Element], rate: float) -> bool:
    """Return whether one of several others has the link of an element whose range a rate meets: that would make them alike."""
    met = met_link(element, rate)
    return met is not None and any(
        met.name in (k.name for k in (e.seen, e.link, e.inside) if k is not None) for e in new
    )


def _by_room(target: Carried, left: Sequence[Element]) -> list[Cleared]:
    """Return what is nothing but a link (the port, the host's controller) that could carry far more."""
    return [
        Cleared(e.key, e.label, "room to spare")
        for e in left
        if e.only_link and (link := e.seen or e.link) is not None and target.estimate.rate < link.practical_low * SPARE
    ]


def _is_clear(element: Element, target: Carried, others: Sequence[Carried]) -> bool:
    """Return whether an element is surely not what holds a setup back."""
    return _by_carrying(element, target, others) is not None or bool(_by_room(target, [element]))


def _how(target: Carried, left: Sequence[Element], others: Sequence[Carried]) -> tuple[How | None, Carried | None]:
    """Return how the one that is left was found, and the setup that shows it."""
    if len(left) != 1:
        return ("together" if not left else None), None
    (one,) = left
    if target.baseline and one == target.chain[-1]:
        return "own rate", None
    swaps = [o for o in others if target.keys - o.keys == {one.key} and is_more(o, target)]
    if swaps:
        return "swap", min(swaps, key=lambda o: (len(o.keys ^ target.keys), -o.estimate.rate))
    if one == target.chain[-1]:
        alone = [o for o in others if o.baseline and one.key in o.keys and is_alike(o, target)]
        if alone:
            return "own rate", alone[0]
    return ("link" if met_link(one, target.estimate.rate) is not None else "elimination"), None
