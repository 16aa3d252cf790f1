"""How much is shown, and how wide: the answer first, one screen, nothing cut, nothing padded."""

from __future__ import annotations

import re
import unittest
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st

from tests.support import FolderCase
from ulterion.show.blocks import Table, Text
from ulterion.show.terminal import plain_lines

ANSWERS = {
    ("compare",): (r"^With Tarnfell Reed 1 TB, desk:m2 is fastest ", 40),
    ("compare", "pod"): (
        r"^Brindlewick Pod reads at 1,046 MB/s, 21% of desk:m2, and writes at",
        24,
    ),
    ("compare", "--soaks", "pod", "draught"): (r"^Quillmere Draught runs 1\d\.\d °C cooler than", 24),
    ("claims",): (r"^8 of 26 claims missed, 1 partly, 5 undecided", 48),
}
"""How an answer on the demo begins, and on how many lines of 100 columns it fits."""


class Screens(FolderCase):
    def test_the_answer_comes_first_on_one_screen(self) -> None:
        """At 80, 100 and 120 columns no line is longer, none ends in a space, and nothing is cut."""
        inside = self.demo("d")
        for words, (begins, most) in ANSWERS.items():
            for width in (80, 100, 120):
                with mock.patch.object(self, "environment", self._as_wide_as(width)):
                    out = self.ulterion(*words, cwd=inside).stdout
                lines = out.splitlines()
                self.assertRegex(lines[0], begins)
                self.assertLessEqual(max(map(len, lines)), width, words)
                self.assertFalse([line for line in lines if line.endswith(" ")], words)
                self.assertNotIn("…", out)
                if width == 100:
                    self.assertLessEqual(len(lines), most, words)
            self.assertTrue(lines[-1].startswith("next: ") or words[-1] == "draught", lines[-1])

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
            lines = plain_lines(table).splitlines()
        self.assertLessEqual(max(map(len, lines)), max(width, 45))
        self.assertEqual("two" not in lines[0], lines[-1] == "left out for want of width: two")
        for number, cell in enumerate(cells):
            self.assertTrue(any(line.startswith(f"row{number}") and cell in line for line in lines), lines)

    def test_the_last_column_folds(self) -> None:
        """A reason goes on below itself; every word of it is there."""
        reason = "the same port ran another box at twice the rate, so try another cable"
        table = Table([("", "left"), ("why", "left")], [["a box with a name", Text(reason)]], folds=True)
        with mock.patch.dict("os.environ", {"COLUMNS": "48"}):
            lines = plain_lines(table).splitlines()
        self.assertGreater(len(lines), 3)
        self.assertEqual(" ".join(re.sub("^a box with a name", "", line).strip() for line in lines[1:]), reason)

    def test_a_pipe_is_as_wide_as_its_lines(self) -> None:
        """Without COLUMNS nothing is broken, whatever the length."""
        with mock.patch.dict("os.environ"):
            import os

            os.environ.pop("COLUMNS", None)
            self.assertEqual(plain_lines(Text("word " * 200)), ("word " * 200).rstrip() + "\n")
