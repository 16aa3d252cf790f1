"""A reviewer's day on the simulated bench: plugging, waiting, cooling, places of a disk, and what one run leaves to the next."""

from __future__ import annotations

import itertools
import json
from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.support import BENCH, WARM, FolderCase, simulate
from ulterion.core.stats.estimates import estimate
from ulterion.core.workloads.workload import parse_workload
from ulterion.features.measure.run import measure
from ulterion.model.runs.measure import MeasureRun
from ulterion.model.store import ReviewFolder
from ulterion.run.observers import Observer
from ulterion.run.place import Place
from ulterion.run.requests import MeasureRequest, RepetitionPolicy, TargetOptions
from ulterion.sim.bench import load_bench
from ulterion.sim.target import SimTarget

FLAT_OUT = parse_workload("sequential write 4 MiB depth 4")


class Moments(FolderCase):
    def test_a_setup_is_there_between_its_events(self) -> None:
        """Not there: refused with the time; waited for: it begins then; unplugged in mid-run: failed, the passes kept."""
        script = "".join(
            f'[[events]]\nat = "{at}"\nsetup = "{setup}"\nwhat = "{what}"\n'
            for at, setup, what in (("10 m", "direct", "unplugged"),
                                     ("12 m", "box", "plugged in"), ("20 m", "box", "unplugged"), ("25 m", "box", "plugged in"))
        )  # fmt: skip
        self.review(bench=BENCH + script)
        quick = ("--workload", "sequential read 4 MiB depth 4", "--passes", "3")
        self.refused("measure", "--setup", "box", *quick, says="'box' is not plugged in at 00:02")
        self.gives_up("box", "9m", "it is plugged in at 00:12")
        waited = self.ulterion("measure", "--setup", "box", "--wait", "1h", "--json", *quick)
        self.assertEqual(waited.returncode, 0, waited.stderr)
        for words in (
            "plug in: b:usb > Test Box > Test Drive",
            "Test Drive is still in the setup 'direct'",
            "there it is, at 00:12",
        ):
            self.assertIn(words, waited.stderr)
        self.assertIn('"started": "2026-01-01T00:12:02', waited.stdout)
        cut = self.ulterion(
            "measure",
            "--setup",
            "box",
            "--workload",
            "sequential read 4 MiB depth 4",
            "--seconds",
            "2m",
            "--passes",
            "9",
        )
        self.assertEqual(cut.returncode, 3)
        self.assertIn("drive was pulled out after", cut.stderr)
        self.assertIn("0 passes" if "0 passes" in cut.stdout else "MB/s", cut.stdout)
        self.refused("measure", "--setup", "box", *quick, says="is not plugged in at 00:2")
        back = self.ulterion("measure", "--setup", "box", "--wait", "30m", *quick)
        self.assertEqual(back.returncode, 0, back.stderr)
        self.assertIn("there it is, at 00:25", back.stderr)
        self.gives_up("direct", "1h", "no event plugs it in")

    def gives_up(self, setup: str, wait: str, says: str) -> None:
        """Wait for a setup that is not plugged in in time."""
        done = self.ulterion("measure", "--setup", setup, "--wait", wait)
        self.assertEqual(done.returncode, 2)
        self.assertIn(says, done.stderr)

    def test_events_out_of_order_are_refused(self) -> None:
        """Their order is that of time."""
        script = "".join(f'[[events]]\nat = "{at}"\nsetup = "box"\nwhat = "unplugged"\n' for at in ("2 m", "1 m"))
        self.review(bench=BENCH + script)
        self.refused("measure", "--setup", "box", says="events: they are not in order of time")


