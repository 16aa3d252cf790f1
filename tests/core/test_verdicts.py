"""Verdicts on comparisons and claims, ceilings and bottlenecks."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from ulterion.core.links.ceilings import Ceiling, Element, ceilings_of
from ulterion.core.links.standards import find_link
from ulterion.core.stats.estimates import Estimate
from ulterion.core.stats.verdicts import compare, compare_family, judge_claim

RATES = st.lists(st.floats(90.0, 110.0), min_size=1, max_size=8)
SWAPPED = {"faster": "slower", "slower": "faster", "same": "same", "undecided": "undecided",
           "a little faster": "a little slower", "a little slower": "a little faster"}  # fmt: skip


def around(centre: float, spread: float, n: int = 5) -> list[float]:
    """Return n rates around a centre with about that relative spread, in no order that looks like a drift."""
    steps = [i - (n - 1) / 2 for i in range(n)]
    return [centre * (1 + spread * step) for step in sorted(steps, key=lambda s: (abs(s) % 2, s))]


class Compare(unittest.TestCase):
    @given(RATES, RATES)
    def test_swapping_the_sides_swaps_the_verdict(self, a: list[float], b: list[float]) -> None:
        """`faster` turns into `slower` and nothing else changes."""
        self.assertEqual(compare(a, b).verdict, SWAPPED[compare(b, a).verdict])

    @given(RATES, RATES, st.floats(0.001, 0.2))
    def test_follows_its_definition(self, a: list[float], b: list[float], margin: float) -> None:
        """The verdict is what the interval says, by the words of the definition."""
        found = compare(a, b, margin)
        low, high = found.ratio.low, found.ratio.high
        if low is None or high is None:
            self.assertEqual(found.verdict, "undecided")
            self.assertIn("at least 3 passes", found.why or "")
            return
        inside = low > 1 / (1 + margin) and high < 1 + margin
        self.assertEqual(found.verdict == "same", inside)
        ratio, half = found.ratio.value, math.sqrt(1 + margin)
        self.assertEqual(found.verdict == "slower", not inside and ratio <= 1 / (1 + margin) and high <= 1 / half)
        self.assertEqual(found.verdict == "faster", not inside and ratio >= 1 + margin and low >= half)
        self.assertEqual(found.verdict == "a little slower", not inside and high < 1 and ratio > 1 / (1 + margin))
        self.assertEqual(found.verdict == "a little faster", not inside and low > 1 and ratio < 1 + margin)

    def test_plain_cases(self) -> None:
        """A clear loss, no loss, and too much noise, each called so."""
        self.assertEqual(compare(around(94, 0.003), around(100, 0.003)).verdict, "slower")
        self.assertEqual(compare(around(100.2, 0.002), around(100, 0.002)).verdict, "same")
        noisy = compare(around(97, 0.03), around(100, 0.03))
        self.assertEqual(noisy.verdict, "undecided")
        self.assertIn("probably settled by", noisy.why or "")

    def test_noise_makes_no_accusation_and_hides_no_loss(self) -> None:
        """A true 2% is `slower` in at most 10% at any noise up to 3%; a true 6% at 2% noise is found in 80%, of 300 each."""
        rng = np.random.default_rng(8)

        def called(ratio: float, noise: float, passes: int) -> float:
            sides = [np.exp(rng.normal(math.log(c), noise, (300, passes))) for c in (100 * ratio, 100)]
            return sum(compare(list(a), list(b)).verdict == "slower" for a, b in zip(*sides, strict=True)) / 300

        for noise in (0.003, 0.007, 0.011, 0.015, 0.02, 0.03):
            for passes in (3, 5, 10):
                self.assertLessEqual(called(0.98, noise, passes), 0.10, (noise, passes))
        self.assertGreaterEqual(called(0.94, 0.02, 5), 0.80)
        self.assertGreaterEqual(called(0.94, 0.005, 5), 0.99)
        real = compare(around(98, 0.001), around(100, 0.001), 0.015)
        self.assertEqual(real.verdict, "slower")
        self.assertEqual(compare(around(98, 0.006), around(100, 0.006)).verdict, "a little slower")

    def test_the_promised_passes_do_decide(self) -> None:
        """With as many more passes of the same spread and ratio, the verdict falls."""
        base, spread, tried = 5, 0.02, 0
        for ratio in (0.93, 0.95, 1.0, 1.01, 1.08):
            found = compare(around(100 * ratio, spread, base), around(100, spread, base))
            if found.verdict == "undecided" and found.more:
                n, tried = base + found.more, tried + 1
                # spread out so that the standard deviation stays that of five passes
                wide = spread * math.sqrt((base * (base + 1)) / (n * (n + 1)))
                again = compare(around(100 * ratio, wide, n), around(100, wide, n))
                self.assertNotEqual(again.verdict, "undecided", ratio)
        self.assertGreaterEqual(tried, 2)

    def test_many_at_once_are_held_to_more(self) -> None:
        """A difference that passes alone can fail among many: Holm's correction."""
        pair = (around(95.5, 0.012), around(100, 0.012))
        self.assertEqual(compare(*pair).verdict, "slower")
        others = [(around(100, 0.03), around(100, 0.03))] * 30
        self.assertEqual(compare_family([pair, *others])[0].verdict, "undecided")


