"""Figures of comparisons and sweeps: what they name, one colour for a setup, light and dark, and how sure they are."""

from __future__ import annotations

import errno
import multiprocessing
import os
import signal
import unittest
from collections.abc import Callable
from unittest import mock

from matplotlib.colors import to_hex
from matplotlib.figure import Figure

from tests.running import LONGEST
from tests.support import BENCH, REVIEW, FolderCase, simulate
from ulterion.core.errors import UlterionError, UsageError
from ulterion.core.workloads.workload import parse_sweep, parse_workload
from ulterion.features.compare.figures import draw_comparison
from ulterion.features.measure.sweep_figure import draw_run
from ulterion.features.page.pictures import pictures_of
from ulterion.features.soak.figures import draw_soaks
from ulterion.features.soak.judging import soak_of
from ulterion.features.soak.run import soak
from ulterion.model.runs.soak import SoakPlan
from ulterion.model.store import ReviewFolder
from ulterion.results.comparison import compare_review, only_workloads
from ulterion.run.observers import Observer
from ulterion.run.place import Place
from ulterion.run.requests import SoakRequest
from ulterion.show.blocks import Article, Drawing
from ulterion.show.figure_base import DARK, LIGHT, SetupStyles
from ulterion.terminal.signals import stoppable

LARGE = [parse_workload("sequential read 4 MiB depth 4"), parse_workload("sequential write 4 MiB depth 4")]
WRITING = parse_workload("sequential write 1 MiB depth 4")


def texts(figure: Figure) -> str:
    """Return every text of a figure."""
    axes = [t.get_text() for a in figure.axes for t in [*a.texts, a.title, *a.get_yticklabels(), *a.get_xticklabels()]]
    left = [a.get_title(loc="left") for a in figure.axes]
    return " | ".join([figure.get_suptitle(), figure.get_supxlabel(), *axes, *left])


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
        cast = SetupStyles.of(folder.review)
        for dark, palette in ((False, LIGHT), (True, DARK)):
            (group,) = compare_review(folder.review, folder.runs())
            figure = draw_comparison(group, "Test Drive", "MB/s", cast, dark=dark)
            told = texts(figure)
            for words in (
                "b:fast",
                "Test Box",
                "Case number 7",
                "measured at testbench on 2026-01-01; 3 passes, connected once; lines: 95% intervals",
            ):
                self.assertIn(words, told)
            self.assertEqual(to_hex(figure.get_facecolor()), palette.background)
            colours = [to_hex(bar.get_facecolor()) for bar in figure.axes[0].patches]
            self.assertEqual(len(colours), 12)
            self.assertEqual(len(set(colours)), 12)
            (few,) = compare_review(folder.review, folder.runs(), setups=["box7"])
            bars = draw_comparison(few, "Test Drive", "MB/s", cast, dark=dark).axes[0].patches
            self.assertEqual([to_hex(bar.get_facecolor()) for bar in bars], [colours[0], colours[9]])

    def test_a_soak_has_the_colour_and_name_of_its_setup(self) -> None:
        """Two soaks: lines in the colours that the comparison gives their setups, named by products."""
        folder = self.boxes(2)
        cast, plan = SetupStyles.of(folder.review), SoakPlan(idle=0.0, load_seconds=60.0, cool=0.0)
        soaks = []
        for setup in ("box1", "direct"):
            place = Place(folder, folder.path, None, setup)
            found = soak_of(soak(SoakRequest(place, WRITING, plan), Observer()).run)
            assert found is not None
            soaks.append(found)
        figure = draw_soaks(soaks, "MB/s", (), cast)
        lines = {str(line.get_label()): to_hex(line.get_color()) for line in figure.axes[0].lines}
        self.assertEqual(lines["b:fast"], LIGHT.lines[0])
        self.assertEqual(lines["Case number 1 by a maker with a long name"], LIGHT.lines[3])
        self.assertIn("measured at testbench on 2026-01-01; one value per 1 s", texts(figure))

    def test_setups_of_several_media_differ_in_name_and_colour(self) -> None:
        """Two drives of one model, both direct: a name and a colour for each; of one medium the names stay short."""
        other = '[parts.twin]\nname = "Test Drive"\nkind = "drive"\nlink = "PCIe 4.0 x4"\n[setups.twin]\nchain = ["b:fast", "twin"]\ntarget = "sim:bench.toml"\n'
        review = self.review(REVIEW + other).review
        cast = SetupStyles.among(review, ["direct", "twin", "box"])
        for told in (cast.name, lambda h: cast.place(h, 9)):
            self.assertEqual(len({told(h) for h in ("direct", "twin", "box")}), 3)
        self.assertEqual(SetupStyles.among(review, ["direct", "box"]).name("box"), "Test Box")

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
            (sizes.model_copy(update={"suite": "sweep"}), "95% intervals within ±"),
            (places, "lines: 95% intervals"),
        ):
            for dark, palette in ((False, LIGHT), (True, DARK)):
                figure = draw_run(run, "MB/s", run.seen_link, dark=dark)
                self.assertIn(f"measured at testbench on 2026-01-01; 3 passes; {words}", figure.get_supxlabel())
                self.assertEqual(to_hex(figure.axes[0].get_facecolor()), palette.background)


class SideBySide(unittest.TestCase):
    """Figures drawn by processes of their own, while the caller minds signals in its own way."""

    def drawn(self, draw: Callable[[bool], Figure]) -> dict[str, bytes]:
        article = Article("Box", (), tuple(Drawing(f"figure-{n}", "", "", draw) for n in range(6)))
        with stoppable(), mock.patch("os.cpu_count", return_value=2):
            return pictures_of(article)

    def test_each_process_can_be_ended_and_leaves_ctrl_c_to_its_parent(self) -> None:
        def heeding(dark: bool) -> Figure:
            told = [signal.getsignal(n) for n in (signal.SIGTERM, signal.SIGHUP, signal.SIGINT)]
            if os.getpid() == parent or told != [signal.SIG_DFL, signal.SIG_DFL, signal.SIG_IGN]:
                raise AssertionError(told)
            return Figure()

        parent = os.getpid()
        self.assertEqual(len(self.drawn(heeding)), 6)

    def test_where_no_process_can_be_started_one_draws_them_all(self) -> None:
        real, asked = os.fork, iter(range(9))

        def scarce() -> int:
            if next(asked):
                raise BlockingIOError(errno.EAGAIN, "Resource temporarily unavailable")
            return real()

        with mock.patch("os.fork", scarce):
            drawn = self.drawn(lambda dark: Figure())
        self.assertEqual((len(drawn), next(asked)), (6, 2))
        for child in multiprocessing.active_children():
            child.join(LONGEST)
        self.assertEqual(multiprocessing.active_children(), [])

    def test_a_process_that_is_ended_ends_the_page(self) -> None:
        """In a sentence: it neither hangs nor leaves a page without the figure."""

        def ended(dark: bool) -> Figure:
            os.kill(os.getpid(), signal.SIGTERM)
            return Figure()

        with self.assertRaisesRegex(UlterionError, "a process that drew the figures was ended from outside"):
            self.drawn(ended)
