"""How much of a write cache must still be in use, whatever the drive did meanwhile.

A cache is emptied into the place that the drive writes to once it is used up, and no faster than it writes there.  So what was
written, less that rate times all the time since, is the least that is still in it; writing itself leaves no less.
"""

from __future__ import annotations

from dataclasses import replace

from ulterion.core.records import dataclass

FRESH = 0.2  # share up to which it is taken for fresh: laying a test file down uses some of any


@dataclass(frozen=True)
class Fill:
    """A write cache.

    Attributes:
        size: bytes it takes before the rate falls.
        empties: the rate after that, bytes per second.
        used: bytes that must still be in it.
    """

    size: float
    empties: float
    used: float = 0.0

    def after(self, written: float, seconds: float) -> Fill:
        """Return it after so many bytes were written in so many seconds."""
        return replace(self, used=min(self.size, max(0.0, self.used + written - self.empties * seconds)))

    @property
    def is_fresh(self) -> bool:
        """Whether it may be as good as empty."""
        return self.used <= FRESH * self.size