class Aftermath(FolderCase):
    def measured(self, setup: str, **extras: float) -> MeasureRun:
        review = self.opened
        request = MeasureRequest(
            Place(review, review.path, None, setup),
            "test",
            [FLAT_OUT],
            4,
            4.0,
            TargetOptions(seed=1),
            RepetitionPolicy(**extras),  # type: ignore[arg-type]
        )
        return measure(request, Observer()).run

    def test_a_used_up_cache_and_a_warm_drive_are_found_by_the_next_run(self) -> None:
        """What one run wrote, the next finds: no fresh cache, and a drive warmer than at first; an hour later it is as at first."""
        cache = 'small_noise = "3%"\ncache = "12 GB"\nafter_cache = "500 MB/s"\nfold = "20 MB/s"\n'
        self.opened = self.review(bench=BENCH.replace('small_noise = "3%"\n', cache) + WARM)
        first, second = self.measured("direct"), self.measured("direct")
        rates = [estimate([p.rate for p in run.workloads[0].passes]).rate / 1e6 for run in (first, second)]
        self.assertGreater(rates[0], 600)
        self.assertAlmostEqual(rates[1], 500, delta=15)
        self.assertGreater(second.target.temperature or 0, first.target.temperature or 0)
        for path in self.folder.glob(".bench.toml.left"):
            path.unlink()  # what it holds is no result, and may go
        fresh = self.measured("direct")
        self.assertEqual(fresh.target.temperature, first.target.temperature)
        self.assertGreater(fresh.workloads[0].passes[0].rate, 1900e6)

    def test_a_cache_that_cannot_be_fresh_is_said_before_the_first_write(self) -> None:
        """A soak found the cache; right after it, it is said how much must be in use; a long rest later nothing is; the slow state has its name."""
        cache = 'small_noise = "3%"\ncache = "40 GB"\nafter_cache = "200 MB/s"\nfold = "20 MB/s"\n'
        self.opened = self.review(bench=BENCH.replace('small_noise = "3%"\n', cache) + WARM)
        soaked = self.json_of("soak", "--setup", "direct", "--for", "3m", "--idle", "0")
        self.opened = ReviewFolder.open(self.folder)
        done = self.ulterion("measure", "--setup", "direct", "--workload", FLAT_OUT.text, "--passes", "4", "--json")
        found = json.loads(done.stdout)["run"]["before"]
        self.assertEqual((found["cache_run"], found["cache_here"]), (soaked["run"], True))
        self.assertAlmostEqual(found["cache_bytes"] / 1e9, 40, delta=1)
        self.assertAlmostEqual(
            found["cache_used"] / 1e9, 36 - 120 * 0.2, delta=1
        )  # 20 s at 2000 less 200, then two minutes of rest
        told = " ".join(done.stderr.split())
        self.assertRegex(
            told,
            r"the write cache of (39|40)\.\d GB \(soak .{6}\) cannot be fresh: at least 1\d\.\d GB of it are in use",
        )
        run = ReviewFolder.open(self.folder).runs()[-1]
        assert isinstance(run, MeasureRun)
        (record,) = run.workloads
        self.assertEqual({p.state for p in record.passes}, {"after the cache"})
        self.assertAlmostEqual(estimate([p.rate for p in record.passes]).rate / 200e6, 1, delta=0.02)
        self.assertIn("this is the rate after the write cache is full", " ".join(run.warnings))
        quiet = self.measured("box")  # two more minutes: at least nothing of it must be in use, and nothing is said
        self.assertNotIn("cannot be fresh", " ".join(quiet.warnings))

    def test_cooling_is_waited_for(self) -> None:
        """With --cool-to every pass begins no warmer than that; a drive without a sensor is refused."""
        self.opened = self.review(bench=BENCH + WARM)
        warm, cool = self.measured("direct"), self.measured("direct", cool_to=29.0)
        hottest = [max(p.temperature or 0 for p in run.workloads[0].passes) for run in (warm, cool)]
        self.assertGreater(hottest[0], hottest[1] + 2)
        self.assertGreater((cool.ended or cool.started) - cool.started, (warm.ended or warm.started) - warm.started)
        self.review()
        refused = self.ulterion("measure", "--setup", "box", "--cool-to", "40 °C")
        self.assertEqual(refused.returncode, 2)
        self.assertIn("shows no temperature here", refused.stderr)


