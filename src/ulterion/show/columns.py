"""Numbers as they are shown: shares, changes, the two ends of an interval, columns that line up."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.stats.estimates import Estimate
from ulterion.core.units import show_percent


def align_points(numbers: Sequence[str]) -> list[str]:
    """Pad numbers on the right so that, set flush right, their decimal points stand under each other."""
    widths = [len(n.partition(".")[2]) + ("." in n) if n else 0 for n in numbers]
    most = max(widths, default=0)
    return [n + " " * (most - w) if n else n for n, w in zip(numbers, widths, strict=True)]


def show_margin(estimate: Estimate) -> str:
    """Show the half width of an estimate's interval in per cent: '0.42%', or a dash without one."""
    if estimate.margin is None:
        return "–"
    percent = estimate.margin * 100
    if percent > 99.5:
        return "> 99%"
    return f"{percent:.0f}%" if percent >= 9.95 else f"{percent:.1f}%"


def with_margin(shown: str, estimate: Estimate) -> str:
    """Return a figure with its margin, where there is one: '357 MB/s ± 0.42%'."""
    return shown if estimate.margin is None else f"{shown} ± {show_margin(estimate)}"


def show_ratio(ratio: float, beside: float | None = None) -> str:
    """Show a ratio: three decimals, four below 0.1, one from 10 on; or as many as another ratio `beside` it has."""
    size = ratio if beside is None else beside
    decimals = 4 if size < 0.09995 else 3 if size < 9.9995 else 1
    return f"{ratio:.{decimals}f}"


def show_change(ratio: float) -> str:
    """Show a ratio as a change: '−26%', '+6%', '2.9×'."""
    if ratio >= 1.95:
        return f"{ratio:,.0f}×" if ratio >= 9.95 else f"{ratio:.1f}×"
    percent = (ratio - 1) * 100
    if abs(percent) < 0.05:
        return "0.0%"
    sign = "+" if percent > 0 else "−"
    if -100 < percent <= -99.5:
        return f"−{min(-percent, 99.9):.1f}%"  # something is left
    return f"{sign}{abs(percent):.0f}%" if abs(percent) >= 9.5 else f"{sign}{abs(percent):.1f}%"


def show_share(share: float | None) -> str:
    """Show a share of a claim in per cent, or a dash."""
    return "–" if share is None else show_percent(share)
