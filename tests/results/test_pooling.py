"""Which runs a figure rests on, what varies between them, and whether a direct connection shows what the medium can do."""

from __future__ import annotations

import random
import unittest
from collections.abc import Sequence
from dataclasses import replace
from types import SimpleNamespace
from typing import cast

from tests.support import PEAK_READ, FolderCase, simulate
from ulterion.core.workloads.workload import parse_workload
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.measure import MeasureRun
from ulterion.results.comparison import Group, compare_review
from ulterion.results.measurement import Measurement, trusted_baseline
from ulterion.results.pooling import MAX_POOLED, connections, pooled_results

SMALL = parse_workload("random read 4 KiB depth 1")


def plugged(run: AnyRun, attachment: str | None) -> AnyRun:
    """Return a run as of another connection."""
    return run.changed(target=replace(run.target, attachment=attachment))


class Pooled(FolderCase):
    def group(self, runs: Sequence[AnyRun]) -> Group:
        return next(g for g in compare_review(self.made.review, runs) if g.medium == "drive")

    def runs(self, *setups: str) -> list[AnyRun]:
        self.made = self.review()
        for setup in setups:
            simulate(self.made, setup, [PEAK_READ, SMALL])
        return list(self.made.runs())

    def test_runs_that_nothing_tells_apart_are_taken_together(self) -> None:
        """Each is one value of what varies; another pass length, a sweep by the way, or a wrong cable is none of them."""
        runs = self.runs("direct", "box", "box", "box")
        ids = [r.id for r in runs if r.setup == "box"]
        box = next(r for r in self.group(runs).rows if (r.setup, r.workload.pattern) == ("box", "sequential"))
        self.assertEqual((sorted(box.runs), box.run, box.estimate.runs), (sorted(ids), ids[-1], 3))
        assert box.comparison is not None
        self.assertTrue(box.comparison.ratio.by_runs)
        other = runs[1].changed(target=replace(runs[1].target, driver="usb-storage"))
        found = pooled_results([runs[0], other, *runs[2:]])["box"][box.workload.text]
        self.assertEqual([d.id for d in found.documents], ids[1:])
        found = pooled_results([*runs[:3], runs[3].changed(chain=["b:fast", "box", "drive"])])["box"][box.workload.text]
        self.assertEqual([d.id for d in found.documents], ids[2:], "the newest counts, and nothing like it is there")
        many = [r.changed(id=f"{i:06x}") for i in range(20) for r in runs if r.setup == "box"]
        self.assertEqual(len(pooled_results(many)["box"][box.workload.text].documents), MAX_POOLED)

    def test_other_circumstances_are_not_pooled(self) -> None:
        """Firmware, power, governor, processor or system of one of two runs: the newest counts alone, and nothing narrows its interval."""
        runs = self.runs("box", "box")
        text = next(iter(pooled_results(runs)["box"]))
        self.assertEqual(len(pooled_results(runs)["box"][text].documents), 2)
        both = [
            r.changed(
                target=replace(r.target, firmware="1.0"),
                bench=replace(r.bench, power="mains", governor="performance", cpu="A", system="Linux 6.1"),
            )
            for r in runs
        ]
        self.assertEqual(len(pooled_results(both)["box"][text].documents), 2)
        for name, value in (
            ("firmware", "1.1"),
            ("power", "battery"),
            ("governor", "powersave"),
            ("cpu", "B"),
            ("system", "Linux 6.2"),
        ):
            part = "target" if name == "firmware" else "bench"
            other = both[0].changed(**{part: replace(getattr(both[0], part), **{name: value})})
            found = pooled_results([other, both[1]])["box"][text]
            self.assertEqual([d.id for d in found.documents], [both[1].id], name)

    def test_one_plugging_in_is_said_to_be_one(self) -> None:
        """A single run, and several on one connection, are told with what to do; runs on one connection are one value among others."""
        runs = self.runs("direct", "box", "box", "box")
        self.assertEqual(self.group(runs).single_connection, ("direct",))
        on_one = [plugged(r, "boot-1") for r in runs]
        self.assertEqual(self.group(on_one).single_connection, ("direct", "box"))
        two = [plugged(r, f"boot-{min(i, 2)}") for i, r in enumerate(runs)]
        figure = next(iter(pooled_results(two)["box"].values()))
        self.assertEqual((connections(figure), figure.estimate.runs, len(figure.documents)), (2, 2, 3))
        self.ulterion("note", "--run", runs[1].id, "room 21 °C")
        out = self.ulterion("compare", "--long").stdout
        self.assertRegex(" ".join(out.split()), r"direct: each connected once, .* ulterion measure --setup direct")
        self.assertIn(f"box {runs[1].id}, {runs[2].id} and {runs[3].id}", " ".join(out.split()))
        row = next(r for r in self.json_of("compare", "--json")["groups"][0]["rows"] if r["setup"] == "box")
        self.assertEqual((len(row["runs"]), row["measured"]["runs"]), (3, 3))

    def test_a_run_that_does_not_count(self) -> None:
        """Noted so it is left out and named, until the note is taken back; the runs before it count again meanwhile."""
        runs = self.runs("direct", "box", "box")
        self.ulterion("note", "--exclude", runs[2].id, "the wrong cable")
        answer = self.json_of("compare", "--json")["groups"][0]
        self.assertEqual({r["run"] for r in answer["rows"] if r["setup"] == "box"}, {runs[1].id})
        self.assertEqual(answer["excluded"], {"box": [f"{runs[2].id}: the wrong cable"]})
        self.assertIn("box, excluded: ", self.ulterion("compare").stdout)
        soaks = [self.json_of("soak", "--setup", "box", "--for", "2m", "--idle", "0") for _ in range(2)]
        self.ulterion("note", "--exclude", str(soaks[1]["run"]), "a fan was on")
        shown = self.json_of("compare", "--soaks", "box", "--json")
        self.assertEqual(shown["soaks"][0]["run"], soaks[0]["run"])
        self.ulterion("note", "--take-back", "1")
        self.assertEqual(self.json_of("compare", "--json")["groups"][0]["excluded"], {})


class Baseline(unittest.TestCase):
    def test_noise_alone_drops_no_baseline(self) -> None:
        """Equal setups at 2% noise keep the baseline in 95% and more; one that is truly 8% faster drops it."""
        setups = {n: SimpleNamespace(medium="d") for n in ("direct", "a", "b")}
        review = cast(Review, SimpleNamespace(setups=setups, baseline_for=lambda medium: "direct"))
        rng = random.Random(2)

        def figure(name: str, text: str, rate: float) -> Measurement:
            rates = tuple(rate * rng.lognormvariate(0, 0.02) for _ in range(5))
            return Measurement(name, PEAK_READ, text, (rates,), cast(MeasureRun, None))

        def kept(faster: float) -> int:
            told = 0
            for _ in range(200):
                every = {n: {t: figure(n, t, faster if n == "a" else 1.0) for t in ("read", "write")} for n in setups}
                told += bool(trusted_baseline(review, "b", every))
            return told

        self.assertGreaterEqual(kept(1.0), 190)
        self.assertLessEqual(kept(1.08), 30)


if __name__ == "__main__":
    unittest.main()
