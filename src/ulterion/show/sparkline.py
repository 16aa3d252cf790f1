"""A quantity as a line of blocks that runs along: the rate and the temperatures of a soak, the rate of a pass."""

from __future__ import annotations

from collections.abc import Sequence

from rich.text import Text

from ulterion.core.units import show_rate

STEPS = "▁▂▃▄▅▆▇"  # never the full height, so that one line does not run into the next
WIDEST, NARROWEST = 96, 16  # characters of a running line
LEFT = 46  # characters beside it
MAX_KEPT = 2 * WIDEST  # values of a running line; above it pairs are joined


def width_beside(screen: int) -> int:
    """Return the characters that a line may have on a screen of a width, beside its name and figures."""
    return max(NARROWEST, min(WIDEST, screen - LEFT))


class RunningLine:
    """The values of one quantity over the whole time, in as many characters as there is room for."""

    def __init__(self) -> None:
        self._values: list[float | None] = []
        self._group: list[float] = []
        self._step = self._seen = 1
        self.last: float | None = None
        self.low, self.high = float("inf"), float("-inf")

    def add(self, value: float | None) -> None:
        """Take a value, or None for a gap."""
        self.last = value
        if value is not None:
            self._group.append(value)
            self.low, self.high = min(self.low, value), max(self.high, value)
        if self._seen % self._step == 0:
            self._values.append(sum(self._group) / len(self._group) if self._group else None)
            self._group = []
        self._seen += 1
        if len(self._values) >= MAX_KEPT:
            self._values = [_mean(self._values[i : i + 2]) for i in range(0, len(self._values), 2)]
            self._step *= 2

    def draw(self, width: int, low: float, high: float) -> str:
        """Return the line, oldest at the left, scaled from `low` to `high`."""
        values = self._values
        per = -(-len(values) // width) if values else 1
        shown = [_mean(values[i : i + per]) for i in range(0, len(values), per)]
        span = max(high - low, 1e-9)
        return "".join(
            " " if v is None else STEPS[min(max(int((v - low) / span * len(STEPS)), 0), len(STEPS) - 1)] for v in shown
        )


def rate_cells(line: RunningLine, width: int, unit: str) -> tuple[str, Text, Text]:
    """Return the newest rate (bytes per second), the line of all of them from 0 up, and how far up that is."""
    top = max(line.high, 1.0)
    up_to = Text(f"0 to {show_rate(top, unit, with_unit=False)}", style="muted")
    return show_rate(line.last or 0.0, unit), Text(line.draw(width, 0.0, top), style="name"), up_to


def _mean(values: Sequence[float | None]) -> float | None:
    known = [v for v in values if v is not None]
    return sum(known) / len(known) if known else None
