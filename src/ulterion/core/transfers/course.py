"""How far a transfer was when."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.records import dataclass


@dataclass(frozen=True)
class Course:
    """The course of one transfer.

    Attributes:
        seconds, bytes: what was over by when, both rising, from (0, 0) on.
        total: bytes of the whole.
        done: whether it came to its end.
    """

    seconds: tuple[float, ...]
    bytes: tuple[float, ...]
    total: float
    done: bool = True

    @classmethod
    def of(cls, sums: Sequence[float], interval: float, seconds: float, total: float) -> Course | None:
        """Return the course of a transfer of `seconds` by the bytes over at the end of each interval; None where nothing was kept."""
        if not total or not sums:
            return None
        moments = [min(seconds, (i + 1) * interval) for i in range(len(sums))]
        inside = [(m, s) for m, s in zip(moments, sums, strict=True) if m < seconds]
        points = [(0.0, 0.0), *inside, (seconds, total)]
        return cls(tuple(m for m, _ in points), tuple(s for _, s in points), total)


@dataclass(frozen=True)
class Transfer:
    """What was transferred: its task, whether it was written to the medium or read from it, and by what means."""

    task: str
    written: bool
    means: str

    @property
    def words(self) -> str:
        """Task and direction."""
        return f"{self.task}, {'written' if self.written else 'read'}"
