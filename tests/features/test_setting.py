"""Blocks set in lines: nothing is lost, nothing is too long."""

from __future__ import annotations

import io
import unittest
from unittest import mock

from hypothesis import example, given
from hypothesis import strategies as st

from ulterion.show.blocks import Definitions, Items, Table, Text
from ulterion.show.setting import LEAST, Line, cells, length, set_block
from ulterion.show.terminal import text_of

WORDS = st.text(st.sampled_from("abc é漢字\u0301-,"), max_size=60)


def words_of(lines: list[Line]) -> str:
    """Return the letters of lines, without any spaces."""
    return "".join("".join(span.text for span in line) for line in lines).replace(" ", "")


class Setting(unittest.TestCase):
    @given(WORDS, WORDS, st.integers(4, 40), st.integers(0, 3))
    @example("", " aa字", 4, 0)
    def test_a_text(self, text: str, after: str, width: int, indent: int) -> None:
        """Every letter is there once, in order; no line is wider than it may be, and words break only where they must."""
        lines = set_block(Text(text, "bad", after, indent=indent), width)
        self.assertEqual(words_of(lines), f"{text}{after}".replace(" ", ""))
        self.assertLessEqual(max(map(length, lines)), max(width, indent + 2))
        whole = f"{text}{after}".split()
        if all(cells(word) <= width - indent for word in whole):
            self.assertEqual([w for line in lines for w in "".join(s.text for s in line).split()], whole)

    @given(st.lists(st.tuples(WORDS, WORDS), min_size=1, max_size=4), st.integers(10, 60))
    def test_sentences_beside_names(self, rows: list[tuple[str, str]], width: int) -> None:
        """They hang below their beginning, within the width or what is the least that a sentence needs."""
        lines = set_block(Definitions(tuple(rows), width=4), width)
        self.assertEqual(words_of(lines), "".join(f"{n}{s}" for n, s in rows).replace(" ", ""))
        most = max(cells(name.ljust(4)) for name, _ in rows)
        self.assertLessEqual(max(map(length, lines)), max(width, most + LEAST))
        self.assertEqual(
            words_of(set_block(Items(tuple(s for _, s in rows)), width)).replace("-", ""),
            "".join(s for _, s in rows).replace(" ", "").replace("-", ""),
        )

    @given(st.lists(st.lists(WORDS, min_size=3, max_size=3), max_size=4), st.integers(20, 200))
    def test_a_table(self, rows: list[list[str]], width: int) -> None:
        """Columns stand below their headings; what has no room is left out whole, and said."""
        lines = set_block(Table([("one", "left"), ("two", "right"), ("three", "left")], rows, spare=("two",)), width)
        told = words_of(lines)
        for row in rows:
            for number, cell in enumerate(row):
                shown = cell.replace(" ", "") in told
                self.assertTrue(shown or (number == 1 and "notshown" in told))
        if "notshown" not in told and max(map(length, lines)) <= width and length(lines[0]) <= width:
            self.assertEqual(len(lines), len(rows) + 1)

    def test_colours(self) -> None:
        """A terminal gets them, unless it is asked not to or has none; nothing from outside is obeyed."""
        terminal = mock.Mock(spec=io.StringIO)
        terminal.isatty.return_value, terminal.fileno.side_effect = True, OSError
        block = Text("missed \x1b[2J", "bad")
        with mock.patch.dict("os.environ", {"TERM": "xterm", "COLUMNS": "80"}, clear=True):
            self.assertEqual(text_of(block, terminal), "\x1b[31mmissed \\x1b[2J\x1b[0m\n")
            for name, value in (("NO_COLOR", "1"), ("TERM", "dumb")):
                with mock.patch.dict("os.environ", {name: value}):
                    self.assertEqual(text_of(block, terminal), "missed \\x1b[2J\n")
        self.assertEqual(text_of(block, io.StringIO()), "missed \\x1b[2J\n")