class Places(FolderCase):
    def test_places_of_a_disk_differ(self) -> None:
        """Passes at the beginning, the middle and the end of a disk find the rates its zones have there; a pass stays in its span."""
        disk = BENCH.replace('read = "3000 MB/s"', 'read = "160 MB/s"\ninner_read = "80 MB/s"\ninner_write = "80 MB/s"')
        disk = disk.replace('capacity = "1 TB"', 'capacity = "1 TB"').replace(
            'write = "2000 MB/s"', 'write = "160 MB/s"'
        )
        review = self.review(bench=disk)
        at = parse_workload("sequential read 4 MiB depth 4").at_places(4)
        place = Place(review, review.path, None, "direct")
        run = measure(
            MeasureRequest(place, "test", at, 5, 4.0, TargetOptions(span_bytes=10**12, seed=2)), Observer()
        ).run
        rates = [estimate([p.rate for p in r.passes]).rate / 1e6 for r in run.workloads]
        for rate, start in zip(rates, (0.0, 0.25, 0.5, 0.75), strict=True):
            self.assertAlmostEqual(rate, 160 - 80 * start, delta=2)
        near = simulate(review, "direct", [FLAT_OUT], passes=6, seconds=200.0).run.workloads[0]
        self.assertAlmostEqual(
            estimate([p.rate for p in near.passes]).rate / 1e6, 160, delta=1
        )  # 4 GiB at the beginning

    def test_rates_are_not_rounded_to_requests(self) -> None:
        """Short passes of a slow card in large requests: its noise shows, each pass ends with a request, bytes and seconds agree."""
        card = BENCH.replace('write = "2000 MB/s"', 'write = "9 MB/s"').replace('noise = "0.5%"', 'noise = "1%"')
        target = SimTarget(load_bench(self.write("bench.toml", card)), ["b:fast", "drive"], "h", "sim:bench.toml")
        passes = [target.run_pass(FLAT_OUT.settled(2.0, 2**30), seed) for seed in range(12)]
        for one in passes:
            self.assertEqual(one.bytes % 2**22, 0)
            self.assertEqual(sum(one.interval_bytes), one.bytes)
            self.assertTrue(2.0 <= one.seconds < 2.0 + 2**22 / 8.5e6, one.seconds)
            self.assertAlmostEqual(one.rate / 9e6, 1.0, delta=0.04)
        rates = sorted(p.rate for p in passes)
        self.assertTrue(all(b / a > 1 + 1e-6 for a, b in itertools.pairwise(rates)), rates)


class Left(FolderCase):
    def test_a_review_that_cannot_keep_it_forgets_it(self) -> None:
        """A file of ours that is damaged is no reason to stop: the medium is cold and empty then."""
        self.write(".bench.toml.left", "{ half a")
        review = self.review()
        self.assertEqual(simulate(review, "direct").run.state.name, "complete")
        self.assertIn("drive", (self.folder / ".bench.toml.left").read_text())


class Ends(FolderCase):
    @settings(max_examples=60, deadline=None)
    @given(
        st.floats(1, 7000),
        st.floats(0, 0.05),
        st.sampled_from([512, 4096, 2**18, 2**22]),
        st.floats(0.05, 3),
        st.integers(0, 2**31),
    )
    def test_every_pass_ends_with_a_request(
        self, rate: float, noise: float, block: int, seconds: float, seed: int
    ) -> None:
        """Whatever rate, block and length: it ends, with whole requests, and its rate is the truth within its noise."""
        bench = BENCH.replace('write = "2000 MB/s"', f'write = "{rate:.3f} MB/s"').replace(
            '"0.5%"', f'"{noise * 100:.3f}%"'
        )
        target = SimTarget(load_bench(self.write("bench.toml", bench)), ["b:fast", "drive"], "h", "sim:bench.toml")
        workload = replace(FLAT_OUT, block_bytes=block, depth=64).settled(seconds, 2**30)
        one, true = target.run_pass(workload, seed), target.state.truth(workload).rate
        self.assertEqual((one.bytes % block, sum(one.interval_bytes), one.requests), (0, one.bytes, one.bytes // block))
        self.assertAlmostEqual(one.rate / true, 1.0, delta=6 * noise + 2 * 64 / block + 1e-6)
