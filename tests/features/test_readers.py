"""What a reader asks: his own port, a recording's length, energy, a mix of work, and who says what a box claims."""

from __future__ import annotations

import random
import unittest

from hypothesis import given
from hypothesis import strategies as st

from tests.support import BENCH, PEAK_READ, REVIEW, FolderCase, simulate
from ulterion.core.errors import UsageError
from ulterion.core.estimates.readers import parse_reader
from ulterion.core.links.standards import LINKS, find_link
from ulterion.core.workloads.workload import parse_workload
from ulterion.features.estimate.other_port import suggestions

PEAK_WRITE = parse_workload("sequential write 4 MiB depth 4")


class Words(unittest.TestCase):
    @given(
        st.sampled_from(LINKS),
        st.sampled_from(LINKS),
        st.sampled_from(["a laptop with {} and {}", "{}, or {}", "my {} port; {} behind"]),
    )
    def test_any_link_in_a_sentence(self, one: object, other: object, words: str) -> None:
        """Every link of the table is found in words, in their order, whatever other name it holds."""
        expected = tuple(dict.fromkeys([one, other]))
        self.assertEqual(parse_reader(words.format(one, other) + ", 3 TB a month").links, expected)

    def test_sizes_and_periods(self) -> None:
        reader = parse_reader("a laptop with USB 5 Gb/s, 200 GB of photographs a week")
        self.assertEqual(reader, type(reader)((find_link("USB 5 Gb/s"),), 200 * 10**9, "week"))
        self.assertEqual(parse_reader("a usb-10-gb/s hole every day").period, None)
        for words, says in (("a laptop", "names no port"), ("USB 5 Gb/s, 1 GB or 2 GB", "2 sizes")):
            with self.assertRaisesRegex(UsageError, says):
                parse_reader(words)


