"""`ulterion estimate`: work by hand-worked examples and on the demo, recordings, money, units; what is not known is said."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

from hypothesis import assume, given, settings
from hypothesis import strategies as st

from tests.support import BENCH, PEAK_READ, REVIEW, FolderCase, simulate
from ulterion.core.errors import UsageError
from ulterion.core.estimates.conversions import converted
from ulterion.core.estimates.power import Cable, Load, budget, most_of
from ulterion.core.estimates.transfer_time import OWN, End, Piece, parts_of, recording, work
from ulterion.core.workloads.workload import parse_workload
from ulterion.features.page.inputs import ReportInputs
from ulterion.model.runs.soak import SoakRun
from ulterion.results.standing_soaks import standing_soak

CACHED = End(
    "pod",
    1e9,
    0.01,
    (Piece(84e9, 1e9, OWN), Piece(36e9, 0.5e9, "its write cache is used up")),
    Piece(math.inf, 0.4e9, "heat"),
    120e9,
)
READER = End("card", 250e6, 0.01, long=math.inf)


class Examples(unittest.TestCase):
    def test_by_hand(self) -> None:
        """84 GB at 1000 MB/s, 36 GB at 500, the last 80 of 200 GB at 400: 84 + 72 + 200 s; what is beyond the long run is told."""
        told = work(200e9, [CACHED])
        self.assertAlmostEqual(told.seconds, 84 + 72 + 200)
        self.assertEqual([(p.bytes, p.seconds) for p in told.parts], [(84e9, 84), (36e9, 72), (80e9, 200)])
        self.assertEqual((told.beyond, told.decides.why), (80e9, "heat"))
        self.assertTrue(told.low < told.seconds < told.high)
        self.assertEqual(work(100e9, [CACHED]).beyond, 0)

    def test_the_slower_end_sets_the_pace(self) -> None:
        """A card of 250 MB/s into it takes what the card takes; ten files of 2 s each and the reading back come on top."""
        told = work(100e9, [READER, CACHED], files=10, per_file=2.0, check=End("pod", 1e9, 0.01))
        self.assertAlmostEqual(told.seconds, 400 + 20 + 100)
        self.assertEqual(work(1e9, [READER, End("new", 1e9, 0.01)]).beyond, 1e9)  # of the one end nothing long is known
        self.assertEqual(
            (told.files_seconds, told.check_seconds, [(p.end, p.why) for p in told.parts]),
            (20, 100, [("card", "its own rate")]),
        )

    @given(
        st.lists(st.tuples(st.floats(1e9, 1e11), st.floats(1e7, 3e9)), max_size=6), st.floats(1e7, 3e9), st.floats(1e7, 3e9), st.floats(1e8, 1e12)
    )  # fmt: skip
    @settings(max_examples=80, deadline=None)
    def test_never_quicker_than_either_end_alone(
        self, pieces: list[tuple[float, float]], last: float, other: float, size: float
    ) -> None:
        """All bytes are accounted for, each at a rate that both ends give."""
        end = End(
            "a", last, 0.0, tuple(Piece(b, r, str(i)) for i, (b, r) in enumerate(pieces)), Piece(math.inf, last, "last")
        )
        parts = parts_of(size, [end, End("b", other, 0.0)])
        self.assertAlmostEqual(sum(p.bytes for p in parts) / size, 1, places=6)
        alone = sum(p.seconds for p in parts_of(size, [end]))
        self.assertGreaterEqual(sum(p.seconds for p in parts) * (1 + 1e-9), max(alone, size / other))

    def test_a_recording(self) -> None:
        """Taken while its lowest is above the stream; else until the buffer is full, which catches up while it can."""
        self.assertTrue(recording(300e6, CACHED, 400e6).keeps)
        stops = recording(600e6, CACHED, 400e6, buffer=1e9)
        self.assertFalse(stops.keeps)
        self.assertAlmostEqual(
            stops.until or 0, 84 / 0.6 + 1e9 / 100e6
        )  # at the stream's pace to the end of the cache, then 100 MB/s too few
        dips = End(
            "card",
            90e6,
            0.0,
            (Piece(900e6, 90e6, OWN), Piece(200e6, 20e6, "a dip"), Piece(9e9, 90e6, OWN)),
            Piece(math.inf, 90e6, OWN),
        )
        self.assertFalse(recording(50e6, dips, 20e6, buffer=100e6).keeps)
        self.assertTrue(recording(50e6, dips, 20e6, buffer=400e6).keeps)

    def test_power(self) -> None:
        """Two drives of 0.9 A on a 2 A supply: 0.2 A left, a third will not start; a peak counts with those at work beside it."""
        drive = Load("drive", 4.5, 4.5, "its label")
        two, three = budget(10.0, [drive] * 2), budget(10.0, [drive] * 3)
        self.assertAlmostEqual(two.left / 5, 0.2)
        self.assertEqual((two.starts, three.starts), (2, 2))
        self.assertAlmostEqual(three.left, -3.5)
        spinning = Load("disk", 3.0, 6.0, "its label")
        found = budget(10.0, [spinning, spinning])
        self.assertEqual((found.left, found.left_one_by_one, found.left_at_peaks, found.starts), (4.0, 1.0, -2.0, 2))

    @given(
        st.floats(1, 200),
        st.lists(st.tuples(st.floats(0.1, 20), st.floats(0, 30)), max_size=3),
        st.floats(0.1, 20),
        st.floats(0, 30),
    )
    def test_as_many_as_a_supply_runs(
        self, gives: float, others: list[tuple[float, float]], draws: float, more: float
    ) -> None:
        """So many start beside the others and one more does not, counted one at a time."""
        beside, load = (
            [Load("other", w, w + m, "its label") for w, m in others],
            Load("disk", draws, draws + more, "its label"),
        )
        most = most_of(gives, beside, load)
        for count in (most.one_by_one, most.one_by_one + 1):
            spare = (
                min(gives - sum(b.draws for b in beside) - draws * n - (draws + more) for n in range(count))
                if count
                else 0.0
            )
            assume(abs(spare) > 1e-6 or not count)
            self.assertEqual(spare >= 0, count <= most.one_by_one)
        self.assertLessEqual(most.at_once, most.one_by_one)

    @given(st.floats(0.05, 5), st.integers(18, 32), st.floats(0.1, 30), st.sampled_from([5.0, 12.0]))
    def test_power_through_a_cable(self, metres: float, gauge: int, watts: float, volts: float) -> None:
        """What is lost and what arrives are what the supply gives; more than V^2 / 4 R cannot come through."""
        cable = Cable.of(metres, gauge, volts)
        far, lost = cable.far_volts(watts), cable.lost(watts)
        self.assertEqual(far is None, watts > cable.most)
        if far is not None and lost is not None:
            amperes = watts / far
            self.assertAlmostEqual(far + amperes * cable.ohms, volts, delta=1e-6 * volts)
            self.assertAlmostEqual(lost, amperes**2 * cable.ohms, delta=1e-6 * watts)
            self.assertAlmostEqual(cable.passes(volts * amperes), watts, delta=1e-6 * watts)

    def test_a_long_thin_cable(self) -> None:
        """2 m of 28 AWG: 0.321 mm, 2 x 2 m x 1.724e-8 / 8.10e-8 m2 = 0.851 ohm.  4.5 W at its end take 1.11 A and leave 4.05 V there; 3 m pass 4.9 W."""
        self.assertAlmostEqual(Cable.of(2.0, 28).ohms, 0.851, delta=0.002)
        self.assertAlmostEqual(
            Cable.of(2.0, 22).ohms / Cable.of(2.0, 28).ohms, 0.249, delta=0.003
        )  # six numbers: a quarter
        self.assertAlmostEqual(Cable.of(2.0, 28).far_volts(4.5) or 0, 4.05, delta=0.01)
        self.assertAlmostEqual(Cable.of(3.0, 28).most, 4.9, delta=0.05)
        self.assertIsNone(Cable.of(3.0, 28).far_volts(8.6))

    def test_units(self) -> None:
        """10 Gb/s is 1250 MB/s and 4.5 TB an hour; 128 GB are 119 GiB; more than any link is not a share of it."""
        rate = converted("10 Gb/s")
        self.assertEqual((rate.kind, rate.quantities["a second"]), ("rate", "1,250 MB/s, 1,192 MiB/s, 10.0 Gb/s"))
        self.assertIn("4.50 TB", rate.quantities["an hour"])
        self.assertEqual(rate.links["Ethernet 10 Gb/s"].split(" ")[0], "101%")
        size = converted("128 GB")
        self.assertEqual((size.kind, size.quantities["both ways"], size.links), ("size", "128 GB (119 GiB)", {}))
        seconds = converted("1m12s")
        self.assertEqual(
            (seconds.kind, seconds.quantities["seconds"], seconds.quantities["at 100 MB/s"]),
            ("time", "72.0", "7.20 GB (6.71 GiB)"),
        )
        with self.assertRaisesRegex(UsageError, "a size like '128 GB'"):
            converted("many")


class OnTheDemo(FolderCase):
    def test_what_the_demos_figures_mean(self) -> None:
        """Times of every setup with what decides them, a recording, money, a figure; from the runs that are named."""
        folder = self.demo()
        rows = {
            r["setup"]: r for r in self.json_of("estimate", "write", "200 GB", "--figure", "w.png", cwd=folder)["works"]
        }
        slow = rows["slip"]
        self.assertTrue(slow["low"] < slow["seconds"] < slow["high"])
        self.assertGreater(slow["seconds"], 1.2 * slow["naive"])
        self.assertTrue(any("throttled" in p["why"] for p in slow["parts"]))
        self.assertEqual((rows["pod"]["beyond"], rows["vault"]["beyond"]), (0, 200e9))
        # what the soak of another setup found of the drive's cache goes with the drive
        self.assertAlmostEqual(rows["direct"]["seconds"], 84e9 / 4.15e9 + 116e9 / 1.28e9, delta=6)
        self.assertIn("soak of draught", rows["direct"]["parts"][1]["why"])
        self.assertAlmostEqual(rows["pod"]["seconds"], 200e9 / 1.004e9, delta=12)
        self.assertTrue((folder / "w.png").exists())
        filled = self.json_of("estimate", "write", cwd=folder)
        by = {w["setup"]: w for w in filled["works"]}
        self.assertEqual((filled["size"], "lan" in by), (None, False))
        self.assertAlmostEqual(sum(p["bytes"] for p in by["crumble"]["parts"]), 16e9, delta=1e8)  # as much as is real
        self.assertAlmostEqual(by["pod"]["seconds"], 1e12 / 1.006e9, delta=60)
        shown = self.ulterion("estimate", "read", "128 GB", cwd=folder).stdout
        self.assertLess(shown.index("desk:m2"), shown.index("long cable"))
        copy = self.json_of("estimate", "copy", "120 GB", "--from", "slot", "--to", "pod", "--check", cwd=folder)[
            "works"
        ][0]
        self.assertAlmostEqual(copy["seconds"], 120e9 / 91e6 + 120e9 / 1.043e9, delta=60)
        for moved in (*rows.values(), *by.values()):  # nothing is quicker than the highest rate
            self.assertTrue(moved["seconds"] is None or moved["naive"] <= moved["seconds"] * (1 + 1e-9))
        takes = {h["setup"]: h for h in self.json_of("estimate", "record", "400 Mb/s", cwd=folder)["setups"]}
        self.assertEqual([takes[s]["keeps"] for s in ("pod", "crumble", "vault")], [True, False, None])
        self.assertEqual([takes[s]["below"] for s in ("vault", "vault-long", "pod")], [False, True, False])
        money = self.json_of("estimate", "value", "100 GB", "--least", "800 MB/s", cwd=folder)
        self.assertEqual(money["cheapest"], ["pod"])
        pod = next(v for v in money["values"] if v["part"] == "pod")
        self.assertAlmostEqual(pod["per_rate"], 34 / 1043, delta=0.001)
        for lines in (
            ("value", "100 GB"),
            ("units", "4 GB"),
            ("record", "90 MB/s"),
            ("copy", str(folder), "--from", "duo", "--to", "direct"),
        ):
            self.assertEqual(self.ulterion("estimate", *lines, cwd=folder).returncode, 0)

    def test_a_short_soak_does_not_replace_a_long_one(self) -> None:
        """What half an hour showed stands behind two minutes of the same load; once the driver differs, the newest alone counts."""
        folder = self.demo(only=("slip",))
        before, claimed = (self.json_of(*words, cwd=folder) for words in (("estimate", "write", "1 TB"), ("claims",)))
        shown = self.ulterion(
            "soak", "--setup", "slip", "--for", "2", "m", cwd=folder
        ).stdout  # a quantity of two words
        self.assertRegex(shown, r"still rest on soak \w+, which lasted 30\s+minutes")
        self.assertEqual(len(list(folder.glob("runs/*soak-slip*"))), 2)
        self.assertEqual(self.json_of("estimate", "write", "1", "TB", cwd=folder), before)
        self.assertEqual(self.json_of("claims", cwd=folder), claimed)
        long, short = (run for run in self.opened(folder).runs() if isinstance(run, SoakRun))
        self.assertEqual([standing_soak(each) for each in ([], [short], [short, long])], [None, short, long])
        other = short.changed(target=replace(short.target, driver="uas"))
        self.assertEqual(standing_soak([long, other]), other)
        self.assertEqual(standing_soak([long, long.changed(started=short.started)]).started, short.started)
        self.ulterion(
            "soak", "--setup", "slip", "--for", "2 m", "--load", "sequential write 256 KiB depth 1", cwd=folder
        )
        (shown,) = ReportInputs(self.opened(folder)).soaks  # nor does one with another load, on the page
        self.assertEqual(shown.run.id, long.id)
        self.refused("estimate", "write", "1", "XB", cwd=folder, says="takes no 'XB' here")

    def test_what_hangs_on_a_port(self) -> None:
        """By the port's standard, a label, a reading of a meter; what nothing is known of is refused by name."""
        store = self.review(
            REVIEW.replace(
                'kind = "enclosure"', 'kind = "enclosure"\npower = { draws = "3 W", peak = "5 W", supplies = "12 W" }'
            )
        )
        box = self.json_of("estimate", "power", "b:usb", "--part", "box", "--cable", "1 m 24 AWG")
        self.assertEqual((box["gives"], box["loads"][0]["source"], box["starts"]), (4.5, "its label", 0))
        self.assertIn("does not start", self.ulterion("estimate", "power", "b:usb", "--part", "box").stdout)
        run = simulate(store, "box", [PEAK_READ], passes=1).run
        self.ulterion("note", "--run", run.id, "power 4.1 W")
        hub = self.json_of("estimate", "power", "box", "--part", "drive", "--part", "box")
        self.assertEqual([(p["draws"], p["source"]) for p in hub["loads"]], [(4.1, "a meter")] * 2)
        self.assertAlmostEqual(hub["left"], 12 - 3 - 8.2)
        many = self.json_of("estimate", "power", "box", "--part", "drive*")
        self.assertEqual((many["most"], len(many["loads"])), ({"name": "Test Drive", "one_by_one": 2, "at_once": 2}, 2))
        for arguments, says in ((("b:usb",), "name the parts connected to it"), (("nothing", "--part", "box"), "unknown port or part"), (("drive", "--part", "box"), "what Test Drive supplies"),
                                (("b:fast", "--part", "box"), "a port of PCIe"), (("b:usb", "--part", "box", "--cable", "long"), "is not a cable"), (("box", "--part", "box*", "--part", "drive*"), "only one part can be counted")):  # fmt: skip
            self.refused("estimate", "power", *arguments, says=says)

    def test_what_is_proven_beats_what_is_stated(self) -> None:
        """A card of 16 GB that says 256: 200 GB do not fit it, a GB of it costs sixteen times as much, and a recording takes sixteen of it."""
        folder = self.demo()
        fits = {r["setup"]: r for r in self.json_of("estimate", "read", "20 GB", cwd=folder)["works"]}
        self.assertIsNone(fits["crumble"]["seconds"])
        self.assertIn("does not fit: Crumble Chip 256 GB holds 16.0 GB, as a proof found", fits["crumble"]["why"])
        self.assertIsNotNone(fits["duo"]["seconds"])
        costs = {v["part"]: v for v in self.json_of("estimate", "value", "10 GB", cwd=folder)["values"]}
        self.assertAlmostEqual(costs["crumble"]["per_size"], 11 / 16, delta=0.01)
        need = self.json_of("estimate", "value", "20 GB", "--least", "10 MB/s", cwd=folder)
        self.assertNotIn("crumble", need["cheapest"])
        takes = {
            h["setup"]: h["media"]
            for h in self.json_of("estimate", "record", "60 MB/s", "--length", "1h", cwd=folder)["setups"]
        }
        self.assertEqual((takes["crumble"], takes["duo"]), (14, 2))
        reader = self.ulterion("estimate", "--for", "a laptop with USB 5 Gb/s, 200 GB a week", cwd=folder).stdout
        self.assertIn("Crumble Chip 256 GB holds 16.0 GB, as a proof found: 200 GB take 13 of them", reader)
        (hub,) = (
            r for r in self.json_of("estimate", "write", "200 GB", cwd=folder)["works"] if r["setup"] == "hub-pod"
        )
        self.assertEqual(
            [(p["end"], p["why"]) for p in hub["parts"]], [("hub-pod", "its own rate")]
        )  # which is below what the drive's used-up cache leaves
        # one medium as both ends is read and written by turns; in two places it cannot be
        (same,) = self.json_of("estimate", "copy", "100 GB", "--from", "pod", "--to", "pod", cwd=folder)["works"]
        (away,) = self.json_of("estimate", "copy", "100 GB", "--from", "pod", "--to", "slip", cwd=folder)["works"]
        read, write = (
            next(
                r["seconds"]
                for r in self.json_of("estimate", way, "100 GB", cwd=folder)["works"]
                if r["setup"] == "pod"
            )
            for way in ("read", "write")
        )
        self.assertAlmostEqual(same["seconds"], read + write, delta=0.03 * same["seconds"])
        self.assertIn("cannot be in both at once", away["why"])

    def test_a_cache_that_a_measurement_used_up(self) -> None:
        """Its size and the rate after it are in the time of a long write, without any soak."""
        bench = BENCH.replace('write = "2000 MB/s"', 'write = "2000 MB/s"\ncache = "20 GB"\nafter_cache = "300 MB/s"')
        store = self.review(bench=bench)
        simulate(store, "direct", [parse_workload("sequential write 1 MiB depth 4")], passes=8, seconds=2.5)
        (row,) = (r for r in self.json_of("estimate", "write", "100 GB")["works"] if r["setup"] == "direct")
        true = 20e9 / 2e9 + 80e9 / 300e6
        self.assertAlmostEqual(row["seconds"] / true, 1, delta=0.12)

    def test_times_faster_than_a_rival(self) -> None:
        """Met, missed and true nowhere, by workload, between setups of the same medium; an unknown rival is refused by name."""
        claims = "".join(
            f'{{ than = "other", times = {n}{more} }},'
            for n, more in ((2, ', workload = "read"'), (2.4, ', workload = "read"'), (1.1, ', workload = "mixed"'))
        )
        review = REVIEW.replace('kind = "enclosure"', f'kind = "enclosure"\nfaster = [{claims}]')
        review += '[parts.other]\nname = "Old Box"\nkind = "enclosure"\n[setups.old]\nchain = ["b:usb", "other", "drive"]\ntarget = "sim:bench.toml"\n'
        store = self.review(
            review, BENCH + '[parts.other]\nlink = "USB 10 Gb/s"\nread = "450 MB/s"\nwrite = "900 MB/s"\n'
        )
        self.assertEqual([r["verdict"] for r in self.json_of("claims")["rivals"]], ["not measured"] * 3)
        for setup in ("box", "old"):
            simulate(store, setup)
        two, more, mixed = self.json_of("claims")["rivals"]
        self.assertEqual(
            (two["verdict"], two["setups"], two["true_on"]), ("met", ["box", "old"], ["sequential read 4 MiB depth 4"])
        )
        self.assertAlmostEqual(two["ratio"], 1000 / 450, delta=0.03)
        self.assertEqual((more["verdict"], more["true_on"], mixed["verdict"]), ("missed", [], "not measured"))
        self.assertIn("2.4× Old Box, read", self.ulterion("claims", "--long").stdout)
        # without a word of what it is about it stands for all: large transfers 2.2 times, small requests alike
        self.write("review.toml", review.replace(', workload = "read"', ""))
        two, more, _ = self.json_of("claims")["rivals"]
        self.assertEqual((two["verdict"], more["verdict"]), ("partly", "missed"))
        self.assertEqual(
            (two["nearest"], two["true_on"]), ("sequential read 4 MiB depth 4", ["sequential read 4 MiB depth 4"])
        )
        self.write("review.toml", review.replace('than = "other"', 'than = "othr"'))
        self.refused("claims", says="unknown part 'othr'; did you mean 'other'")

    def test_what_cannot_be_is_refused(self) -> None:
        """An amount that is none, one end alone, setups that are not there, nothing measured, no price."""
        self.review()
        for arguments, says in (
            (("value",), "SIZE is missing"), (("read", "much"), "is not a size"), (("copy", "1 GB", "--from", "box"), "has two ends"), (("read", "1 GB", "--setup", "bx"), "did you mean 'box'"),
            (("value", "1 GB"), "has a price"), (("record", "fast"), "is not a rate"), (("units", "5 GBB"), "like '128 GB'"), (("units", "1 GB", "--figure", "x.png"), "--figure goes with read, write"),
        ):  # fmt: skip
            self.refused("estimate", *arguments, says=says)
        told = self.json_of("estimate", "read", "1 GB")["works"]
        self.assertEqual({w["seconds"] for w in told}, {None})
        self.assertIn("ulterion measure --setup", told[0]["why"])


if __name__ == "__main__":
    unittest.main()
