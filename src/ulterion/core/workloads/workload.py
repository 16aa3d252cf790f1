"""Workloads: what one transfer test does, and the words it is written in.

A workload reads like words: `random read 4 KiB depth 16`, `sequential write of 1 MiB blocks for 10 s over 8 GiB`.  The
order does not matter.  The canonical text (`Workload.text`) is how two runs know that they did the same.
"""

from __future__ import annotations

import re
from abc import ABC, abstractmethod
from dataclasses import replace
from typing import Any, Literal, Self

from ulterion.core.errors import UsageError, nearest
from ulterion.core.records import dataclass
from ulterion.core.units import parse_block, parse_duration, parse_ratio, show_bit_rate, show_block

PassState = Literal["cached", "after the cache", "throttled", "mixed"]
"""What a drive was in during a pass, where two states can be told apart (core/workloads/pass_states)."""
DriveDirection = Literal["read", "write", "mixed"]
DrivePattern = Literal["sequential", "random"]
NetworkDirection = Literal["send", "receive", "both"]
NetworkPattern = Literal["streams", "messages", "datagrams"]
Direction = DriveDirection | NetworkDirection
Pattern = DrivePattern | NetworkPattern
DEEPEST = 1024  # requests in flight; no device's queue pays for more, and each holds a buffer
MAX_BLOCK = 64 * 2**20
MIN_BLOCK = 512
LARGE = 2**20  # bytes of a request that shows a ceiling rather than what each request costs
ALIGNMENT = 4096  # bytes; where a place of the medium may begin
MAX_SWEPT = 400  # workloads of one sweep; more would take a day

_WORDS = {
    "read": "read",
    "reads": "read",
    "reading": "read",
    "write": "write",
    "writes": "write",
    "writing": "write",
    "sequential": "sequential",
    "random": "random",
    "scattered": "random",
    "mixed": "mixed",
}
_FILLERS = {"of", "at", "in", "with", "a", "blocks", "block", "each"}
_KNOWN = {*_WORDS, *_FILLERS, "depth", "for", "over", "to"}
_EXAMPLE = "write it like 'random read 4 KiB depth 16'"


@dataclass(frozen=True)
class Workload(ABC):
    """One transfer test, on a drive (`DriveWorkload`) or over a network (`NetworkWorkload`).

    Attributes:
        name: short name within its suite, or the canonical text.
        direction: read, write or mixed; over a network send, receive or both.
        pattern: sequential or random; over a network streams, messages or datagrams.
        block_bytes: bytes of one request, message or datagram.
        depth: requests in flight; of streams how many there are at once.
        seconds: length of a pass, or None for the run's setting.
        why: one sentence on why a reviewer wants it.
        concurrent_targets: number of targets it ran on at once, itself included; 1 when alone.
    """

    name: str
    direction: Direction
    pattern: Pattern
    block_bytes: int
    depth: int = 1
    seconds: float | None = None
    why: str = ""
    concurrent_targets: int = 1

    @property
    def title(self) -> str:
        """Its name, with the drive's state where it has one."""
        return self.name

    @property
    def text(self) -> str:
        """The canonical words, without length and span."""
        return self._words + (f" together {self.concurrent_targets}" if self.concurrent_targets > 1 else "")

    @property
    @abstractmethod
    def _words(self) -> str:
        """The canonical words of its kind."""

    @property
    def drive_direction(self) -> str:
        """Its direction as for a drive: what is received is read, what is sent is written."""
        return self.direction

    @property
    def drive_pattern(self) -> str:
        """Its pattern as for a drive: a stream is in order, single messages wait as single requests do; datagrams are neither."""
        return self.pattern

    @property
    @abstractmethod
    def is_large(self) -> bool:
        """Whether it moves large requests in order, several at once: what shows the ceiling of a chain."""

    @property
    def writes(self) -> float:
        """The share of its bytes that is written to a medium, 0 to 1."""
        return 0.0

    def covered(self, otherwise: int) -> int:
        """Return the stretch of the medium it covers, bytes; `otherwise` where it names none."""
        return otherwise

    def within(self, span_bytes: int) -> Self:
        """Return a settled workload on a span that may have become smaller."""
        return self

    def settled(self, seconds: float, span_bytes: int) -> Self:
        """Return the workload with the run's length, and on a drive its span, where it names none itself."""
        return replace(self, seconds=self.seconds if self.seconds is not None else seconds)


