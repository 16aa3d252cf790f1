"""Letting a drive rest between passes, for a time or until it has cooled."""

from __future__ import annotations

from collections.abc import Callable

from ulterion.core.errors import UsageError
from ulterion.core.records import dataclass
from ulterion.core.units import show_duration

MAX_COOLING = 900.0  # seconds; a drive that has not cooled by then will not
STEP = 1.0


@dataclass(frozen=True)
class Rest:
    """A rest.

    Attributes:
        seconds: how long at least.
        cool_to: temperature (C) to wait for, or None.
        thermometer: returns the drive's temperature, or None where there is none.
        sleep: lets time pass, real or virtual.
        tell: told in words what is waited for.
    """

    seconds: float
    cool_to: float | None
    thermometer: Callable[[], float | None]
    sleep: Callable[[float], None]
    tell: Callable[[str], None]

    def check(self) -> None:
        """Raise UsageError when cooling is asked for and no temperature can be read."""
        if self.cool_to is not None and self.thermometer() is None:
            raise UsageError("the drive shows no temperature here, so --cool-to cannot work; use --rest TIME instead")

    def __call__(self) -> None:
        """Rest."""
        left = self.seconds
        while left > 0:
            self.tell(f"resting, {show_duration(left)} left")
            self.sleep(min(STEP, left))
            left -= STEP
        waited = 0.0
        while self.cool_to is not None and waited < MAX_COOLING:
            warm = self.thermometer()
            if warm is None or warm <= self.cool_to:
                return
            self.tell(f"cooling, {warm:.0f} °C to {self.cool_to:.0f} °C")
            self.sleep(STEP)
            waited += STEP
