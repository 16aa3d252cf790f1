"""Pieces of sentences that several answers share."""

from __future__ import annotations

from collections.abc import Sequence

NO_ARTICLE = frozenset(
    ("the", "a", "an", "my", "our", "no", "in", "on", "at", "by", "with", "without", "via", "behind", "through", "off")
)
"""First words of a name that takes no article."""
TIMES = 1.95  # ratio from which a reviewer says "times as fast" and no longer "% faster"


def listed(names: Sequence[str], joint: str = "and") -> str:
    """Return names as a sentence has them: 'a, b and c', or with another word before the last."""
    *first, last = names
    return f"{', '.join(first)} {joint} {last}" if first else last


def first_few(sentences: Sequence[str], most: int = 8) -> list[str]:
    """Return the first of many sentences, and how many more there are."""
    more = len(sentences) - most
    return [*sentences[:most], *([f"and {more} more: --json lists all"] if more > 0 else [])]


def sentence_of(words: str) -> str:
    """Return words as a sentence of their own: a capital at the beginning (but of a port's name), a full stop at the end."""
    port = ":" in words.partition(" ")[0].rstrip(":")
    return f"{words[0] if port else words[0].upper()}{words[1:]}{'' if words.endswith('.') else '.'}"


def with_article(name: str) -> str:
    """Return a name as a sentence has it: 'long cable' becomes 'the long cable', 'Brindlewick Pod' and 'desk:usb' stay."""
    first = name.partition(" ")[0]
    plain = first.islower() and first.isalpha() and first not in NO_ARTICLE
    return f"the {name}" if plain else name


def how_much(ratio: float) -> str:
    """Return a ratio as a reader would say it: '8% slower', '5 times as fast'."""
    if ratio >= TIMES:
        return f"{ratio:.0f} times as fast" if ratio >= 9.5 else f"{ratio:.1f} times as fast".replace(".0 ", " ")
    if ratio >= 1:
        return f"{(ratio - 1) * 100:.0f}% faster" if ratio >= 1.095 else f"{(ratio - 1) * 100:.1f}% faster"
    return f"{(1 - ratio) * 100:.0f}% slower" if ratio <= 0.905 else f"{(1 - ratio) * 100:.1f}% slower"


def how_much_than(ratio: float) -> str:
    """Return a ratio with the word that the other thing follows: '8% slower than', '5 times as fast as'."""
    return f"{how_much(ratio)} {'as' if ratio >= TIMES else 'than'}"