def measured(low: float, high: float) -> Estimate:
    return Estimate(5, math.sqrt(low * high), low, high, 0.01)


class Claim(unittest.TestCase):
    def test_every_verdict(self) -> None:
        """Met, missed, undecided and not testable, by interval, tolerance and the ceilings elsewhere."""
        low_port = Ceiling("port", "link", "the port, 465 MB/s", 350, 465, "x")
        cases = [
            (1000, measured(985, 1010), [], "met"), (1000, measured(900, 979), [], "missed"),
            (1000, measured(970, 990), [], "undecided"), (1000, measured(400, 410), [low_port], "not testable"),
            (1000, measured(985, 1010), [low_port], "met"),  # what is measured is possible, whatever the label says
            (470, measured(400, 410), [low_port], "missed"),  # 460.6 is enough, and the port can do that
        ]  # fmt: skip
        for claimed, found, elsewhere, verdict in cases:
            with self.subTest(f"{claimed} {found.low}"):
                judged = judge_claim(claimed, found, elsewhere)
                self.assertEqual(judged.verdict, verdict)
        self.assertIn("465", judge_claim(1000, measured(400, 410), [low_port]).why or "")

    def test_one_pass_decides_nothing(self) -> None:
        """Without an interval a claim is undecided, with the reason."""
        judged = judge_claim(1000, Estimate(1, 400, None, None, None, "1 pass: too few"))
        self.assertEqual((judged.verdict, judged.why), ("undecided", "1 pass: too few"))


class Ceilings(unittest.TestCase):
    def setUp(self) -> None:
        self.chain = [
            Element("port", "the port", link=find_link("USB 10 Gb/s")),
            Element("box", "the box", link=find_link("USB 10 Gb/s"), inside=find_link("PCIe 3.0 x2"),
                    seen=find_link("USB 5 Gb/s"), claimed={"read": 1e9}),
            Element("drive", "the drive", link=find_link("PCIe 4.0 x4"), claimed={"read": 5e9}, baseline={"read": 4.9e9}),
        ]  # fmt: skip

    def test_the_lowest_comes_first_and_says_what_was_seen(self) -> None:
        """A link seen below its label is the ceiling, with both in words."""
        first = ceilings_of(self.chain, "read")[0]
        self.assertEqual((first.owner, first.high), ("box", 465e6))
        self.assertIn("linked at USB 5 Gb/s, sold as USB 10 Gb/s", first.text)

    def test_measured_directly_beats_claimed(self) -> None:
        """A medium's ceiling is what was measured of it, where that is known."""
        texts = [c.text for c in ceilings_of(self.chain, "read") if c.owner == "drive"]
        self.assertIn("what the drive does directly, 4,900 MB/s", texts)
        self.assertFalse(any("claims" in t for t in texts))
