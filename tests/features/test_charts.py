"""Charts of the demo, of its matrix and of small reviews, in every size, light and dark: what each must hold, and what it says."""

from __future__ import annotations

import itertools
import unittest
import xml.etree.ElementTree as ET
from collections.abc import Iterator
from typing import ClassVar

from PIL import Image

from tests.chart_checks import APART, CONTRAST, ciede2000, contrast, faults, seen
from tests.support import FolderCase
from ulterion.core.estimates.power import budget
from ulterion.features.claims.charts import claims_chart
from ulterion.features.claims.judging import judge_claims
from ulterion.features.compare.charts import comparison_chart
from ulterion.features.compare.machine_charts import ports_chart
from ulterion.features.estimate.charts import power_chart, values_chart, works_chart
from ulterion.features.estimate.power_budget import load_of, supply_of
from ulterion.features.estimate.transfer_time import moving
from ulterion.features.estimate.value import values
from ulterion.features.plan.charts import effects_chart, grid_chart, ranks_chart
from ulterion.features.plan.judging import all_observations, effects, ranks
from ulterion.features.soak.charts import coolers_chart, soaks_chart
from ulterion.features.soak.judging import choose
from ulterion.model.store import ReviewFolder
from ulterion.results.comparison import compare_review
from ulterion.results.pooling import runs_for_results
from ulterion.results.ports import ports
from ulterion.show.charts import Chart
from ulterion.show.draw import draw
from ulterion.show.figure_files import drawn_bytes
from ulterion.show.looks import DARK, LIGHT, SIZES, Cast, Palette, look_of

LOOKS = [(dark, size) for size in (None, *SIZES) for dark in (False, True)]


def charts_of(folder: ReviewFolder) -> Iterator[Chart]:
    """Yield every chart of a review of drives."""
    review, runs = folder.review, runs_for_results(folder)
    cast = Cast.of(review)
    claims = claims_chart(review, judge_claims(review, runs), "MB/s")
    if claims is not None:
        yield claims
    for group in compare_review(review, runs):
        yield comparison_chart(review, group, "MB/s", cast)
    yield ports_chart(review, ports(review, runs), "MB/s")
    every = folder.runs()
    for way in ("read", "write"):
        rows = [r for r in moving(review, every, 200e9, way) if r.work is not None]
        if rows:
            yield works_chart(review, rows, f"200 GB {way}")
    priced = values_chart(review, values(review, every, 2e11, {"read": 1.0}), "200 GB", "MB/s")
    if priced is not None:
        yield priced
    if any(s.kind == "soak" for s in folder.summaries()):
        soaks = [s for s in choose(folder, []) if s.run.chain[-1] == "reed"]
        yield soaks_chart(soaks, "MB/s", (), cast)
        yield soaks_chart(soaks[:1], "MB/s", (), cast)
        warm = coolers_chart(review, soaks, cast)
        if warm is not None:
            yield warm


def charts_of_plan(folder: ReviewFolder) -> Iterator[Chart]:
    """Yield every chart of a matrix."""
    review, runs = folder.review, runs_for_results(folder)
    found = all_observations(review, runs)
    yield grid_chart(review, found[:1], "enclosure", "driver", "MB/s", foot="measured")
    told = [(o, e) for o in found if (e := effects(o)) is not None]
    yield effects_chart(review, told, "measured")
    yield ranks_chart(
        review, [(o, r) for o in found if (r := ranks(review, o, None, 0.03)) is not None], "MB/s", "measured"
    )
    for group in compare_review(review, runs):
        yield comparison_chart(review, group, "MB/s", Cast.of(review))


