"""The simulated bench: its truth, its noise, its faults, and whether measuring finds the truth."""

from __future__ import annotations

from itertools import pairwise

from tests.support import BENCH, PEAK_READ, FolderCase, simulate
from ulterion.core.errors import TargetFailed, UsageError
from ulterion.core.stats.estimates import estimate
from ulterion.core.stats.verdicts import compare
from ulterion.core.workloads.workload import parse_workload
from ulterion.sim.bench import SimBench, load_bench
from ulterion.sim.physics import truth
from ulterion.sim.shown import seen_link
from ulterion.sim.target import SimTarget

FAST, BOX = ["b:fast", "drive"], ["b:usb", "box", "drive"]
SMALL = parse_workload("random read 4 KiB depth 1").settled(1.0, 2**30)


class Bench(FolderCase):
    def bench(self, extra: str = "", old: str = "", new: str = "") -> SimBench:
        return load_bench(self.write("bench.toml", BENCH.replace(old, new) + extra))

    def target(self, names: list[str], bench: SimBench | None = None) -> SimTarget:
        return SimTarget(bench or self.bench(), names, "h", "sim:bench.toml")


class Truth(Bench):
    def test_rates_follow_the_model(self) -> None:
        """Worked by hand: the ceiling, one request at a time, the medium's parallel limit, and no queueing."""
        bench = self.bench()
        chain = bench.chain(FAST, self.folder)
        block = 4096
        one = 60e-6 + block / 3e9
        self.assertAlmostEqual(truth(chain, PEAK_READ).rate, 3e9)
        self.assertAlmostEqual(truth(chain, SMALL).rate, block / one)
        self.assertAlmostEqual(truth(chain, SMALL).latency, one)
        deep = parse_workload("random read 4 KiB depth 64").settled(1.0, 2**30)
        self.assertAlmostEqual(truth(chain, deep).rate * one / block, 32)
        mixed = parse_workload("random mixed 25% writes 4 KiB depth 1").settled(1.0, 2**30)
        self.assertAlmostEqual(truth(chain, mixed).rate, block / (0.75 * one + 0.25 * (20e-6 + block / 2e9)), places=3)
        unqueued = self.bench('queue = 1\noverhead = "40 µs"\n').chain(BOX, self.folder)
        self.assertAlmostEqual(truth(unqueued, deep).rate, block / (40e-6 + 60e-6 + block / 1e9))
        self.assertAlmostEqual(truth(unqueued, PEAK_READ).rate, 4 * 2**20 / (40e-6 + 4 * 2**20 / 1e9))

    def test_a_link_caps_the_chain_and_is_shown(self) -> None:
        """A box that trains at 480 Mb/s is slow, and the bench shows that link and its driver, not the label."""
        slow = self.bench('[parts.old]\nlink = "USB 480 Mb/s"\ndriver = "usb-storage"\n')
        chain = ["b:usb", "old", "drive"]
        self.assertEqual(truth(slow.chain(chain, self.folder), PEAK_READ).rate, 45.056e6)
        shown = self.target(chain, slow).facts()
        self.assertEqual((shown.link, shown.driver, shown.serial), ("USB 480 Mb/s", "usb-storage", "T-1"))
        _, link = seen_link(slow.chain(["b:usb", "box", "drive"], self.folder))
        self.assertEqual(link.name if link else "", "USB 10 Gb/s")

    def test_estimates_come_within_one_per_cent_of_the_truth(self) -> None:
        """Sixty passes of every workload find the noiseless rate within 1%, the small ones at 3% noise too."""
        review = self.review()
        for setup, names in (("direct", FAST), ("box", BOX)):
            words = ["sequential read 4 MiB depth 4", "sequential write 256 KiB depth 1", "random read 4 KiB depth 8"]
            workloads = [parse_workload(w) for w in words]
            run = simulate(review, setup, workloads, passes=60).run
            chain = self.bench().chain(names, self.folder)
            for record in run.workloads:
                found = estimate([p.rate for p in record.passes]).rate
                true = truth(chain, record.workload).rate
                self.assertAlmostEqual(found / true, 1.0, delta=0.01)


