"""Sharing: several drives on one hub, each alone against all at once.

Fairness is Jain's index of the shares each keeps of its own rate alone: 1 when all keep the same share, 1/n when one takes
all (R. K. Jain, D. W. Chiu, W. R. Hawe, DEC-TR-301, 1984).
"""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.errors import UsageError
from ulterion.core.records import dataclass


@dataclass(frozen=True)
class Sharing:
    """What several targets do at once.

    Attributes:
        alone, together: rate of each target, bytes per second.
        kept: together over alone, for each.
        total: bytes per second of all together.
        fairness: Jain's index of `kept`, from 1/n to 1.
    """

    alone: tuple[float, ...]
    together: tuple[float, ...]
    kept: tuple[float, ...]
    total: float
    fairness: float


def sharing(alone: Sequence[float], together: Sequence[float]) -> Sharing:
    """Compare the rates (bytes per second) of targets alone and all at once, in the same order."""
    if len(alone) != len(together) or not alone or min(alone) <= 0 or min(together) < 0:
        raise UsageError("sharing needs a rate alone and a rate together for each target")
    kept = tuple(t / a for t, a in zip(together, alone, strict=True))
    most = max(kept)
    shares = [k / most for k in kept] if most else [1.0] * len(kept)  # squares of tiny shares would vanish
    fairness = sum(shares) ** 2 / (len(shares) * sum(k * k for k in shares))
    return Sharing(tuple(alone), tuple(together), kept, sum(together), fairness)
