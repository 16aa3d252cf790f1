"""How much time is left: of a run of passes, and of a load.  Seconds."""

from __future__ import annotations

from collections.abc import Sequence

BETWEEN = 0.15  # seconds a pass needs besides its length: buffers, journal


def of_run(lengths: Sequence[float], left: Sequence[int], running: float) -> float:
    """Return what is left of a run of which so many passes of each workload are left, one of them `running` for so long."""
    return max(0.0, sum((length + BETWEEN) * count for length, count in zip(lengths, left, strict=True)) - running)


def of_load(seconds: float, moved: int, *, most_seconds: float | None, most_bytes: int | None) -> float | None:
    """Return what is left of a load that ran for `seconds` and moved `moved` bytes, None where its end cannot be foreseen."""
    left = [] if most_seconds is None else [max(0.0, most_seconds - seconds)]
    if most_bytes is not None and moved:
        left.append(max(0.0, (most_bytes - moved) * seconds / moved))
    return min(left, default=None)
