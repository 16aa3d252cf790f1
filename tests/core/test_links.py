"""The table of standard links."""

from __future__ import annotations

import unittest

from ulterion.core.errors import UsageError
from ulterion.core.links import negotiated, standards


class Table(unittest.TestCase):
    def test_figures_from_the_standards(self) -> None:
        """Theoretical payload rates, worked out by hand from each standard, in MB/s."""
        known = {
            "USB 12 Mb/s": 1.216, "USB 480 Mb/s": 53.248, "USB 5 Gb/s": 500.0, "USB 10 Gb/s": 1212.12,
            "USB 10 Gb/s (2 x 5)": 1000.0, "USB 20 Gb/s": 2424.24, "USB4 40 Gb/s": 4848.48, "Thunderbolt 3": 5000.0,
            "Thunderbolt 1": 1250.0, "Thunderbolt 2": 2500.0, "SD UHS-II FD156": 156.0, "SD UHS-III FD624": 624.0, "SD UHS-I SDR25": 25.0,
            "SATA 6 Gb/s": 600.0, "ATA-133": 133.3, "PCIe 1.0 x1": 250.0, "PCIe 2.0 x4": 2000.0,
            "PCIe 3.0 x4": 3938.46, "PCIe 4.0 x4": 7876.92, "PCIe 5.0 x16": 63015.4, "SD UHS-I SDR104": 104.0,
            "SD UHS-II HD312": 312.0, "SD Express 4.0 x2": 3938.46, "CFexpress 2.0 Type B": 1969.23,
            "eMMC HS400": 400.0, "Ethernet 1 Gb/s": 123.755, "Ethernet 25 Gb/s": 3093.88,
        }  # fmt: skip
        for name, megabytes in known.items():
            with self.subTest(name):
                self.assertAlmostEqual(standards.find_link(name).payload / 1e6, megabytes, delta=megabytes * 1e-4)

    def test_the_ends_of_the_practical_ranges(self) -> None:
        """PCIe with payloads of 512 bytes leaves 95%, USB 480 whole packets of a microframe, tunnels of 40 Gb/s the same by any name."""
        high = {
            name: standards.find_link(name).practical_high
            for name in ("PCIe 4.0 x4", "USB 480 Mb/s", "USB4 40 Gb/s", "Thunderbolt 3", "Thunderbolt 4")
        }
        self.assertTrue(7450e6 < high["PCIe 4.0 x4"] <= 512 / 536 * 7876.92e6)
        self.assertEqual(high["USB 480 Mb/s"] % (512 * 8000), 0)
        self.assertEqual(len({high[n] for n in ("USB4 40 Gb/s", "Thunderbolt 3", "Thunderbolt 4")}), 1)
        self.assertEqual(getattr(negotiated.guess_link(920e6, 915e6), "name", None), "USB 10 Gb/s")

    def test_every_link_is_in_order(self) -> None:
        """Practical lies below theoretical, theoretical below the coded line, and everything has its source."""
        for link in standards.LINKS:
            with self.subTest(link.name):
                self.assertLess(link.practical_low, link.practical_high)
                self.assertLessEqual(link.practical_high, link.payload * 1.0001)
                self.assertLessEqual(link.payload, link.line_bits * standards.CODES[link.code] / 8 * 1.001)
                self.assertTrue(link.source and link.practical_from)

    def test_names_are_unique_and_found_however_written(self) -> None:
        """No two links share a name or alias; case, spaces and hyphens do not count."""
        names = [n for link in standards.LINKS for n in (link.name, *link.aliases)]
        keys = [n.casefold().replace(" ", "").replace("-", "") for n in names]
        self.assertEqual(len(keys), len(set(keys)))
        for name in names:
            self.assertIs(standards.find_link(name.upper().replace(" ", "")), standards.find_link(name))

    def test_unknown_name_gets_the_near_one(self) -> None:
        """A slip is answered with the near name."""
        with self.assertRaisesRegex(UsageError, "did you mean 'USB 10 Gb/s'"):
            standards.find_link("USB 10 Gbit")

    def test_kernel_figures(self) -> None:
        """What the kernel states leads to the link; what it cannot mean leads nowhere."""
        self.assertEqual(getattr(negotiated.usb_link(5000), "name", None), "USB 5 Gb/s")
        self.assertEqual(getattr(negotiated.pcie_link(8.0, 2), "name", None), "PCIe 3.0 x2")
        for lanes, name in ((1, "USB 10 Gb/s"), (2, "USB 10 Gb/s (2 x 5)")):
            self.assertEqual(getattr(negotiated.usb_link(10000, lanes), "name", None), name)
        self.assertIsNone(negotiated.usb_link(1.5))
        self.assertIsNone(negotiated.pcie_link(8.0, 3))
