"""Text from outside, made fit to be shown: what a terminal would obey is written out, what is endless is cut.

Names of files, models, serial numbers and whatever a reviewer wrote may hold anything.  Everything that is printed goes
through `visible`; sentences of errors also through `brief`.
"""

from __future__ import annotations

import re

from ulterion.core.patterns import pattern

MAX_WORD = 160  # characters of one unbroken run in a sentence; a longer one is cut in its middle
MAX_SENTENCE = 900
_KEPT_BEFORE, _KEPT_AFTER = 60, 20

# control characters but newline and tab (C0, delete, C1), marks that turn the direction of writing, separators of lines
# and paragraphs, the byte order mark, and halves of surrogate pairs (bytes of a name that are no UTF-8)
_HIDDEN = pattern("[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ufeff\ud800-\udfff]")
_SURROGATES = pattern("[\ud800-\udfff]")


class AnyName(str):
    """A name of a file as the system has it, bytes that are no UTF-8 included (PEP 383): it is kept as it is.

    A field of a record takes any text for it, where one that is `str` refuses such bytes.
    """

    @classmethod
    def from_document(cls, value: object) -> str:
        """Return the name that a document holds.  Raises ValueError where that is not text."""
        if not isinstance(value, str):
            raise ValueError("is not text")
        return value


def has_surrogates(text: str) -> bool:
    """Return whether a text holds halves of surrogate pairs, as for bytes that are not UTF-8."""
    return not text.isascii() and _SURROGATES.search(text) is not None


def _escaped(match: re.Match[str]) -> str:
    code = ord(match[0])
    if 0xDC80 <= code <= 0xDCFF:  # how Python keeps a byte that is no UTF-8 (PEP 383)
        return f"\\x{code - 0xDC00:02x}"
    return f"\\x{code:02x}" if code < 0x100 else f"\\u{code:04x}"


def visible(text: str) -> str:
    """Return text in which nothing is left that a terminal would obey or could not encode; it is written as `\\x1b`."""
    return _HIDDEN.sub(_escaped, text)


def spoken(text: str) -> str:
    """Return a sentence in which bytes of a name that are no UTF-8 are written as `\\xff`, so that it can be kept."""
    return _SURROGATES.sub(_escaped, text)


def one_line(text: str) -> str:
    """Return text on one line, visible."""
    return visible(" ".join(text.split()))


def brief(text: str) -> str:
    """Return a sentence on one line, visible, with very long words (a value that was typed) cut in their middle."""
    words = [_cut(w) if len(w) > MAX_WORD else w for w in text.split()]
    line = visible(" ".join(words))
    if len(line) <= MAX_SENTENCE:
        return line
    return f"{line[: MAX_SENTENCE * 2 // 3]} ... {line[-MAX_SENTENCE // 3 :]}"


def _cut(word: str) -> str:
    return f"{word[:_KEPT_BEFORE]}...({len(word)} characters)...{word[-_KEPT_AFTER:]}"


def json_safe(text: str) -> str:
    """Return JSON text in which halves of surrogate pairs, and what a terminal would obey, are escaped as JSON does.

    All of these can stand in JSON only inside strings, so that the text says the same as before.
    """
    return _HIDDEN.sub(lambda m: f"\\u{ord(m[0]):04x}", text)


def json_bytes(text: str) -> bytes:
    """Return JSON text as UTF-8; a byte of a name that is no UTF-8 is kept as the escape of its surrogate."""
    return _SURROGATES.sub(lambda m: f"\\u{ord(m[0]):04x}", text).encode()
