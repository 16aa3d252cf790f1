"""What a setup adds to single small requests, how much in a reader's words, and families that nothing else changes."""

from __future__ import annotations

import random
import unittest
from types import SimpleNamespace
from typing import cast

from tests.support import BENCH, REVIEW, FolderCase, simulate
from ulterion.core.stats.verdicts import DIFFERENT, compare_family
from ulterion.core.workloads.workload import parse_workload
from ulterion.model.runs.measure import MeasureRun
from ulterion.results.added_latency import added_latency
from ulterion.results.comparison import compare_review
from ulterion.results.measurement import Measurement
from ulterion.show.sentences import how_much

ONE = parse_workload("random read 4 KiB")


def measured(setup: str, wait: float, spread: float, rng: random.Random, *chain: str, passes: int = 5) -> Measurement:
    """Return a measurement whose passes took so long for a request."""
    run = cast(MeasureRun, SimpleNamespace(id=setup, chain=list(chain)))
    rates = tuple(4096 / (wait * (1 + rng.gauss(0, spread))) for _ in range(passes))
    return Measurement(setup, ONE, ONE.text, (rates,), run)


class AddedLatencies(unittest.TestCase):
    def test_the_interval_holds_what_was_added(self) -> None:
        """Of a thousand readers that add 0.2 ms at unequal noise, the interval holds it in about 95%, and each is sure."""
        rng, held, sure = random.Random(3), 0, 0
        for _ in range(1000):
            base = measured("direct", 80e-6, 0.02, rng, "slot", "card")
            found = added_latency(measured("reader", 280e-6, 0.04, rng, "port", "reader", "card"), base)
            assert found is not None
            held += found.low <= 200e-6 <= found.high
            sure += found.is_sure
        self.assertEqual((found.parts, sure), (("port", "reader"), 1000))
        self.assertTrue(930 <= held <= 975, held)

    def test_what_cannot_be_told_is_not(self) -> None:
        """Two passes, many in flight, and requests in order have no added wait; no difference is no finding."""
        rng = random.Random(1)
        base, few = measured("a", 80e-6, 0.02, rng), measured("b", 90e-6, 0.02, rng, passes=2)
        self.assertIsNone(added_latency(few, base))
        same = added_latency(measured("b", 80e-6, 0.02, rng), base)
        self.assertTrue(same is not None and not same.is_sure)

    def test_how_much_in_words(self) -> None:
        """As a reader would say it."""
        said = {0.92: "8.0% slower", 0.5: "50% slower", 0.208: "79% slower", 1.032: "3.2% faster", 1.4: "40% faster",
                2.0: "2 times as fast", 5.04: "5 times as fast", 2.93: "2.9 times as fast", 30.2: "30 times as fast"}  # fmt: skip
        self.assertEqual({ratio: how_much(ratio) for ratio in said}, said)


class Families(FolderCase):
    def test_what_else_is_in_the_review_changes_no_verdict(self) -> None:
        """The same figures alone, beside another medium, and with a filter: the same intervals and verdicts."""
        small = [parse_workload("random read 4 KiB depth 4"), parse_workload("random write 4 KiB depth 4")]
        other = ('[parts.card]\nname = "Card"\nkind = "card"\n[setups.card]\nchain = ["b:usb", "card"]\ntarget = "sim:bench.toml"\n'
                 'baseline = true\n[setups.card2]\nchain = ["b:fast", "card"]\ntarget = "sim:bench.toml"\n')  # fmt: skip
        bench = BENCH.replace("[parts.box]", '[parts.card]\ntransport = "USB"\nread = "90 MB/s"\nwrite = "50 MB/s"\n'
                              'read_wait = "1 ms"\nnoise = "2%"\n[parts.box]')  # fmt: skip
        folder = self.review(REVIEW + other, bench)
        for setup in ("direct", "box"):
            simulate(folder, setup, small)

        def shown(**how: object) -> list[tuple[object, ...]]:
            groups = compare_review(folder.review, folder.runs(), **how)  # type: ignore[arg-type]
            return [(r.setup, r.workload.name, r.comparison) for g in groups if g.medium == "drive" for r in g.rows]

        alone = shown()
        for setup in ("card", "card2"):
            simulate(folder, setup, small)
        self.assertEqual(shown(), alone)
        self.assertEqual(shown(setups=["box"]), alone)

    def test_the_interval_that_is_shown_decides(self) -> None:
        """`same`, `faster` and `slower` follow from the shown interval and the margin, whatever the family's size."""
        rng = random.Random(5)
        for size in (1, 4, 30):
            pairs = [
                ([rng.gauss(m, 0.02) for _ in range(5)], [rng.gauss(1, 0.02) for _ in range(5)])
                for m in [rng.choice((1.0, 1.0, 0.95, 1.1)) for _ in range(size)]
            ]
            for one in compare_family(pairs, 0.03):
                low, high = one.ratio.low or 0, one.ratio.high or 9
                if one.verdict == "same":
                    self.assertTrue(low > 1 / 1.03 and high < 1.03)
                if one.verdict in ("faster", "slower"):
                    self.assertFalse(low <= 1 <= high, one)

    def test_null_reviews_rarely_accuse(self) -> None:
        """Five setups of the same truth, eight workloads: in at most 5% of 60 reviews is any called different."""
        rng, accused = random.Random(11), 0
        for _ in range(60):
            base = {w: [rng.lognormvariate(0, 0.02) for _ in range(5)] for w in range(8)}
            pairs = [([rng.lognormvariate(0, 0.02) for _ in range(5)], base[w]) for _ in range(4) for w in range(8)]
            accused += any(c.verdict in DIFFERENT for c in compare_family(pairs, 0.03))
        self.assertLessEqual(accused / 60, 0.05)