class Statistics(Bench):
    def rates(self, bench: SimBench, first_seed: int) -> list[float]:
        target = self.target(FAST, bench)
        workload = PEAK_READ.settled(1.0, 2**30)
        return [target.run_pass(workload, first_seed * 1000 + i).rate for i in range(5)]

    def test_six_hundred_null_comparisons_rarely_find_a_difference(self) -> None:
        """The same truth on both sides: `faster` or `slower` in at most 5%, at small and at large noise."""
        for noise in ("0.5%", "4%"):
            bench = self.bench(old='noise = "0.5%"', new=f'noise = "{noise}"')
            sets = [self.rates(bench, n) for n in range(301)]
            called = sum(compare(a, b).verdict in ("faster", "slower") for a, b in pairwise(sets))
            self.assertLessEqual(called, 15, noise)

    def test_a_true_loss_of_six_per_cent_is_found(self) -> None:
        """94% of the rate at 0.5% noise and 5 passes is `slower` in at least 95% of 200 comparisons."""
        bench, slower = self.bench(), self.bench(old='read = "3000 MB/s"', new='read = "2820 MB/s"')
        called = sum(
            compare(self.rates(slower, n), self.rates(bench, n + 5000)).verdict == "slower" for n in range(200)
        )
        self.assertGreaterEqual(called, 190)


class Repeatable(Bench):
    def test_the_same_review_gives_the_same_bytes(self) -> None:
        """Two reviews made alike hold run documents with the same names and the same bytes; a second run differs."""
        made = []
        for _ in range(2):
            review = self.review()
            made.append([(f.path.name, f.path.read_bytes()) for f in (simulate(review, h) for h in ("direct", "box"))])
            again = simulate(review, "direct")
            self.assertNotEqual(again.run.workloads[0].passes[0].bytes, 0)
            self.assertNotIn(again.path.name, [name for name, _ in made[-1]])
            for path in review.runs_folder.iterdir():
                path.unlink()
        self.assertEqual(made[0], made[1])

    def test_an_hour_takes_no_hour(self) -> None:
        """Virtual time: series and histogram of an hour-long pass stay small and add up."""
        one = self.target(FAST).run_pass(PEAK_READ.settled(3600.0, 2**30), 1)
        self.assertAlmostEqual(one.seconds, 3600, delta=1)
        self.assertEqual((sum(one.interval_bytes), one.latency.total), (one.bytes, one.requests))
        self.assertLessEqual(len(one.interval_bytes), 101)


class Faults(Bench):
    def test_each_fault_happens_when_ordered(self) -> None:
        """Not recognised at once; pulled out and I/O error at their time, with offset and bytes before."""
        review = self.review(bench=BENCH + '[[faults]]\npart = "box"\nwhat = "not recognised"\n')
        finished = simulate(review, "box")
        self.assertIsInstance(finished.failure, TargetFailed)
        self.assertEqual((finished.run.state.name, finished.run.workloads[0].passes), ("failed", []))
        self.assertIn("box is not recognised on b:usb", finished.run.state.why)
        self.assertIsNone(simulate(review, "direct").failure)
        for what, words in (("pulled out", "was pulled out"), ("I/O error", "reported an I/O error")):
            fault = f'[[faults]]\npart = "box"\nwhat = "{what}"\nafter = "8 s"\n'
            run = simulate(self.review(bench=BENCH + fault), "box", [PEAK_READ]).run
            # the test file took 4.34 s; the second pass of 2 s was under way
            self.assertEqual((len(run.workloads[0].passes), run.state.name), (1, "failed"))
            self.assertRegex(run.state.why, f"box {words} after 8.0 s, at offset [0-9]+")
            self.assertAlmostEqual((run.state.unfinished_bytes or 0) / 1e9, 8 - 4.34 - 2, delta=0.05)

    def test_a_bench_that_makes_no_sense_is_refused(self) -> None:
        """Unknown keys, parts and faults without a time are errors with the near name."""
        cases = {
            '[parts.x]\nreed = "1 GB/s"': "unknown key; did you mean 'read'",
            '[[faults]]\npart = "bx"\nwhat = "pulled out"\nafter = "1 s"': "did you mean 'box'",
            '[[faults]]\npart = "box"\nwhat = "pulled out"': "needs the time",
            '[[faults]]\npart = "box"\nwhat = "tired"': "pulled out",
        }
        for extra, says in cases.items():
            with self.subTest(says), self.assertRaisesRegex(UsageError, says):
                self.bench(extra)
        with self.assertRaisesRegex(UsageError, "has no such thing.*did you mean 'drive'"):
            self.target(["b:fast", "driv"])
        with self.assertRaisesRegex(UsageError, "no larger than"):
            SimTarget(self.bench(), FAST, None, "sim:x", 2 * 10**12)
