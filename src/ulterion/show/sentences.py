"""Pieces of sentences that several answers share."""

from __future__ import annotations

from collections.abc import Sequence

TIMES = 1.95  # ratio from which a reviewer says "times as fast" and no longer "% faster"


def listed(names: Sequence[str]) -> str:
    """Return names as a sentence has them: 'a, b and c'."""
    *first, last = names
    return f"{', '.join(first)} and {last}" if first else last


def sentence_of(words: str) -> str:
    """Return words as a sentence of their own: a capital at the beginning, a full stop at the end."""
    return f"{words[0].upper()}{words[1:]}{'' if words.endswith('.') else '.'}"


def how_much(ratio: float) -> str:
    """Return a ratio as a reader would say it: '8 % slower', '5 times as fast'."""
    if ratio >= TIMES:
        return f"{ratio:.0f} times as fast" if ratio >= 9.5 else f"{ratio:.1f} times as fast".replace(".0 ", " ")
    if ratio >= 1:
        return f"{(ratio - 1) * 100:.0f} % faster" if ratio >= 1.095 else f"{(ratio - 1) * 100:.1f} % faster"
    return f"{(1 - ratio) * 100:.0f} % slower" if ratio <= 0.905 else f"{(1 - ratio) * 100:.1f} % slower"


def how_much_than(ratio: float) -> str:
    """Return a ratio with the word that the other thing follows: '8 % slower than', '5 times as fast as'."""
    return f"{how_much(ratio)} {'as' if ratio >= TIMES else 'than'}"