class Told(FolderCase):
    def test_one_part_at_a_time(self) -> None:
        """A hub before the box, at no loss: against the baseline slower, against the box without the hub no loss."""
        text = REVIEW + ('[parts.hub]\nname = "Test Hub"\nkind = "hub"\n[setups.hub]\nchain = ["b:usb", "hub", "box", "drive"]\n'
                         'target = "sim:bench.toml"\n')  # fmt: skip
        folder = self.review(text, BENCH + '[parts.hub]\nlink = "USB 10 Gb/s"\n')
        for setup in folder.review.setups:
            simulate(folder, setup)
        (group,) = self.json_of("compare")["groups"]
        (one,) = group["nearest"]
        self.assertEqual((one["setup"], one["base"], one["without"]), ("hub", "box", "hub"))
        self.assertEqual(one["verdicts"]["sequential read 4 MiB depth 4"], "same")
        self.assertIn("cost of Test Hub (hub against box): ", " ".join(self.ulterion("compare").stdout.split()))

    def test_a_failed_run_and_an_outcome_are_never_only_missing(self) -> None:
        """What became of a setup without a figure stands in the place where it is missed."""
        folder = self.review(bench=BENCH + '[[faults]]\npart = "box"\nwhat = "not recognised"\n')
        simulate(folder, "direct")
        simulate(folder, "box")
        self.ulterion("note", "--setup", "box", "needs external power")
        told = " ".join(self.ulterion("compare").stdout.split())
        self.assertRegex(
            told, r"box: needs external power; failed: .*box is not recognised on b:usb.*ulterion measure --setup box"
        )
        self.assertNotIn("has not been measured", told)

    def test_a_run_by_the_way_replaces_no_figure_of_a_suite(self) -> None:
        """An ad hoc run of the same words, and a sweep, come behind: order, names and figures of the suite stay."""
        self.review()
        for setup in ("direct", "box"):
            self.ulterion("measure", "--setup", setup, "--suite", "brief", "--passes", "3")
        before = self.json_of("compare")["groups"][0]["rows"]
        for words in (
            ("--workload", "sequential read 4 MiB depth 4"),
            ("--sweep", "sequential read 2 MiB to 4 MiB depth 4"),
        ):
            self.ulterion("measure", "--setup", "box", *words, "--passes", "3", "--seconds", "1")
        after = self.json_of("compare")["groups"][0]["rows"]
        self.assertEqual([(r["workload"], r["setup"], r["run"]) for r in after][:4],
                         [(r["workload"], r["setup"], r["run"]) for r in before])  # fmt: skip

    def test_the_answer_comes_first_and_the_figures_on_request(self) -> None:
        """A line a setup and direction, rates and per cent; every result with --long, or where the suites' questions were not asked."""
        folder = self.review()
        for setup in ("direct", "box"):
            self.ulterion("measure", "--setup", setup, "--passes", "3", "--seconds", "1")
        short, whole = self.ulterion("compare").stdout, self.ulterion("compare", "--long").stdout
        self.assertRegex(short, r" +sequential +stream +random +queued +mixed\n")
        self.assertRegex(short, r"direct +reading +(2,9\d\d|3,0\d\d) +")
        self.assertRegex(short, r"box +reading +\d+ −6[67]% +")
        self.assertNotIn("95% interval", short)
        self.assertIn("95% interval", whole)
        for path in folder.runs_folder.iterdir():
            path.unlink()
        for setup in ("direct", "box"):
            simulate(folder, setup)
        self.assertIn("95% interval", self.ulterion("compare", "--long").stdout)
        self.assertRegex(self.ulterion("compare").stdout, r"random write 4 KiB QD16 +49\d,\d+ +24\d,\d+ −5\d%")

    def test_claims_of_what_was_asked_for_alone(self) -> None:
        """With a setup named, parts that are not in it have no row; what cleared a part elsewhere counts all the same."""
        folder = self.review()
        for setup in folder.review.setups:
            simulate(folder, setup)
        rows = self.json_of("claims", "direct")["claims"]
        self.assertEqual({r["part"] for r in rows}, {"drive"})
        rows = [r for r in self.json_of("claims", "box")["claims"] if r["bottleneck"] is not None]
        self.assertNotIn("drive", {s for r in rows for s in r["bottleneck"]["suspects"]})
