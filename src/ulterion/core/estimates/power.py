"""A budget of power: what a port or supply gives, what hangs on it draws, at rest, at work and at its peak, and what a cable loses on the way."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ulterion.core.records import dataclass

VOLTS = 5.0
MIN_VOLTS = 4.4  # at a device behind a powered hub or a port of its own (USB 2.0, 7.2.2, figure 7-47)
ROUNDING = 1e-9  # 0.3 W goes three times into 0.9 W, whatever the binary fractions say
COPPER = 1.724e-8  # ohm metre at 20 °C, annealed copper (IEC 60028)
PORTS = {
    "USB 480 Mb/s": (2.5, "USB 2.0, 7.2.1: five unit loads of 100 mA"),
    "USB 12 Mb/s": (2.5, "USB 2.0, 7.2.1: five unit loads of 100 mA"),
    "USB 5 Gb/s": (4.5, "USB 3.2, 11.4.1: six unit loads of 150 mA"),
    "USB 10 Gb/s": (4.5, "USB 3.2, 11.4.1: six unit loads of 150 mA"),
    "USB 20 Gb/s": (7.5, "USB 3.2, 11.4.1: six unit loads of 250 mA on two lanes"),
    "USB4 20 Gb/s": (7.5, "USB4, 4.2: at least 1.5 A on a type C port"),
    "USB4 40 Gb/s": (7.5, "USB4, 4.2: at least 1.5 A on a type C port"),
    "USB4 80 Gb/s": (7.5, "USB4, 4.2: at least 1.5 A on a type C port"),
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
    return Budget(
        gives=gives, loads=tuple(loads), left=left, left_at_peaks=peaks, left_one_by_one=min(worst, left), starts=starts
    )


@dataclass(frozen=True)
class Most:
    """How many of one load a supply runs beside others: started one after the other, and all peaking at once."""

    load: Load
    one_by_one: int
    at_once: int


def most_of(gives: float, beside: Sequence[Load], load: Load) -> Most:
    """Return how many of a load a supply of so many watts runs once the loads beside it are at work."""
    spare = gives - math.fsum(one.draws for one in beside)
    spare_at_peaks = gives - math.fsum(one.peak for one in beside)
    highest = max(load.peak, load.draws)
    one_by_one = math.floor((spare - highest) / load.draws + ROUNDING) + 1
    return Most(load, max(0, one_by_one), max(0, math.floor(spare_at_peaks / highest + ROUNDING)))


@dataclass(frozen=True)
class Cable:
    """A cable that a supply's power goes through.

    Attributes:
        volts: of the supply.
        ohms: of its copper, there and back.
    """

    volts: float
    ohms: float

    @classmethod
    def of(cls, metres: float, gauge: int, volts: float = VOLTS) -> Cable:
        """Return a cable of a length and a gauge number (AWG).

        The diameter of a gauge number is 0.127 mm x 92^((36 - n) / 39) (ASTM B258).
        """
        diameter = 0.127e-3 * 92.0 ** ((36 - gauge) / 39)
        return cls(volts, 2 * metres * COPPER / (math.pi * (diameter / 2) ** 2))

    @property
    def most(self) -> float:
        """The most that comes through, W, at half the volts; more cannot, whatever the supply gives."""
        return self.volts**2 / (4 * self.ohms)

    def passes(self, gives: float) -> float:
        """Return what is there for the loads, W, where the supply gives so many watts at its end."""
        amperes = min(gives / self.volts, self.volts / (2 * self.ohms))
        return (self.volts - amperes * self.ohms) * amperes

    def far_volts(self, watts: float) -> float | None:
        """Return the voltage at the far end when a device draws this power there; None if the cable cannot carry it.

        The power P is the current I times the voltage at the far end, (V - I R) I = P.  The smaller of its two solutions for I holds.
        """
        root = self.volts**2 - 4 * self.ohms * watts
        return None if root < 0 else (self.volts + math.sqrt(root)) / 2

    def lost(self, watts: float) -> float | None:
        """Return the watts lost in it where so many are drawn at the far end; None where they cannot come through."""
        far = self.far_volts(watts)
        return None if far is None else (self.volts - far) * watts / far
