"""How much time is left: of a run of passes, and of a load.  Seconds."""

from __future__ import annotations

from collections.abc import Sequence

BETWEEN = 0.15  # seconds a pass needs besides its length: buffers, journal


def whole_run(lengths: Sequence[float], passes: int) -> float:
    """Return how long all passes of workloads of these lengths take."""
    return sum(length + BETWEEN for length in lengths) * passes


def of_run(lengths: Sequence[float], passes: int, finished: Sequence[int], running: float) -> float:
    """Return what is left of a run: `finished` are the workloads of the finished passes, `running` how long one is on."""
    done = sum(lengths[index] + BETWEEN for index in finished)
    return max(0.0, whole_run(lengths, passes) - done - running)


def of_load(seconds: float, moved: int, *, most_seconds: float | None, most_bytes: int | None) -> float | None:
    """Return what is left of a load that ran for `seconds` and moved `moved` bytes, None where its end cannot be foreseen."""
    left = [] if most_seconds is None else [max(0.0, most_seconds - seconds)]
    if most_bytes is not None and moved:
        left.append(max(0.0, (most_bytes - moved) * seconds / moved))
    return min(left, default=None)
