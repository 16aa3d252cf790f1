"""Bars of characters in a table on a terminal: a share, with a mark where it should reach."""

from __future__ import annotations

WIDTH, MARKED = 12, 10  # characters of a bar, and of one that reaches its mark
EIGHTHS = "▏▎▍▌▋▊▉"
MARK = "│"


def share_bar(share: float) -> str:
    """Return a bar of a share from 0 to 1 of the width."""
    return _bar(min(max(share, 0.0), 1.0) * WIDTH)


def marked_bar(share: float) -> str:
    """Return a bar of a share with a mark at 1; what goes far beyond it is cut."""
    bar = _bar(min(max(share, 0.0) * MARKED, float(WIDTH)))
    return bar if len(bar) > MARKED else f"{bar:<{MARKED}}{MARK}"


def _bar(characters: float) -> str:
    whole, part = divmod(round(characters * 8), 8)
    return "█" * whole + (EIGHTHS[part - 1] if part else "")
