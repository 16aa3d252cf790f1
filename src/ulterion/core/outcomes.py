"""Outcomes that are no number, as people write them: does it work, with what help, does it boot."""

from __future__ import annotations

import re
from typing import Literal

from ulterion.core.patterns import pattern
from ulterion.core.records import dataclass

Works = Literal["works", "works with help", "does not work"]
IN_GENERAL = "works"  # the question that is asked where none is named

_NO = pattern(
    r"(?:does not|doesn'?t|did not|didn'?t|will not|won'?t|cannot|can'?t|not|is not|isn'?t|never|no longer)\b\s*(.*)",
    re.IGNORECASE,
)
_HELP = pattern(r"(?:only\s+)?(?:with|without|when|after|if|until|once|on|in|from|behind|through)\b.+", re.IGNORECASE)
_VERBS = {
    "work": IN_GENERAL,
    "works": IN_GENERAL,
    "working": IN_GENERAL,
    "recognised": "recognised",
    "recognized": "recognised",
    "seen": "recognised",
    "detected": "recognised",
    "boot": "boots",
    "boots": "boots",
    "booted": "boots",
    "bootable": "boots",
    "charge": "charges",
    "charges": "charges",
    "mount": "mounts",
    "mounts": "mounts",
    "fit": "fits",
    "fits": "fits",
}
"""The words an outcome begins with, and the question that each answers."""
KNOWN: dict[str, tuple[str, Works, str]] = {
    "needs external power": (IN_GENERAL, "works with help", "with its own power supply"),
    "needs extra power": (IN_GENERAL, "works with help", "with its own power supply"),
    "disconnected under load": ("stays connected", "does not work", "disconnected under load"),
    "stopped": ("keeps going", "does not work", "stopped"),
    "port lacks power": (IN_GENERAL, "does not work", "the port lacks power"),
}
"""Outcomes that are known by a phrase of their own."""


@dataclass(frozen=True)
class Outcome:
    """What a reviewer saw.

    Attributes:
        question: what was tried: 'works', 'boots', 'recognised', or in words of the reviewer's own.
        works: whether it does.
        condition: under which condition, or how it failed, in the reviewer's words; '' for none.
    """

    question: str
    works: Works
    condition: str = ""


def read_outcome(text: str) -> Outcome | None:
    """Return the outcome that a note is, or None for one that is a remark.

    'works', 'works with the charger', 'does not work', 'not recognised until plugged in again', 'boots', 'boots: does not work'.
    """
    words = " ".join(text.split())
    for phrase, (question, works, condition) in KNOWN.items():
        if words.casefold().startswith(phrase):
            rest = words[len(phrase) :].lstrip(" ,:;-")
            return Outcome(question, works, f"{condition}, {rest}" if rest else condition)
    question, colon, answer = words.partition(": ")
    if colon and (own := read_outcome(answer)) is not None and own.question == IN_GENERAL:
        return Outcome(question, own.works, own.condition)
    return _by_verb(words)


def _by_verb(words: str) -> Outcome | None:
    no = _NO.fullmatch(words)
    verb, _, rest = (no[1] if no is not None else words).partition(" ")
    question = _VERBS.get(verb.casefold().rstrip(",.;"))
    if question is None:
        return None
    rest = rest.strip(" .")
    if no is not None:
        until = re.match(r"(?:until|unless|without|before)\b", rest, re.IGNORECASE)
        return Outcome(question, "works with help" if until else "does not work", f"not {rest}" if until else rest)
    if not rest:
        return Outcome(question, "works")
    return Outcome(question, "works with help", rest) if _HELP.fullmatch(rest) else None