class Elsewhere(FolderCase):
    def test_ports_it_was_never_measured_on(self) -> None:
        """Boxes of any speed, measured on one port and then on another that gives what such links give: what was foretold holds it."""
        rng, held, total = random.Random(3), 0, 0
        ports = ["USB 480 Mb/s", "USB 5 Gb/s", "USB 10 Gb/s", "USB 20 Gb/s"]
        for number in range(12):
            one, other = rng.sample(ports, 2)
            rates = {
                k: rng.uniform(find_link(k).practical_low, find_link(k).practical_high) / 1e6 for k in (one, other)
            }
            own = rng.uniform(20, 2500)
            said = "".join(f'[ports."{k}"]\nlink = "{k}"\n' for k in (one, other))
            bench = f'schema = 2\n[bench]\nhost = "h"\nseed = {number}\nepoch = 2026-01-01T00:00:00Z\n' + "".join(
                f'[ports."{k}"]\nlink = "{k}"\nread = "{rates[k]} MB/s"\nwrite = "{rates[k]} MB/s"\n'
                for k in (one, other)
            )
            bench += f'[parts.disk]\nlink = "USB 20 Gb/s"\ndriver = "uas"\ncapacity = "1 TB"\nread = "{own} MB/s"\nwrite = "{own} MB/s"\nnoise = "0.5%"\n'
            review = f'schema = 2\n{said}[parts.disk]\nname = "Disk"\nkind = "drive"\nlink = "USB 20 Gb/s"\n' + "".join(
                f'[setups.{n}]\nchain = ["{k}", "disk"]\ntarget = "sim:bench.toml"\n'
                for n, k in (("first", one), ("second", other))
            )
            store = self.review(review, bench)
            measured = [simulate(store, "first", [PEAK_READ, PEAK_WRITE]).run]
            (told,) = suggestions(store.review, measured, find_link(other), 10**11)
            truth = simulate(store, "second", [PEAK_READ]).run.workloads[0].counted[0].rate
            way = told.ways["read"]
            self.assertNotEqual(way.basis, "measured")
            held += way.low <= truth <= way.high
            total += 1
            assert way.quick is not None and way.slow is not None
            self.assertLessEqual(way.quick.low, 1e11 / truth * 1.1)
            for run in store.runs():
                next(self.folder.glob(f"runs/*{run.id}.json")).unlink()
        self.assertGreaterEqual(held, total - 1)

    def test_on_the_demo(self) -> None:
        """Measured there is said, and not measured there; what does not fit is named; a card too small is told."""
        folder = self.demo()
        data = self.json_of("estimate", "--for", "a desk with USB4 40 Gb/s and USB 5 Gb/s, 200 GB a week", cwd=folder)
        by = {(tuple(s["parts"]), s["port"]): s for s in data["suggestions"]}
        there = by[("draught", "reed"), "USB4 40 Gb/s"]
        self.assertEqual((there["read"]["basis"], there["setup"]), ("measured", "draught"))
        pod = by[("pod", "reed"), "USB 5 Gb/s"]
        self.assertEqual((pod["write"]["basis"], pod["read"]["low"], pod["read"]["high"]), ("the link", 350e6, 465e6))
        self.assertEqual(by[("long", "vault"), "USB 5 Gb/s"]["read"]["basis"], "as measured")
        self.assertIn("does not fit", by[("reed",), "USB 5 Gb/s"]["why"])
        told = self.ulterion("estimate", "--for", "USB 5 Gb/s, 200 GB a week", cwd=folder).stdout
        self.assertIn("estimated:", " ".join(told.split()))
        self.assertIn("holds 128 GB: 200 GB take 2 of them", told)
        self.refused("estimate", "read", "--for", "USB 5 Gb/s", says="unknown option --for")
        self.refused("estimate", says="say what to estimate")

    def test_recordings_of_a_length(self) -> None:
        """Eight hours at 400 Mb/s are 1.44 TB: twelve cards of 128 GB; a class is a rate, and what a soak kept is shown."""
        folder = self.demo()
        data = self.json_of("estimate", "record", "V60", "--length", "8h", cwd=folder)
        duo = next(h for h in data["setups"] if h["setup"] == "duo")
        self.assertEqual((data["size"], duo["media"], duo["speed_class"], duo["keeps"]), (60e6 * 28800, 14, 60, True))
        self.assertAlmostEqual(duo["emptying_seconds"], data["size"] / 266e6, delta=100)
        self.assertNotIn("lan", [h["setup"] for h in data["setups"]])
        self.refused("estimate", "record", "V61", says="not a video speed class", cwd=folder)

    def test_a_mix_of_work(self) -> None:
        """Three quarters read at 1000 MB/s, a quarter written at 500: 800 MB/s over both; what nobody measured has no figure."""
        box = BENCH.replace('write = "990 MB/s"', 'write = "500 MB/s"').replace('noise = "0.5%"\n', "")
        store = self.review(
            REVIEW.replace('kind = "enclosure"', 'kind = "enclosure"\nprice = "40 EUR"\nprice_date = 2026-03-01'), box
        )
        simulate(store, "box", [PEAK_READ, PEAK_WRITE])
        found = self.json_of("estimate", "value", "100 GB", "--mix", "read 3, write 1")["values"][0]
        self.assertAlmostEqual(found["rate"] / 800e6, 1, delta=0.01)
        self.assertEqual(found["price_date"], "2026-03-01")
        self.assertIn("prices seen on: Test Box 2026-03-01", self.ulterion("estimate", "value", "100 GB").stdout)
        for mix, says in (
            ("read 3, weeding 1", "unknown workload 'weeding'"),
            ("read", "not a share of the work"),
            ("read 0", "not a share"),
        ):
            self.refused("estimate", "value", "1 GB", "--mix", mix, says=says)

    def test_energy_from_a_logged_meter(self) -> None:
        """4.5 W under load: J per GB are watts over rate; a part that was metered draws that; without a meter it is said how to log one."""
        self.review()
        self.refused("estimate", "energy", says="no soak logged power")
        (self.folder / "drive").mkdir()
        self.write(
            "review.toml",
            REVIEW.replace(
                'chain = ["b:usb", "box", "drive"]\ntarget = "sim:bench.toml"',
                'chain = ["b:usb", "box", "drive"]\ntarget = "drive"',
            ),
        )
        done = self.ulterion(
            "soak", "--setup", "box", "--load", "sequential write 1 MiB depth 2", "--span", "16 MiB", "--for", "1 s",
            "--idle", "3 s", "--cool", "0.4 s", "--interval", "0.1 s", "--probe", "power=echo 4.5",
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr)
        (found,) = self.json_of("estimate", "energy", "500 GB")["energies"]
        self.assertEqual((round(found["watts"], 9), round(found["idle"], 9), found["setup"]), (4.5, 4.5, "box"))
        self.assertAlmostEqual(found["above_rest"], 0.0)
        self.assertAlmostEqual(found["joules_for_size"], found["per_gigabyte"] * 500)
        self.assertIn("4.50 W", self.ulterion("estimate", "energy").stdout)
        box = self.json_of("estimate", "power", "b:usb", "--part", "box")["loads"][0]
        self.assertEqual((round(box["draws"], 9), box["source"]), (4.5, "a meter that was logged"))

    def test_who_says_it(self) -> None:
        """Two that disagree are told; a claim that stands only there is judged, the boldest of several; nonsense is refused with its line."""
        said = '[[parts.box.said]]\nclaim = "{}"\nvalue = "{}"\nwhere = "{}"\ndate = 2026-03-0{}\n'
        page = said.format("read", "900 MB/s", "a shop's page", 2) + said.format(
            "capacity", "2 TB", "an advertisement", 3
        )
        self.review(REVIEW + said.format("read", "1000 MB/s", "box", 1) + "up_to = true\n" + page)
        data = self.json_of("claims")
        rows = {(s["claim"], s["value"]): s for s in data["said"]}
        self.assertEqual((rows["read", "900 MB/s"]["judged"], rows["read", "1000 MB/s"]["judged"]), (False, True))
        self.assertIn(("box", "capacity", 2e12), [(c["part"], c["claim"], c["claimed"]) for c in data["claims"]])
        told = " ".join(self.ulterion("claims", "--why").stdout.split())
        self.assertIn(
            "Test Box, read: up to 1000 MB/s (box, 2026-03-01); 900 MB/s (a shop's page, 2026-03-02); they disagree: judged by 1000 MB/s",
            told,
        )
        for claim, value, says in (
            ("reed", "1 MB/s", "did you mean 'read'"),
            ("read", "quick", "is not a rate"),
            ("link", "USB 11", "unknown link"),
        ):
            self.write("review.toml", REVIEW + said.format(claim, value, "box", 1))
            self.refused("claims", says=says)
