"""The sentences of the program: in one document, and in the words and signs that it has decided on."""

from __future__ import annotations

import re
import unittest

from tests.sentences import page, sentences
from tests.test_structure import REPOSITORY

NEVER = (
    (r"[\d›] %", "a share is closed up: 30%"),
    (r"\d us\b|› us\b", "microseconds are µs"),
    (
        r"\b(hookup|culprit|crowd|scattered|flat-out|blame[ds]?)\b(?! this product| the product)",
        "a word that was given up",
    ),
    (r"held? back by|counts in|plugging-in|of yours\b|be told\b", "translated"),
    (r"  |\( | \)| , ", "spaces"),
)
"""What no sentence holds, and why."""


class Sentences(unittest.TestCase):
    def test_the_document_is_the_programs(self) -> None:
        """docs/reference/messages.md is made from the source; a stale one fails here."""
        self.assertEqual((REPOSITORY / "docs/reference/messages.md").read_text(), page())

    def test_words_and_signs(self) -> None:
        """No sentence has a sign or a word that the program does not use."""
        found = [
            f"{module}: {sentence!r} ({why})"
            for module, every in sentences().items()
            for sentence in every
            for pattern, why in NEVER
            if re.search(pattern, sentence)
        ]
        self.assertEqual(found, [])
