"""Two coolers in a quarter of an hour: compared at the same moment of the same load, where neither has settled."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np
from benchmarks.coolers import MARGIN, pair

from tests.support import BENCH, REVIEW, FolderCase
from ulterion import api
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


class ByHand(FolderCase):
    def test_readings_stand_beside_each_other(self) -> None:
        """Idle, a moment, the end and no moment at all: on the setup's newest soak, above the room, with the difference and what it may be off by."""
        self.review(REVIEW + FIN, bench_of_two())
        for setup in ("box", "fin"):
            self.ulterion("soak", "--setup", setup, "--for", "6m", "--idle", "1m")
        for setup, words in (
            ("box", "case 25 C idle"), ("box", "case 44 C at 2m10s"), ("box", "case 47 C at end"), ("box", "skin 40 C"),
            ("fin", "case 24 C idle"), ("fin", "case 36.5 C at 2m"), ("fin", "case 47.5 C end"),
        ):  # fmt: skip
            self.assertIn(f"of {setup}", self.ulterion("note", "--setup", setup, words).stdout)
        rows = {(r["what"], r["moment"]): r for r in self.json_of("compare", "--soaks", "box", "fin")["readings"]}
        self.assertEqual(list(rows), [("case", "idle"), ("case", "2m10s"), ("case", "end"), ("skin", "")])
        self.assertEqual(rows["case", "2m10s"]["celsius"], [44.0, 36.5])
        self.assertEqual(rows["case", "2m10s"]["above_room"], [23.0, 15.5])
        self.assertEqual([r["less"][1] for r in rows.values()], [-1.0, -7.5, 0.5, None])
        told = " ".join(self.ulterion("compare", "--soaks", "box", "fin").stdout.split())
        self.assertIn("case end 47.0 °C 26.0 °C 47.5 °C 26.5 °C +0.5 ±2.8", told)
        self.assertIn("a reading may be off by 2 °C", told)
        self.write("review.toml", REVIEW + FIN + "[review]\nthermometers = { case = '0.5 C' }\n")
        told = " ".join(self.ulterion("compare", "--soaks", "box", "fin").stdout.split())
        self.assertIn("case end 47.0 °C 26.0 °C 47.5 °C 26.5 °C +0.5 ±0.7", told)
        self.assertIn("case end 47.5 °C 26.5 °C", " ".join(self.ulterion("compare", "--soaks", "fin").stdout.split()))
        table = api.Review(self.opened()).readings()
        self.assertEqual(list(table[table["setup"] == "box"]["value"]), [25.0, 44.0, 47.0, 40.0])
        self.assertEqual(set(table["above_room_K"].round(1)), {4.0, 23.0, 26.0, 19.0, 3.0, 15.5, 26.5})

    def test_what_has_no_end_is_refused(self) -> None:
        """A measurement has no load that ends; a setup that was never soaked takes readings without a moment only."""
        self.review(REVIEW + FIN, bench_of_two())
        self.ulterion("measure", "--setup", "box", "--suite", "brief", "--passes", "1", "--seconds", "0.1")
        self.refused("note", "case 40 C at end", says="has no load that ends")
        self.refused("note", "--setup", "fin", "case 40 C at 5m", says="no time")
        self.assertIn("setup fin", self.ulterion("note", "--setup", "fin", "case 40 C").stdout)
