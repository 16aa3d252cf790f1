"""The buses of memory cards and of soldered memory: rows of the table of links, as their standards give them."""

from __future__ import annotations

_PLS = "SD Physical Layer Specification"
CARDS: tuple[tuple[str, float, str, *tuple[str, ...]], ...] = (
    ("SD default speed", 12.5, f"{_PLS}: 25 MHz x 4 bit"),
    ("SD default speed (1 bit)", 3.125, f"{_PLS}: 25 MHz x 1 bit"),
    ("SD high speed", 25, f"{_PLS}: 50 MHz x 4 bit"),
    ("SD high speed (1 bit)", 6.25, f"{_PLS}: 50 MHz x 1 bit"),
    ("SD UHS-I SDR12", 12.5, f"{_PLS}: 25 MHz x 4 bit"),
    ("SD UHS-I SDR25", 25, f"{_PLS}: 50 MHz x 4 bit"),
    ("SD UHS-I DDR50", 50, f"{_PLS}: 50 MHz x 4 bit, both edges"),
    ("SD UHS-I SDR50", 50, f"{_PLS}: 100 MHz x 4 bit", "UHS-I 50"),
    ("SD UHS-I SDR104", 104, f"{_PLS}: 208 MHz x 4 bit", "SD UHS-I", "UHS-I"),
    ("eMMC legacy", 26, "JESD84: 26 MHz x 8 bit"),
    ("eMMC legacy (4 bit)", 13, "JESD84: 26 MHz x 4 bit"),
    ("eMMC HS52", 52, "JESD84: 52 MHz x 8 bit"),
    ("eMMC HS52 (4 bit)", 26, "JESD84: 52 MHz x 4 bit"),
    ("eMMC DDR52", 104, "JESD84: 52 MHz x 8 bit, both edges"),
    ("eMMC DDR52 (4 bit)", 52, "JESD84: 52 MHz x 4 bit, both edges"),
    ("eMMC HS200", 200, "JESD84: 200 MHz x 8 bit"),
    ("eMMC HS200 (4 bit)", 100, "JESD84: 200 MHz x 4 bit"),
    ("eMMC HS400", 400, "JESD84: 200 MHz x 8 bit, both edges", "eMMC"),
)
"""Name, MB/s, source, other names."""

CODED_CARDS: tuple[tuple[str, float, str, *tuple[str, ...]], ...] = (
    ("SD UHS-II FD78", 0.78, "SD UHS-II Addendum: full duplex, range A"),
    ("SD UHS-II HD156", 1.56, "SD UHS-II Addendum: half duplex, two lanes, range A"),
    ("SD UHS-II FD156", 1.56, "SD UHS-II Addendum: full duplex"),
    ("SD UHS-II HD312", 3.12, "SD UHS-II Addendum: half duplex, two lanes", "SD UHS-II", "UHS-II"),
    ("SD UHS-III FD312", 3.12, f"{_PLS} 6.0: full duplex"),
    ("SD UHS-III FD624", 6.24, f"{_PLS} 6.0: full duplex", "SD UHS-III", "UHS-III"),
)
"""Buses on differential lanes in 8b/10b: name, Gb/s on the line, source, other names."""

UFS: tuple[tuple[str, float, str, *tuple[str, ...]], ...] = tuple(
    (f"UFS HS-G{gear} x{lanes}", gigabits * lanes, f"JESD220 over MIPI M-PHY: gear {gear}, series B")
    for gear, gigabits in ((1, 1.4576), (2, 2.9152), (3, 5.8304), (4, 11.6608), (5, 23.3216))
    for lanes in (1, 2)
)
"""Likewise of soldered memory, by gear and lanes, at rate series B."""

CARDS_OVER_PCIE: tuple[tuple[str, str, int, str, *tuple[str, ...]], ...] = (
    ("SD Express 3.0 x1", "3.0", 1, "SD Specification 7.0", "SD Express"),
    ("SD Express 3.0 x2", "3.0", 2, "SD Specification 8.0"),
    ("SD Express 4.0 x1", "4.0", 1, "SD Specification 8.0"),
    ("SD Express 4.0 x2", "4.0", 2, "SD Specification 8.0"),
    ("CFexpress 2.0 Type A", "3.0", 1, "CFexpress 2.0", "CFexpress Type A"),
    ("CFexpress 2.0 Type B", "3.0", 2, "CFexpress 2.0", "CFexpress Type B", "CFexpress"),
    ("CFexpress 2.0 Type C", "3.0", 4, "CFexpress 2.0", "CFexpress Type C"),
    ("CFexpress 4.0 Type A", "4.0", 1, "CFexpress 4.0"),
    ("CFexpress 4.0 Type B", "4.0", 2, "CFexpress 4.0"),
    ("CFexpress 4.0 Type C", "4.0", 4, "CFexpress 4.0"),
)
"""Name, generation and lanes of the PCIe link they carry, source, other names."""
