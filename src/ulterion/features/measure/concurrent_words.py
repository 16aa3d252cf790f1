"""Which drives slow down when several work at once, in plain text."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.stats.verdicts import MARGIN


def gives_way(targets: Sequence[str], kept: Sequence[float], margin: float = MARGIN) -> str:
    """Return which of several targets keep less than they give alone by more than a margin, the one that loses most first."""
    giving = sorted((k, t) for t, k in zip(targets, kept, strict=True) if k < 1 - margin)
    if not giving:
        return "none slows down"
    verb = "slows down" if len(giving) == 1 else "slow down"
    return f"{', '.join(t for _, t in giving)} {verb}" + (
        "; the others keep their rates" if len(giving) < len(targets) else ""
    )
