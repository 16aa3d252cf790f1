"""A budget of power: what a port or supply gives, what hangs on it draws, at rest, at work and at its peak, and what a cable loses on the way."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

VOLTS = 5.0
COPPER = 1.724e-8  # ohm metre at 20 C, annealed copper (IEC 60028)
PORTS = {
    "USB 480 Mb/s": (2.5, "USB 2.0, 7.2.1: five unit loads of 100 mA"),
    "USB 12 Mb/s": (2.5, "USB 2.0, 7.2.1: five unit loads of 100 mA"),
    "USB 5 Gb/s": (4.5, "USB 3.2, 11.4.1: six unit loads of 150 mA"),
    "USB 10 Gb/s": (4.5, "USB 3.2, 11.4.1: six unit loads of 150 mA"),
    "USB 20 Gb/s": (7.5, "USB 3.2, 11.4.1: six unit loads of 250 mA on two lanes"),
    "USB4 20 Gb/s": (7.5, "USB4, 4.2: 1.5 A on a type C port at least"),
    "USB4 40 Gb/s": (7.5, "USB4, 4.2: 1.5 A on a type C port at least"),
    "USB4 80 Gb/s": (7.5, "USB4, 4.2: 1.5 A on a type C port at least"),
    "Thunderbolt 3": (15.0, "Thunderbolt 3: 15 W for a device on the bus"),
    "Thunderbolt 4": (15.0, "Thunderbolt 4: 15 W for a device on the bus"),
}
"""What a port gives by its standard, W, and where that stands."""


@dataclass(frozen=True)
class Load:
    """Something that draws power: W at work, at its peak (spinning up, writing hardest), and where that is known from."""

    name: str
    draws: float
    peak: float
    source: str


@dataclass(frozen=True)
class Budget:
    """What is left.

    Attributes:
        gives: W, after what is lost in a cable.
        loads: in the order in which they start.
        left: W with all at work; `left_at_peaks` with all at their peaks at once, `left_one_by_one` at the worst moment when they start one after the other.
        starts: how many of them start one after the other.
    """

    gives: float
    loads: tuple[Load, ...]
    left: float
    left_at_peaks: float
    left_one_by_one: float
    starts: int


def budget(gives: float, loads: Sequence[Load]) -> Budget:
    """Return what a supply of so many watts leaves, when loads start one after the other and when all peak at once."""
    working, worst, starts = 0.0, gives, 0
    for number, load in enumerate(loads, 1):
        worst = min(worst, gives - working - load.peak)
        working += load.draws
        if worst >= 0 and working <= gives:
            starts = number
    left = gives - math.fsum(one.draws for one in loads)
    peaks = gives - math.fsum(one.peak for one in loads)
    return Budget(gives, tuple(loads), left, peaks, min(worst, left), starts)


def cable_loss(watts: float, metres: float, gauge: int, volts: float = VOLTS) -> float:
    """Return the watts that a cable loses, both ways of its copper, when so many are drawn at its far end.

    The diameter of a gauge number is 0.127 mm x 92^((36 - n) / 39) (ASTM B258).
    """
    diameter = 0.127e-3 * 92.0 ** ((36 - gauge) / 39)
    ohms = 2 * metres * COPPER / (math.pi * (diameter / 2) ** 2)
    amperes = watts / volts
    return float(amperes * amperes * ohms)
