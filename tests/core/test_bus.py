"""Which bus a port is, by rates: what is ruled out for certain, what only fits, and made-up ports unlike the code's own tables."""

from __future__ import annotations

import unittest
from collections import Counter
from dataclasses import replace

import numpy as np
from benchmarks.ports import case
from hypothesis import given
from hypothesis import strategies as st

from ulterion.core.links.bus import BUSES, PortRates, bus_finding, fitting_bus, ruled_out
from ulterion.core.links.standards import find_link
from ulterion.show.bus_words import bus_sentence

FRONT = PortRates("front", 231e6, 180e6, 225e6, 236e6, wait=300e-6)
HUB = PortRates("hub", 37e6, 35e6, 36e6, 38e6, wait=480e-6)


class Buses(unittest.TestCase):
    def test_made_up_ports(self) -> None:
        """Of 3,000 pairs none that is called likely is wrong, none rules out what it hangs on, and most slower ports are named."""
        rng = np.random.default_rng(7)
        counts = Counter(case(rng) for _ in range(3000))
        self.assertEqual(counts["likely", "wrong"] + counts["ruled out", "wrong"], 0, counts)
        self.assertGreater(counts["likely", "right"], counts["nothing", "a bus"], counts)

    @given(st.floats(1e5, 2e10))
    def test_what_a_rate_rules_out_it_exceeds(self, rate: float) -> None:
        """The bus that is ruled out carries less than the rate, the next one does not; one that fits could carry it."""
        gone, fits = ruled_out(rate), fitting_bus(rate)
        if gone is not None:
            self.assertLess(gone.payload, rate)
            self.assertTrue(gone is BUSES[-1] or BUSES[BUSES.index(gone) + 1].payload >= rate)
        if fits is not None:
            self.assertGreater(fits.practical_high * 1.1 + 1, rate)

    def test_what_is_said_and_how_sure(self) -> None:
        """Likely by both directions and the wait; possible with a reader between; nothing where the drive is the limit, or the system shows the link."""
        found = bus_finding(HUB, FRONT)
        assert found is not None
        self.assertEqual((found.link.name, found.is_likely, len(found.evidence)), ("USB 480 Mb/s", True, 2))
        words = bus_sentence(found, str)
        for part in ("37.0 MB/s", "231", "USB 480 Mb/s", "180 µs longer", "faster than that bus"):
            self.assertIn(part, words)
        reader = bus_finding(replace(HUB, between=("Reader",)), FRONT)
        assert reader is not None
        self.assertFalse(reader.is_likely)
        self.assertIn("or Reader itself", bus_sentence(reader, str))
        self.assertIsNone(bus_finding(HUB, replace(FRONT, read=40e6, write=38e6, low=39e6, high=41e6)))
        self.assertIsNone(bus_finding(replace(HUB, read=100e6, low=98e6, high=102e6), FRONT))
        slow, fast = find_link("USB 480 Mb/s"), find_link("USB 5 Gb/s")
        seen = bus_finding(replace(HUB, seen=slow), replace(FRONT, seen=fast))
        assert seen is not None
        self.assertTrue(seen.seen and "is linked at USB 480 Mb/s" in bus_sentence(seen, str))
        self.assertIsNone(bus_finding(replace(HUB, seen=fast), replace(FRONT, seen=fast)))
        doubtful = bus_finding(replace(HUB, seen=slow), replace(FRONT, seen=fast, doubtful=True))
        assert doubtful is not None
        self.assertEqual(bus_sentence(doubtful, str), "hub is linked at USB 480 Mb/s, front at USB 5 Gb/s")