class Charts(FolderCase):
    def held(self, charts: list[Chart]) -> None:
        """Draw each chart in one of the looks, another one each time, and look for faults."""
        for chart, (dark, size) in zip(charts, itertools.cycle(LOOKS), strict=False):
            look = look_of(dark=dark, size=size)
            with self.subTest(chart.caption.title, dark=dark, size=size):
                self.assertEqual(faults(draw(chart, look), look.palette), [])

    def test_the_demo(self) -> None:
        """Every chart, each in one of the ten looks (all of them in all looks: benchmarks/charts.py)."""
        folder = self.opened(self.demo())
        charts = list(charts_of(folder))
        supply = supply_of(folder.review, "h4")
        loads = [load_of(folder.review, folder.runs(), part) for part in ("vault", "pod", "vault")]
        charts.append(power_chart(supply.name, budget(supply.gives, loads), supply.source))
        self.assertGreaterEqual(len(charts), 13)
        self.held(charts)

    def test_a_matrix(self) -> None:
        """Thirty-two cells: panels by product, no name twice in a panel."""
        charts = list(charts_of_plan(self.opened(self.demo("matrix", plan=True))))
        self.held(charts)
        for chart in charts:
            for panel in getattr(chart, "panels", ()):
                labels = [b.label for b in getattr(panel, "bars", ())]
                self.assertEqual(len(labels), len(set(labels)), labels)

    def test_files_say_what_they_are(self) -> None:
        """An SVG has its text as text, a title and a description; a PNG its words and runs, at twice the size; a look has the size asked for."""
        folder = self.demo()
        chart = next(charts_of(self.opened(folder)))
        svg = drawn_bytes(draw(chart, look_of(dark=True, size="card")), "svg")
        root = ET.fromstring(svg)
        names = {child.tag.partition("}")[2]: child.text or "" for child in root}
        self.assertEqual(names["title"], chart.caption.title)
        self.assertTrue(names["desc"].startswith(chart.caption.title))
        self.assertIn(chart.caption.title, "".join(root.itertext()).replace("\n", ""))
        self.assertIn(b"<text", svg)
        self.ulterion("claims", "--figure", "c.png", "--size", "card", cwd=folder)
        with Image.open(folder / "c.png") as picture:
            self.assertEqual(picture.size, (2400, 1260))
            self.assertEqual(picture.info["Title"], chart.caption.title)
            self.assertRegex(picture.info["Source"], r"runs [0-9a-f]{6}")
        review = (folder / "review.toml").read_text()
        (folder / "review.toml").write_text(f"{review}\n[report.titles]\nclaims = 'What boxes say'\n")
        self.ulterion("claims", "--figure", "c.svg", cwd=folder)
        self.assertIn("<title>What boxes say</title>", (folder / "c.svg").read_text())
        self.refused("claims", "--size", "card", says="--size is for a figure", cwd=folder)
        self.refused(
            "claims", "--figure", "c.png", "--size", "huge", says="unknown .huge.; choose from card", cwd=folder
        )

    def test_every_answer_can_be_drawn(self) -> None:
        """Each command writes one figure with a title of its own, and says where it is."""
        folder, titles = self.demo(), set[str]()
        for words in (
            ("estimate", "record", "400 Mb/s"), ("estimate", "copy", "60 GB", "--from", "slot", "--to", "pod"), ("estimate", "value", "200 GB"),
            ("estimate", "power", "h4", "--part", "pod"), ("compare", "--machines"), ("race", "pod", "slip"), ("versus", "vault", "vault-long"),
            ("clock", "a: 1.3 GB in 64s", "b: 1.3 GB in 31s"), ("measure", "--setup", "hub-pod", "--together", "vault", "--workload", "sequential read 1 MiB depth 4", "--passes", "2"),
            ("capacity", "--setup", "crumble", "--quick"),
        ):  # fmt: skip
            done = self.ulterion(*words, "--figure", "f.svg", cwd=folder)
            self.assertIn("figure: f.svg", done.stdout, done.stderr)
            titles.add(ET.fromstring((folder / "f.svg").read_bytes())[0].text or "")
        self.assertEqual(len(titles), 10)
        (self.folder / "from").mkdir()
        (self.folder / "to").mkdir()
        (self.folder / "from/one").write_bytes(bytes(3000))
        self.assertNotIn(
            "f.svg", self.ulterion("copy", "from", "to", "--passes", "1", "--figure", "f.svg").stdout
        )  # too short for a course


class Palettes(unittest.TestCase):
    PALETTES: ClassVar[dict[str, Palette]] = {"light": LIGHT, "dark": DARK}

    def test_products_are_told_apart(self) -> None:
        """Six colours and the baseline's grey: at least 15 between any two, for normal sight and the three kinds of dichromats."""
        for name, palette in self.PALETTES.items():
            for sight in ("normal", "protan", "deutan", "tritan"):
                colours = {c: seen(c, sight) for c in (*palette.products, palette.neutral)}
                for (one, a), (other, b) in itertools.combinations(colours.items(), 2):
                    self.assertGreaterEqual(ciede2000(a, b), APART, f"{name}, {sight}: {one} {other}")

    def test_colours_stand_out(self) -> None:
        """Text on its background and in cells; bars at 3 to 1 (WCAG 2.2, 1.4.11)."""
        for palette in self.PALETTES.values():
            for behind in (palette.background, palette.good, palette.bad, palette.open, palette.rest, *palette.ramp):
                self.assertGreaterEqual(contrast(palette.ink, behind), CONTRAST)
            self.assertGreaterEqual(contrast(palette.quiet, palette.background), CONTRAST)
            for colour in (*palette.products, palette.neutral):
                self.assertGreaterEqual(contrast(colour, palette.background), 2.95)

    def test_differences_are_those_of_the_published_pairs(self) -> None:
        """Pairs of the paper's table 1."""
        import numpy as np

        for one, other, told in (
            ((50.0, 2.6772, -79.7751), (50.0, 0.0, -82.7485), 2.0425),
            ((50.0, -1.3802, -84.2814), (50.0, 0.0, -82.7485), 1.0),
            ((50.0, 2.5, 0.0), (73.0, 25.0, -18.0), 27.1492),
            ((2.0776, 0.0795, -1.135), (0.9033, -0.0636, -0.5514), 0.9082),
        ):
            self.assertAlmostEqual(ciede2000(np.array(one), np.array(other)), told, places=4)


if __name__ == "__main__":
    unittest.main()
