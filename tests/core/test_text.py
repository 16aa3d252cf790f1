"""Text from outside: whatever it holds, nothing of it is obeyed, and nothing of it is lost in JSON."""

from __future__ import annotations

import json
import time
import unittest

from hypothesis import given
from hypothesis import strategies as st

from ulterion.core import units
from ulterion.core.errors import UnitError
from ulterion.core.text import MAX_SENTENCE, brief, json_bytes, json_safe, one_line, spoken, visible

ANY = st.text(st.characters(), max_size=60) | st.binary(max_size=30).map(lambda b: b.decode("utf-8", "surrogateescape"))


class Shown(unittest.TestCase):
    @given(ANY)
    def test_nothing_is_left_that_a_terminal_obeys(self, text: str) -> None:
        """No control character but line end and tab, no turn of direction; it can be encoded, and cleaning twice is once."""
        shown = visible(text)
        shown.encode("utf-8")
        self.assertFalse(
            [c for c in shown if c not in "\n\t" and (ord(c) < 32 or 127 <= ord(c) < 160 or c in "\u202e\u2028")]
        )
        self.assertEqual(visible(shown), shown)
        self.assertNotIn("\n", one_line(text))
        spoken(text).encode("utf-8")

    @given(st.text(st.characters(), max_size=5000))
    def test_a_sentence_stays_one(self, text: str) -> None:
        """One line, of bounded length, whatever was typed."""
        self.assertNotIn("\n", brief(text))
        self.assertLessEqual(len(brief(text)), MAX_SENTENCE + 10)

    @given(
        st.recursive(
            ANY | st.integers() | st.none(), lambda inner: st.lists(inner) | st.dictionaries(ANY, inner), max_leaves=8
        )
    )
    def test_json_says_the_same_and_is_safe(self, data: object) -> None:
        """Escaped for a terminal or written as bytes, it reads back as what it was, names that are no UTF-8 included."""
        plain = json.dumps(data, ensure_ascii=False)
        self.assertEqual(json.loads(json_safe(plain)), json.loads(plain))
        self.assertEqual(visible(json_safe(plain)), json_safe(plain))
        self.assertEqual(json.loads(json_bytes(plain)), json.loads(plain))


class Quantities(unittest.TestCase):
    PARSERS = (units.parse_size, units.parse_rate, units.parse_iops, units.parse_duration, units.parse_money, units.parse_power,
               units.parse_temperature, units.parse_ratio)  # fmt: skip

    @given(ANY | st.from_regex(r"[ \t]{0,3}[+-]?[0-9.]{0,4}[eE]?[0-9]{0,3}[ \t]{0,3}[a-zA-Z/%]{0,5}"))
    def test_any_text_is_read_or_refused(self, text: str) -> None:
        """Never another error than the one that names the text."""
        for parse in self.PARSERS:
            try:
                parse(text)
            except UnitError as error:
                self.assertTrue(str(error))

    def test_a_long_text_takes_no_time(self) -> None:
        """60,000 spaces, digits or letters are refused at once: no search goes back and forth in them."""
        begin = time.process_time()
        for filler in (" ", "1", "x", "1 ", "1m", "."):
            for parse in self.PARSERS:
                with self.assertRaises(UnitError):
                    parse(f"4{filler * 60_000}!")
        self.assertLess(time.process_time() - begin, 5.0)
