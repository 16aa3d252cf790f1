"""Who is to blame: by what elements carried elsewhere, and never one that is cleared."""

from __future__ import annotations

import random
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from ulterion.core.bottleneck import Carried, find_bottleneck
from ulterion.core.links.ceilings import Element
from ulterion.core.links.standards import find_link
from ulterion.core.stats.estimates import estimate

FIVE, TEN, FORTY = (find_link(n) for n in ("USB 5 Gb/s", "USB 10 Gb/s", "USB4 40 Gb/s"))
SLOT = Element("slot", "slot", find_link("PCIe 4.0 x4"), only_link=True)
PORT = Element("port", "port", FIVE, only_link=True)
HUB, BOX, OTHER, DRIVE = (Element(k, k.title()) for k in ("hub", "box", "other", "drive"))


def carried(
    name: str, rate: float, *chain: Element, baseline: bool = False, noise: float = 0.004, seed: int = 1
) -> Carried:
    """Return what a setup carried in five passes, MB/s."""
    rng = random.Random(f"{seed}{name}")
    rates = tuple(rate * 1e6 * rng.gauss(1, noise) for _ in range(5))
    return Carried(name, name, chain, rates, estimate(rates), baseline)


def found(*all_of_them: Carried, opposite: tuple[Carried, ...] = ()) -> tuple[list[str], str | None]:
    """Return the suspects for the first of several setups, and how one was found."""
    finding = find_bottleneck(all_of_them[0], all_of_them[1:], opposite)
    return [s.key for s in finding.suspects], finding.how


class Cases(unittest.TestCase):
    def test_the_hub_and_not_the_port(self) -> None:
        """400 through the hub, 465 through the same port without it: the hub, though the port's link is near both."""
        without = carried("without", 465, PORT, BOX, DRIVE)
        baseline = carried("direct", 3000, SLOT, DRIVE, baseline=True)
        self.assertEqual(found(carried("hub", 400, PORT, HUB, BOX, DRIVE), without, baseline), (["hub"], "swap"))

    def test_the_chip_and_not_the_link_that_gave_more_the_other_way(self) -> None:
        """3190 written where 3786 were read: the port is cleared, the enclosure is left; a card slot is not cleared so."""
        fast = Element("fast", "fast", FORTY, only_link=True)
        writing = carried("draught", 3190, fast, BOX, DRIVE)
        baseline = carried("direct", 4150, SLOT, DRIVE, baseline=True)
        reading = carried("draught", 3786, fast, BOX, DRIVE)
        self.assertEqual(found(writing, baseline), (["fast", "box"], None))
        self.assertEqual(found(writing, baseline, opposite=(reading,)), (["box"], "elimination"))
        card = Element("card", "card", find_link("SD UHS-I"), only_link=True)
        self.assertEqual(
            found(carried("s", 78, card, DRIVE), opposite=(carried("s", 91, card, DRIVE),))[0], ["card", "drive"]
        )

    def test_a_drive_at_its_own_rate(self) -> None:
        """As fast behind the box as in a slot with room to spare: the drive itself."""
        baseline = carried("direct", 400, SLOT, DRIVE, baseline=True)
        self.assertEqual(found(carried("box", 401, PORT, BOX, DRIVE), baseline), (["drive"], "own rate"))
        self.assertEqual(found(baseline), (["drive"], "own rate"))

    def test_one_port_for_two_boxes(self) -> None:
        """Two enclosures that stop at the same rate of a port's link: the link; at another rate, no one is accused."""
        baseline = carried("direct", 3000, SLOT, DRIVE, baseline=True)
        one, two = carried("one", 440, PORT, BOX, DRIVE), carried("two", 441, PORT, OTHER, DRIVE)
        self.assertEqual(found(one, two, baseline), (["port"], "link"))
        self.assertEqual(found(one, carried("two", 300, PORT, OTHER, DRIVE), baseline), (["port", "box"], None))

    def test_another_medium_at_the_same_rate_clears_nothing(self) -> None:
        """Even where that medium and its slot have carried more elsewhere: two media may be alike by chance."""
        usb, second = Element("usb", "usb", FORTY, only_link=True), Element("second", "Second")
        bare = carried("bare", 2985, SLOT, second)
        fast = carried("fast", 6000, SLOT, second, baseline=True)
        self.assertIn("box", found(carried("box", 2980, usb, BOX, DRIVE), bare, fast)[0])

    def test_what_is_removed_without_a_change_is_cleared(self) -> None:
        """The same rate without the hub; and where everything carried more elsewhere, no part is blamed."""
        with_hub, without = carried("hub", 300, PORT, HUB, BOX, DRIVE), carried("without", 301, PORT, BOX, DRIVE)
        self.assertNotIn("hub", found(with_hub, without)[0])
        elsewhere = [carried("a", 400, PORT, OTHER, DRIVE), carried("b", 900, SLOT, BOX, DRIVE)]
        self.assertEqual(found(carried("pair", 41, PORT, BOX, DRIVE), *elsewhere), ([], "together"))

    def test_one_or_two_passes_clear_only_what_is_far_ahead(self) -> None:
        """Without an interval a tenth more is needed."""

        def bare(name: str, rate: float, *chain: Element) -> Carried:
            return Carried(name, name, chain, (rate * 1e6,), estimate([rate * 1e6]))

        self.assertEqual(found(bare("x", 400, PORT, BOX), bare("y", 430, PORT, OTHER))[0], ["port", "box"])
        self.assertEqual(found(bare("x", 400, PORT, BOX), bare("y", 465, PORT, OTHER))[0], ["box"])


@st.composite
def reviews(draw: st.DrawFn) -> tuple[dict[str, float], list[list[str]]]:
    """Return elements with limits at least a tenth apart, and chains of them."""
    names = list("abcdefg")
    steps = draw(st.permutations(range(len(names))))
    limits = {name: 100.0 * 1.12**step for name, step in zip(names, steps, strict=True)}
    chains = draw(
        st.lists(st.lists(st.sampled_from(names), min_size=2, max_size=5, unique=True), min_size=1, max_size=6)
    )
    return limits, chains


class Properties(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(reviews(), st.integers(0, 2**31))
    def test_the_true_limit_is_never_cleared(self, review: tuple[dict[str, float], list[list[str]]], seed: int) -> None:
        """Limits a tenth apart, noise of half a per cent: the lowest of a chain is always left, and nothing faster that is known."""
        limits, chains = review
        every = [
            carried(str(n), min(limits[k] for k in chain), *(Element(k, k) for k in chain), seed=seed)
            for n, chain in enumerate(chains)
        ]
        for target, chain in zip(every, chains, strict=True):
            finding = find_bottleneck(target, every)
            left = [s.key for s in finding.suspects]
            self.assertIn(min(chain, key=limits.__getitem__), left)
            more = {k for o in every if o.estimate.rate > 1.06 * target.estimate.rate for k in o.keys}
            self.assertFalse(more & set(left), (chains, limits))
            self.assertEqual(set(left) | {c.key for c in finding.cleared}, set(chain))