@dataclass(frozen=True)
class DriveWorkload(Workload):
    """A transfer test on a drive.

    Attributes:
        span_bytes: stretch of the medium it covers, or None for the run's setting.
        write_share: for mixed ones the share of requests that write, else None.
        origin_bytes: where its stretch of the medium begins.
        place: (k, n) when it covers the k-th of n equal places of the medium, else None.
        state: of the drive, where results of that state alone are meant.
    """

    direction: DriveDirection
    pattern: DrivePattern
    span_bytes: int | None = None
    write_share: float | None = None
    origin_bytes: int = 0
    place: tuple[int, int] | None = None
    state: PassState | None = None

    @property
    def title(self) -> str:
        """Its name, with the drive's state where it has one."""
        return self.name if self.state is None else f"{self.name}, {self.state}"

    @property
    def _words(self) -> str:
        share = f" {self.write_share * 100:g}% writes" if self.write_share is not None else ""
        place = f" place {self.place[0]} of {self.place[1]}" if self.place is not None else ""
        return f"{self.pattern} {self.direction}{share} {show_block(self.block_bytes)} depth {self.depth}{place}"

    @property
    def is_large(self) -> bool:
        """Whether it moves large requests in order, several at once: what shows the ceiling of a chain."""
        return self.pattern == "sequential" and self.block_bytes >= LARGE and self.depth > 1

    @property
    def writes(self) -> float:
        """The share of its bytes that is written to a medium, 0 to 1."""
        return {"read": 0.0, "write": 1.0}.get(self.direction, self.write_share or 0.0)

    def covered(self, otherwise: int) -> int:
        """Return the stretch of the medium it covers, bytes; `otherwise` where it names none."""
        return self.span_bytes or otherwise

    def within(self, span_bytes: int) -> DriveWorkload:
        """Return a settled workload on a span that may have become smaller; one at a place of the medium keeps its own."""
        if self.place is not None or self.span_bytes is None or self.span_bytes <= span_bytes:
            return self
        return replace(self, span_bytes=span_bytes)

    def settled(self, seconds: float, span_bytes: int) -> DriveWorkload:
        """Return the workload with the run's length and span where it names none itself."""
        timed = super().settled(seconds, span_bytes)
        if self.place is None:
            return replace(timed, span_bytes=min(self.span_bytes or span_bytes, span_bytes))
        number, places = self.place
        origin = span_bytes * (number - 1) // places // ALIGNMENT * ALIGNMENT
        return replace(timed, origin_bytes=origin, span_bytes=span_bytes // places // ALIGNMENT * ALIGNMENT)

    @property
    def anywhere(self) -> DriveWorkload:
        """The same workload without its place on the medium."""
        return replace(self, place=None)

    def at_places(self, count: int) -> list[DriveWorkload]:
        """Return the workload at each of `count` equal places of the medium."""
        return [replace(self, name=f"{self.name}@{k}", place=(k, count)) for k in range(1, count + 1)]


@dataclass(frozen=True)
class NetworkWorkload(Workload):
    """A transfer test over a network (see `ulterion.core.workloads.network`).

    Attributes:
        pace: bytes per second at which datagrams are sent, else None.
    """

    direction: NetworkDirection
    pattern: NetworkPattern
    pace: float | None = None

    @property
    def _words(self) -> str:
        block = show_block(self.block_bytes) if self.block_bytes % 1024 == 0 else f"{self.block_bytes} B"
        if self.pattern == "messages":
            return f"messages {block}"
        if self.pattern == "datagrams":
            return f"{self.direction} datagrams {block} at {show_bit_rate(self.pace or 0.0)}"
        return f"{self.direction} {block} streams {self.depth}"

    @property
    def drive_direction(self) -> str:
        """Its direction as for a drive: what is received is read, what is sent is written."""
        return {"receive": "read", "send": "write"}.get(self.direction, self.direction)

    @property
    def drive_pattern(self) -> str:
        """Its pattern as for a drive: a stream is in order, single messages wait as single requests do; datagrams are neither."""
        return {"streams": "sequential", "messages": "random"}.get(self.pattern, self.pattern)

    @property
    def is_large(self) -> bool:
        """Whether it moves large requests in order, several at once: what shows the ceiling of a chain."""
        return self.pattern == "streams"


def on_drive(workload: Workload) -> DriveWorkload:
    """Return a workload as one of a drive; raise UsageError for one of a network."""
    if not isinstance(workload, DriveWorkload):
        raise UsageError(f"'{workload.text}' is for a network; for a drive {_EXAMPLE}")
    return workload


def over_network(workload: Workload) -> NetworkWorkload:
    """Return a workload as one of a network; raise UsageError for one of a drive."""
    if not isinstance(workload, NetworkWorkload):
        raise UsageError(
            f"'{workload.text}' is for a drive; over a network write 'receive', 'send 4 streams', 'messages 64 B'"
        )
    return workload


def _tokens(text: str) -> list[str]:
    """Split into words, keeping a number with the unit that follows it."""
    tokens: list[str] = []
    for word in re.split(r"[\s,]+", text.strip()):
        bare_number = tokens and re.fullmatch(r"[+-]?[\d.]+", tokens[-1])
        if bare_number and (word == "%" or word.isalpha()) and word.casefold() not in _KNOWN:
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
    """Read one token, with the tokens of `rest` that complete it."""
    word = token.casefold()
    if word in _WORDS:
        kind = _WORDS[word]
        parts.put("direction" if kind in ("read", "write", "mixed") else "pattern", kind)
    elif token.endswith("%"):
        share, of = parse_ratio(token), _WORDS.get(rest.pop(0).casefold()) if rest else None
        if of not in ("read", "write"):
            raise UsageError(f"workload '{parts.text}': say of what {token} are: '{token} writes' or '{token} reads'")
        parts.put("share", share if of == "write" else 1 - share)
    elif word == "depth":
        parts.put("depth", _depth(parts.text, rest.pop(0) if rest else ""))
    elif word == "for":
        parts.put("length", parse_duration(rest.pop(0) if rest else ""))
    elif word == "over":
        parts.put("span", parse_block(rest.pop(0) if rest else ""))
    elif token[0].isdigit() or token[0] in "-+":
        parts.put("block size", parse_block(token))
    elif word not in _FILLERS:
        near = nearest(word, [*_WORDS, "depth", "for", "over"])
        hint = f"did you mean '{near}'?" if near else _EXAMPLE
        raise UsageError(f"workload '{parts.text}': '{token}' is not a word for a workload; {hint}")


def parse_workload(text: str) -> DriveWorkload:
    """Read a workload from words; raise UsageError that names what is missing, doubled or unknown."""
    parts, rest = _Parts(text), _tokens(text)
    while rest:
        _take(rest.pop(0), rest, parts)
    block = parts.need("block size", "how large a request is")
    if not MIN_BLOCK <= block <= MAX_BLOCK or block % MIN_BLOCK:
        raise UsageError(f"workload '{text}': a request is a multiple of 512 B, from 512 B to {show_block(MAX_BLOCK)}")
    direction = parts.need("direction", "whether it reads or writes")
    if (direction == "mixed") != ("share" in parts.found):
        raise UsageError(
            f"workload '{text}': a mixed workload states its share, like 'random mixed 30% writes 4 KiB depth 8'"
        )
    made = DriveWorkload(
        name="",
        direction=direction,
        pattern=parts.need("pattern", "whether it is sequential or random"),
        block_bytes=block,
        depth=parts.found.get("depth", 1),
        seconds=parts.found.get("length"),
        span_bytes=parts.found.get("span"),
        why="asked for on the command line",
        write_share=parts.found.get("share"),
    )
    return replace(made, name=made.text)


def _doubling(first: int, last: int, text: str) -> list[int]:
    if last < first:
        raise UsageError(f"sweep '{text}': a range goes from small to large")
    steps = [first]
    while steps[-1] * 2 <= last:
        steps.append(steps[-1] * 2)
    return steps


def parse_sweep(text: str) -> list[DriveWorkload]:
    """Read a sweep: a workload with a range of sizes, of depths, or both, each doubling from the first to the last.

    'random read 4 KiB to 1 MiB depth 1 to 16' gives 9 x 5 workloads, sizes varying fastest.
    """
    tokens = _tokens(text)
    sizes: list[str] = []
    depths: list[str] = []
    while "to" in tokens:
        at = tokens.index("to")
        if at == 0 or at + 1 == len(tokens):
            raise UsageError(f"sweep '{text}': 'to' stands between two sizes or two depths")
        first, last = tokens[at - 1], tokens[at + 1]
        if at >= 2 and tokens[at - 2].casefold() == "depth":
            depths = [str(d) for d in _doubling(_depth(text, first), _depth(text, last), text)]
            tokens[at - 2 : at + 2] = []
        else:
            sizes = [f"{b} B" for b in _doubling(parse_block(first), parse_block(last), text)]
            tokens[at - 1 : at + 2] = []
    if not sizes and not depths:
        raise UsageError(f"sweep '{text}' has no range; write it like 'random read 4 KiB to 1 MiB depth 1 to 16'")
    rest = " ".join(tokens)
    workloads = [
        parse_workload(" ".join(p for p in (rest, size, f"depth {depth}" if depth else "") if p))
        for depth in depths or [""]
        for size in sizes or [""]
    ]
    if len(workloads) > MAX_SWEPT:
        raise UsageError(f"sweep '{text}' makes {len(workloads)} workloads; at most {MAX_SWEPT} are run at once")
    return workloads
