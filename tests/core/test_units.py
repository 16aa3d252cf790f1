"""Reading and showing quantities."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from ulterion.core import units
from ulterion.core.errors import UnitError


class Power(unittest.TestCase):
    def test_currents_at_a_voltage(self) -> None:
        """Amperes and milliamperes, at any voltage."""
        for text, watts in (("2.6 A at 5 V", 13.0), ("470 mA at 12 V", 5.64), ("900 mW", 0.9), ("15 W", 15.0)):
            self.assertAlmostEqual(units.parse_power(text), watts)


class Parse(unittest.TestCase):
    def test_reads_what_people_write(self) -> None:
        """Every quantity comes back in base units."""
        cases = [
            (units.parse_size, "512 GB", 512_000_000_000), (units.parse_size, "4KiB", 4096),
            (units.parse_size, "1.5 TB", 1_500_000_000_000), (units.parse_size, ".5 MiB", 524_288),
            (units.parse_rate, "500 MB/s", 5e8), (units.parse_rate, "5 Gb/s", 6.25e8),
            (units.parse_rate, "1 MiB/s", 1_048_576.0), (units.parse_rate, "480 Mb/s", 6e7),
            (units.parse_duration, "2m30s", 150.0), (units.parse_duration, "250 ms", 0.25),
            (units.parse_duration, "1h", 3600.0), (units.parse_power, "2.6 A at 5 V", 13.0),
            (units.parse_power, "900 mW", 0.9), (units.parse_temperature, "-4 °C", -4.0),
            (units.parse_temperature, "212 F", 100.0), (units.parse_ratio, "3%", 0.03), (units.parse_ratio, "3", 0.03),
            (units.parse_size, "200 G", 200_000_000_000), (units.parse_size, "64K", 64_000), (units.parse_block, "64K", 65_536),
            (units.parse_block, "4k", 4096), (units.parse_rate, "1,046 MB/s", 1.046e9), (units.parse_temperature, "−4°C", -4.0),
            (units.parse_iops, "650 kIOPS", 650_000.0), (units.parse_money, "39.90 USD", units.Money(39.9, "USD")),
        ]  # fmt: skip
        for parse, text, value in cases:
            with self.subTest(text):
                self.assertEqual(parse(text), value)

    def test_refuses_what_could_mean_two_things_and_names_both(self) -> None:
        """A sloppy unit is refused with the two things it could mean."""
        cases = [
            (units.parse_rate, "5 MBps", "MB/s", "Mb/s"), (units.parse_rate, "5 Gbps", "GB/s", "Gb/s"),
            (units.parse_rate, "5 mb/s", "MB/s", "Mb/s"), (units.parse_rate, "5 M/s", "MB/s", "Mb/s"),
            (units.parse_ratio, "0.03", "3%", "0.03%"), (units.parse_duration, "10", "10 s", "10 min"),
            (units.parse_size, "8 Gb", "8 GB", "1 GB"), (units.parse_size, "4 gb", "GB", "Gb"),
        ]  # fmt: skip
        for parse, text, one, other in cases:
            with self.subTest(text), self.assertRaises(UnitError) as caught:
                parse(text)
            self.assertIn(one, str(caught.exception))
            self.assertIn(other, str(caught.exception))

    def test_refuses_nonsense_and_the_absurd(self) -> None:
        """Zero, negative, unitless, infinite and out-of-range quantities are errors of one line."""
        cases = [
            (units.parse_size, ["", "0 B", "-1 GB", "12", "nan GB", "1e999 B", "1e30 GB", "0.1 B", "5 XB", "five GB"]),
            (units.parse_rate, ["0 MB/s", "-5 MB/s", "5 MB", "5", "1e30 GB/s", "MB/s"]),
            (units.parse_duration, ["", "0 s", "-1 s", "5", "5 parsecs", "99999 d", "1h banana"]),
            (units.parse_temperature, ["21", "900 °C", "21 K"]), (units.parse_power, ["5", "0 W", "2 A at 0 V", "-1 W"]),
            (units.parse_ratio, ["3 x", "100%", "-1%"]), (units.parse_money, ["5", "5 euro", "-1 EUR"]),
            (units.parse_iops, ["5", "0 IOPS", "5 MB/s"]),
        ]  # fmt: skip
        for parse, texts in cases:
            for text in texts:
                with self.subTest(f"{parse.__name__} {text!r}"), self.assertRaises(UnitError) as caught:
                    parse(text)
                self.assertNotIn("\n", str(caught.exception))

    @given(st.text(max_size=12))
    def test_any_text_is_read_or_refused(self, text: str) -> None:
        """No text makes a parser fail in another way."""
        parsers = (units.parse_size, units.parse_rate, units.parse_duration, units.parse_money, units.parse_power)
        for parse in (*parsers, units.parse_temperature, units.parse_ratio, units.parse_iops):
            try:
                parse(text)
            except UnitError as error:
                self.assertTrue(str(error))


class Show(unittest.TestCase):
    @given(st.integers(1, 2**62))
    def test_a_shown_size_reads_back(self, size: int) -> None:
        """Decimal and binary sizes read back within the three digits shown."""
        for show in (units.show_size, units.show_block):
            self.assertAlmostEqual(units.parse_size(show(size)) / size, 1.0, delta=0.00501)

    @given(st.floats(1.0, 1e12), st.sampled_from(sorted(units.RATE_UNITS)))
    def test_a_shown_rate_reads_back(self, rate: float, unit: str) -> None:
        """A rate reads back within the three digits shown (nine decimals at most)."""
        back = units.parse_rate(units.show_rate(rate, unit))
        self.assertAlmostEqual(back / rate, 1.0, delta=0.0051 if rate >= 1e3 else 0.6)

    @given(st.floats(1e-8, 300 * 86400))
    def test_a_shown_duration_reads_back(self, seconds: float) -> None:
        """A duration reads back within the resolution shown."""
        step = (
            3600 if seconds > 86400 else 60 if seconds >= 3600 else 1 if seconds >= 60 else max(0.05, seconds * 0.005)
        )
        shown = units.show_duration(seconds)
        self.assertLessEqual(abs(units.parse_duration(shown) - seconds), step * (1 + 1e-9), shown)

    @given(st.floats(1e-6, 1e9))
    def test_three_significant_digits(self, value: float) -> None:
        """At least three digits are right, and no digit beyond the whole number is invented."""
        shown = units.significant(value)
        self.assertLessEqual(abs(float(shown.replace(",", "")) - value), max(value * 0.0051, 0.5e-9))
        if value >= 100:
            self.assertNotIn(".", shown)

    def test_capacity_both_ways(self) -> None:
        """The box's figure and the screen's stand side by side."""
        self.assertEqual(units.show_size_both(512_110_190_592), "512 GB (477 GiB)")
