"""Workloads: what one transfer test does, and the words it is written in.

A workload reads like words: `random read 4 KiB depth 16`, `sequential write of 1 MiB blocks for 10 s over 8 GiB`.  The
order does not matter.  The canonical text (`Workload.text`) is how two runs know that they did the same.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from typing import Any, ClassVar, Literal

from ulterion.core.errors import UsageError, nearest
from ulterion.core.units import parse_duration, parse_size, show_block

Direction = Literal["read", "write"]
Pattern = Literal["sequential", "random"]
DEEPEST = 1024  # requests in flight; no device's queue pays for more, and each holds a buffer
LARGEST_BLOCK = 64 * 2**20
SMALLEST_BLOCK = 512

_WORDS = {
    "read": "read", "reads": "read", "reading": "read", "write": "write", "writes": "write", "writing": "write",
    "sequential": "sequential", "random": "random", "scattered": "random",
}  # fmt: skip
_FILLERS = {"of", "at", "in", "with", "a", "blocks", "block", "each"}
_KNOWN = {*_WORDS, *_FILLERS, "depth", "for", "over"}
_EXAMPLE = "write it like 'random read 4 KiB depth 16'"


@dataclass(frozen=True)
class Workload:
    """One transfer test.

    Attributes:
        name: short name within its suite, or the canonical text.
        direction: read or write.
        pattern: sequential or random.
        block_bytes: bytes of one request.
        depth: requests in flight.
        seconds: length of a pass, or None for the run's setting.
        span_bytes: stretch of the medium it covers, or None for the run's setting.
        why: one sentence on why a reviewer wants it.
    """

    __pydantic_config__: ClassVar[dict[str, Any]] = {"extra": "forbid"}

    name: str
    direction: Direction
    pattern: Pattern
    block_bytes: int
    depth: int = 1
    seconds: float | None = None
    span_bytes: int | None = None
    why: str = ""

    @property
    def text(self) -> str:
        """The canonical words, without length and span."""
        return f"{self.pattern} {self.direction} {show_block(self.block_bytes)} depth {self.depth}"

    def settled(self, seconds: float, span_bytes: int) -> Workload:
        """Return the workload with the run's length and span where it names none itself."""
        return replace(
            self,
            seconds=self.seconds if self.seconds is not None else seconds,
            span_bytes=min(self.span_bytes or span_bytes, span_bytes),
        )


def _tokens(text: str) -> list[str]:
    """Split into words, keeping a number with the unit that follows it."""
    tokens: list[str] = []
    for word in re.split(r"[\s,]+", text.strip()):
        bare_number = tokens and re.fullmatch(r"[+-]?[\d.]+", tokens[-1])
        if bare_number and word.isalpha() and word.casefold() not in _KNOWN:
            tokens[-1] += f" {word}"
        elif word:
            tokens.append(word)
    return tokens


class _Parts:
    """The parts of a workload found so far, each at most once."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.found: dict[str, Any] = {}

    def put(self, key: str, value: object) -> None:
        if key in self.found:
            raise UsageError(f"workload '{self.text}' states its {key} twice; {_EXAMPLE}")
        self.found[key] = value

    def need(self, key: str, words: str) -> Any:
        if key not in self.found:
            raise UsageError(f"workload '{self.text}' does not say {words}; {_EXAMPLE}")
        return self.found[key]


def _depth(text: str, token: str) -> int:
    if not token.isdigit() or not 1 <= int(token) <= DEEPEST:
        raise UsageError(
            f"workload '{text}': a depth is a whole number from 1 to {DEEPEST}, not '{token or 'nothing'}'"
        )
    return int(token)


def _take(token: str, rest: list[str], parts: _Parts) -> None:
    """Take one token, and what belongs to it from `rest`."""
    word = token.casefold()
    if word in _WORDS:
        kind = _WORDS[word]
        parts.put("direction" if kind in ("read", "write") else "pattern", kind)
    elif word == "depth":
        parts.put("depth", _depth(parts.text, rest.pop(0) if rest else ""))
    elif word == "for":
        parts.put("length", parse_duration(rest.pop(0) if rest else ""))
    elif word == "over":
        parts.put("span", parse_size(rest.pop(0) if rest else ""))
    elif token[0].isdigit() or token[0] in "-+":
        parts.put("block size", parse_size(token))
    elif word not in _FILLERS:
        near = nearest(word, [*_WORDS, "depth", "for", "over"])
        hint = f"did you mean '{near}'?" if near else _EXAMPLE
        raise UsageError(f"workload '{parts.text}': '{token}' is not a word for a workload; {hint}")


def parse_workload(text: str) -> Workload:
    """Read a workload from words; raise UsageError that names what is missing, doubled or unknown."""
    parts, rest = _Parts(text), _tokens(text)
    while rest:
        _take(rest.pop(0), rest, parts)
    block = parts.need("block size", "how large a request is")
    if not SMALLEST_BLOCK <= block <= LARGEST_BLOCK or block % SMALLEST_BLOCK:
        raise UsageError(
            f"workload '{text}': a request is a multiple of 512 B, from 512 B to {show_block(LARGEST_BLOCK)}"
        )
    made = Workload(
        name="",
        direction=parts.need("direction", "whether it reads or writes"),
        pattern=parts.need("pattern", "whether it is sequential or random"),
        block_bytes=block,
        depth=parts.found.get("depth", 1),
        seconds=parts.found.get("length"),
        span_bytes=parts.found.get("span"),
        why="asked for on the command line",
    )
    return replace(made, name=made.text)
