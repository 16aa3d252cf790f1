"""Figures of comparisons and sweeps: what they name, one colour for a setup, light and dark, and how sure they are."""

from __future__ import annotations

from tests.chart_checks import faults
from tests.support import BENCH, REVIEW, FolderCase, simulate
from ulterion.core.errors import UsageError
from ulterion.core.workloads.workload import parse_sweep, parse_workload
from ulterion.features.compare.charts import comparison_chart
from ulterion.features.measure.charts import run_chart
from ulterion.features.soak.charts import soaks_chart
from ulterion.features.soak.judging import soak_of
from ulterion.features.soak.run import soak
from ulterion.model.runs.soak import SoakPlan
from ulterion.model.store import ReviewFolder
from ulterion.results.comparison import compare_review, only_workloads
from ulterion.run.observers import Observer
from ulterion.run.place import Place
from ulterion.run.requests import SoakRequest
from ulterion.show.charts import NEUTRAL
from ulterion.show.draw import draw
from ulterion.show.looks import Cast, look_of

LARGE = [parse_workload("sequential read 4 MiB depth 4"), parse_workload("sequential write 4 MiB depth 4")]
WRITING = parse_workload("sequential write 1 MiB depth 4")


class Comparisons(FolderCase):
    def boxes(self, count: int) -> ReviewFolder:
        review, bench = REVIEW, BENCH
        for n in range(count):
            review += f'[parts.box{n}]\nname = "Case number {n} by a maker with a long name"\nkind = "enclosure"\nlink = "USB 10 Gb/s"\n'
            review += f'[setups.box{n}]\nchain = ["b:usb", "box{n}", "drive"]\ntarget = "sim:bench.toml"\n'
            bench += f'[parts.box{n}]\nlink = "USB 10 Gb/s"\ndriver = "uas"\ntransport = "USB"\nread = "{900 - 20 * n} MB/s"\nwrite = "800 MB/s"\n'
        folder = self.review(review, bench)
        for setup in folder.review.setups:
            simulate(folder, setup, LARGE, passes=3)
        return folder

    def test_twelve_setups_are_named_by_products_each_in_its_colour(self) -> None:
        """Names, bench, day and how sure stand in it, light and dark; a setup keeps its colour when others are left out."""
        folder = self.boxes(10)
        review, cast = folder.review, Cast.of(folder.review)
        (group,) = compare_review(review, folder.runs())
        chart = comparison_chart(review, group, "MB/s", cast)
        bars = [b for panel in chart.panels for b in panel.bars]
        self.assertEqual((len(chart.panels), len(bars)), (1, 12))
        self.assertIn("Case number 7 by a maker with a long name", [b.label for b in bars])
        self.assertEqual(len({b.shade for b in bars}), 12)
        self.assertIn("measured at testbench on 2026-01-01; 3 passes, connected once", chart.caption.foot)
        self.assertRegex(chart.caption.subtitle, r"difference from b:fast \((2,9|3,0)")
        (few,) = compare_review(review, folder.runs(), setups=["box7"])
        alone = comparison_chart(review, few, "MB/s", cast)
        shades = {b.label: b.shade for panel in alone.panels for b in panel.bars}
        self.assertEqual(shades, {"b:fast": NEUTRAL, "Case number 7 by a maker with a long name": cast.shade("box7")})

    def test_a_soak_has_the_colour_and_name_of_its_setup(self) -> None:
        """Two soaks: lines in the colours that the comparison gives their setups, named by products."""
        folder = self.boxes(2)
        cast, plan = Cast.of(folder.review), SoakPlan(idle=0.0, load_seconds=60.0, cool=0.0)
        soaks = []
        for setup in ("box1", "direct"):
            place = Place(folder, folder.path, None, setup)
            found = soak_of(soak(SoakRequest(place, WRITING, plan), Observer()).run)
            assert found is not None
            soaks.append(found)
        chart = soaks_chart(soaks, "MB/s", (), cast)
        shades = {line.label: line.shade for line in chart.panels[0].lines if line.label}
        self.assertEqual(shades["Case number 1 by a maker with a long name"], cast.shade("box1"))
        self.assertEqual(shades["b:fast"], cast.shade("direct"))
        self.assertIn("measured at testbench on 2026-01-01; one value per second", chart.caption.foot)

    def test_setups_of_several_media_differ_in_name_and_colour(self) -> None:
        """Two drives of one model, both direct: a name and a colour for each; of one medium the names stay short."""
        other = '[parts.twin]\nname = "Test Drive"\nkind = "drive"\nlink = "PCIe 4.0 x4"\n[setups.twin]\nchain = ["b:fast", "twin"]\ntarget = "sim:bench.toml"\n'
        cast = Cast.of(self.review(REVIEW + other).review)
        every = ("direct", "twin", "box")
        self.assertEqual(len(set(cast.named(every).values())), 3)
        self.assertEqual(len({cast.shade(h) for h in every}), 3)
        self.assertEqual(cast.named(["direct", "box"])["box"], "Test Box")

    def test_one_workload_alone(self) -> None:
        """Only its rows are left, with the verdicts that the whole has; an unknown one is refused with the near name."""
        folder = self.boxes(1)
        (group,) = compare_review(folder.review, folder.runs())
        (only,) = only_workloads([group], [LARGE[1].text])
        self.assertEqual({r.workload.text for r in only.rows}, {LARGE[1].text})
        self.assertEqual(only.rows, tuple(r for r in group.rows if r.workload.text == LARGE[1].text))
        with self.assertRaisesRegex(UsageError, "unknown workload 'sequential reed 4 MiB depth 4'.*did you mean"):
            only_workloads([group], ["sequential reed 4 MiB depth 4"])
        shown = self.ulterion("compare", "--workload", LARGE[0].text, "--long").stdout
        self.assertIn(LARGE[0].text, shown)
        self.assertNotIn(LARGE[1].text, shown)
        self.refused("compare", "--dark", says="add --figure")


class Sweeps(FolderCase):
    def test_a_sweep_says_when_where_and_how_sure(self) -> None:
        """Sizes by depth, and places: both on either palette, with bench, day, passes and interval at the foot."""
        folder = self.review()
        sizes = simulate(folder, "direct", parse_sweep("random read 4 KiB to 64 KiB depth 1 to 4"), passes=3).run
        places = simulate(folder, "direct", LARGE[0].at_places(3), passes=3).run
        for run, words in (
            (sizes.changed(suite="sweep"), "95% intervals within ±"),
            (places, "95% intervals within ±"),
        ):
            chart = run_chart(run, "MB/s", run.seen_link)
            self.assertIn(f"measured at testbench on 2026-01-01; 3 passes; {words}", chart.caption.foot)
            for dark in (False, True):
                look = look_of(dark=dark)
                self.assertEqual(faults(draw(chart, look), look.palette), [])
