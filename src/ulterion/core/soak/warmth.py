"""Whether a drive was hot while it worked, from what it says itself.

It was hot when it counted seconds of throttling, or when its temperature was within 3 °C of the limit it states.  It was not when it
was well below that limit, or below 60 °C where it states none (commercial drives are rated to 70 °C).  Counters that stand still say
nothing: they need not be implemented (NVM Express Base Specification 2.0, figure 207: optional thermal management).
"""

from __future__ import annotations

from ulterion.core.records import dataclass

NEAR_LIMIT = 3.0  # degrees: sensors and the drive's own regulation differ by so much
COOL_DRIVE = 60.0  # degrees C below which no drive is taken to throttle (commercial drives are rated to 70 °C)
COOLED_AWAY = 12.0  # degrees below a limit, or a fall, at which heat slows no drive: hysteresis is narrower


def cool_below(limit: float | None) -> float:
    """Return the temperature, degrees C, below which heat slows no drive, given the limit it states, if any."""
    return COOL_DRIVE if limit is None else limit - COOLED_AWAY


@dataclass(frozen=True)
class Warmth:
    """What a drive says of its heat at one moment; None what it does not say.

    Attributes:
        temperature: degrees Celsius.
        limit: from which it says it throttles, degrees Celsius.
        throttled_seconds: how long it has throttled since it was made.
    """

    temperature: float | None = None
    limit: float | None = None
    throttled_seconds: float | None = None

    def throttled_since(self, before: Warmth) -> float | None:
        """Return the seconds of throttling it counted since another moment, or None where it counts none."""
        if self.throttled_seconds is None or before.throttled_seconds is None:
            return None
        return max(0.0, self.throttled_seconds - before.throttled_seconds)

    def was_hot(self, before: Warmth) -> bool | None:
        """Return whether heat may have slowed what was done since another moment; None where that is unknown."""
        if self.throttled_since(before):
            return True
        if self.temperature is None:
            return None
        if self.limit is not None and self.temperature >= self.limit - NEAR_LIMIT:
            return True
        return False if self.temperature < cool_below(self.limit) else None
