"""How much is shown, and how wide: the answer first, one screen, nothing cut, nothing padded."""

from __future__ import annotations

import io
import re
import unittest
from pathlib import Path
from unittest import mock

from benchmarks.screens import DEMOS, SCREENS
from hypothesis import given
from hypothesis import strategies as st

from tests.support import FolderCase
from ulterion.show.blocks import Table, Text
from ulterion.show.terminal import text_of


class Screens(FolderCase):
    def test_the_answer_comes_first_on_one_screen(self) -> None:
        """The first line is the answer, and all of it fits one screen; no line is too long or ends in a space, nothing is cut."""
        folders = {plan: self.demo(f"demo-{plan}", plan=plan) for plan in DEMOS}
        for screen in SCREENS:
            with self.subTest(screen.words):
                lines = self.shown(screen.words, folders[screen.plan])
                self.assertRegex(lines[0], f"^{screen.begins}")
                self.assertLessEqual(len(lines), screen.most)
        for width in (80, 120):
            for words, plan in ((("compare",), False), (("claims",), False), (("plan", "effects"), True)):
                self.shown(words, folders[plan], width)

    def test_the_demo_itself(self) -> None:
        """It fits one screen, with two lines for the page that it makes, and ends with what to try."""
        for plan, (_, most) in DEMOS.items():
            shown = self.demo_said(plan=plan)
            self.assertLessEqual(len(shown), most if plan else most - 2)
            self.assertRegex(shown[-1], "ulterion ")

    def shown(self, words: tuple[str, ...], folder: Path, width: int = 100) -> list[str]:
        """Return the lines of an answer, after a look at their form."""
        with mock.patch.object(self, "environment", self._as_wide_as(width)):
            lines = self.ulterion(*words, cwd=folder).stdout.splitlines()
        self.assertFalse([line for line in lines if line.endswith(" ") or "…" in line], words)
        self.assertLessEqual(max(len(line) for line in lines if not line.startswith("kept in ")), width, words)
        return lines

    def test_why_and_long_add_and_take_nothing_away(self) -> None:
        """--why has the evidence, --long the run ids as well; what the answer says stands in both."""
        inside = self.demo("d")
        short, why, long = (
            self.ulterion("compare", "pod", *more, cwd=inside).stdout for more in ((), ("--why",), ("--long",))
        )
        self.assertLess(len(short), len(why))
        self.assertLess(len(why), len(long))
        for words in ("Bottleneck", "Other differences", "Limits of these intervals"):
            self.assertNotIn(words, short)
            self.assertIn(words, why)
        self.assertNotRegex(why, r"pod [0-9a-f]{6}")
        self.assertRegex(long, r"pod [0-9a-f]{6}")
        for line in short.splitlines()[:10]:
            self.assertIn(line, long)

    def _as_wide_as(self, width: int) -> mock.Mock:
        return mock.Mock(return_value=self.environment() | {"COLUMNS": str(width)})


class Widths(unittest.TestCase):
    @given(
        st.lists(st.text("abc ", min_size=1, max_size=12).map(str.strip).filter(bool), min_size=1, max_size=6),
        st.integers(40, 90),
    )
    def test_what_can_be_spared_goes_first_and_is_said(self, cells: list[str], width: int) -> None:
        """No line is longer than the screen; a column that is left out is named; the name that tells rows apart stays whole."""
        table = Table(
            [("", "left"), ("one", "right"), ("two", "left")],
            [[f"row{i}", c, c * 3] for i, c in enumerate(cells)],
            spare=("two",),
        )
        with mock.patch.dict("os.environ", {"COLUMNS": str(width)}):
            lines = text_of(table, io.StringIO()).splitlines()
        self.assertLessEqual(max(map(len, lines)), max(width, 45))
        self.assertEqual("two" not in lines[0], lines[-1] == "not shown, for lack of width: two")
        for number, cell in enumerate(cells):
            self.assertTrue(any(line.startswith(f"row{number}") and cell in line for line in lines), lines)

    def test_the_last_column_folds(self) -> None:
        """A reason goes on below itself; every word of it is there."""
        reason = "the same port ran another box at twice the rate, so try another cable"
        table = Table([("", "left"), ("why", "left")], [["a box with a name", Text(reason)]], folds=True)
        with mock.patch.dict("os.environ", {"COLUMNS": "48"}):
            lines = text_of(table, io.StringIO()).splitlines()
        self.assertGreater(len(lines), 3)
        self.assertEqual(" ".join(re.sub("^a box with a name", "", line).strip() for line in lines[1:]), reason)

    def test_a_pipe_is_as_wide_as_its_lines(self) -> None:
        """Without COLUMNS nothing is broken, whatever the length."""
        with mock.patch.dict("os.environ"):
            import os

            os.environ.pop("COLUMNS", None)
            self.assertEqual(text_of(Text("word " * 200), io.StringIO()), ("word " * 200).rstrip() + "\n")
