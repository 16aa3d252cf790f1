"""Two coolers in a quarter of an hour: compared at the same moment of the same load, where neither has settled."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np
from benchmarks.coolers import MARGIN, pair

from tests.support import BENCH, REVIEW, FolderCase
from ulterion.core.soak.same_load import at_the_same_moment

CACHE = """
cache = "400 GB"
after_cache = "300 MB/s"
fold = "300 MB/s"
[parts.drive.heat]
idle = "0.6 W"
awake = "1.5 W"
writing = "3 W"
capacity = "20 J/K"
to_case = "2 K/W"
"""
CASES = """
[parts.box.case]
capacity = "180 J/K"
to_room = "5 K/W"
[parts.fin]
link = "USB 10 Gb/s"
read = "1000 MB/s"
write = "1000 MB/s"
[parts.fin.case]
capacity = "250 J/K"
to_room = "3 K/W"
"""
FIN = """
[parts.fin]
name = "Test Fin"
kind = "enclosure"
[setups.fin]
chain = ["b:usb", "fin", "drive"]
target = "sim:bench.toml"
"""


def bench_of_two() -> str:
    """Return the bench with a drive that has a cache and warms, in two enclosures that cool it unlike."""
    last = 'small_noise = "3%"\n'
    return BENCH.replace("seed = 7", 'seed = 7\nroom = "21 C"').replace(last, last + CACHE, 1) + CASES


class SameLoad(unittest.TestCase):
    def test_the_truth_lies_in_the_interval(self) -> None:
        """Of made-up pairs of coolers: alike loads are compared and hold the truth, others are not compared."""
        rng = np.random.default_rng(3)
        held = alike = 0
        for _ in range(60):
            one, other, rooms, truth, are_alike = pair(rng)
            found = at_the_same_moment(one, other, rooms, MARGIN)
            self.assertEqual(found is not None, are_alike)
            if found is not None:
                alike += 1
                held += found.warmer.low <= truth <= found.warmer.high
        self.assertGreaterEqual(held / alike, 0.9)

    def test_what_is_too_short_or_read_by_nothing_is_refused(self) -> None:
        """Under five minutes, without a common sensor, and without rooms: the last is compared, and says so."""
        rng = np.random.default_rng(8)
        one, other, rooms, _, alike = pair(rng)
        while not alike:
            one, other, rooms, _, alike = pair(rng)
        self.assertIsNone(at_the_same_moment(one.between(0, 200), other, rooms, MARGIN))
        self.assertIsNone(
            at_the_same_moment(replace(one, sensors={"case": one.sensors["drive"]}), other, rooms, MARGIN)
        )
        bare = at_the_same_moment(one, other, (None, 21.0), MARGIN)
        assert bare is not None
        self.assertFalse(bare.above_room)
        self.assertAlmostEqual(bare.warmer.value, bare.first - bare.second)


class TwoCoolers(FolderCase):
    def test_both_fall_by_the_same_cache(self) -> None:
        """A fall that might be heat leaves no settled temperature; the same load tells the coolers apart all the same."""
        bench = bench_of_two()
        self.review(REVIEW + FIN, bench)
        for setup in ("box", "fin"):
            self.ulterion("soak", "--setup", setup, "--for", "15m", "--idle", "40m")
        told = " ".join(self.ulterion("compare", "--soaks", "box", "fin").stdout.split())
        self.assertRegex(
            told,
            r"^After 15m00s of the same load \(5\d\d GB\), Test Fin is \d\.\d °C cooler than Test Box above ambient \(\d\.\d–\d\.\d °C\)\.",
        )
        self.assertRegex(told, r"Test Fin was loaded 4\dm\d\ds after Test Box had written 5\d\d GB to the same drive")
        (difference,) = self.json_of("compare", "--soaks", "box", "fin")["differences"]
        moment = difference["moment"]
        self.assertEqual((difference["rise"], moment["sensor"], moment["above_room"]), (None, "drive", True))
        value, low, high = moment["warmer"]
        self.assertTrue(low < value < high < 0)

    def test_unlike_loads_are_not_compared(self) -> None:
        """The second begins with a cache half full: the temperatures stand in the table, and nothing more is said."""
        bench = bench_of_two()
        self.review(REVIEW + FIN, bench)
        for setup in ("box", "fin"):
            self.ulterion("soak", "--setup", setup, "--for", "10m", "--idle", "0")
        told = " ".join(self.ulterion("compare", "--soaks", "box", "fin").stdout.split())
        self.assertIn("their temperatures cannot be compared", told)
        self.assertRegex(told, r"Test Fin [\d,]+ +300 .*°C")
