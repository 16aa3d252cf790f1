"""What is measured over a network: its workloads in words, and what is counted besides bytes.

'receive', 'send 4 streams'            one or several TCP streams; 'both ways' sends and receives at once
'messages 64 B'                        one small message after another, each answered: the round trip
'send datagrams 1200 B at 95 Mb/s'     UDP at a set rate: what is lost, late or comes twice
"""

from __future__ import annotations

import math
import re
from dataclasses import replace

from ulterion.core.errors import UsageError, nearest
from ulterion.core.links.standards import Link, find_link
from ulterion.core.records import dataclass
from ulterion.core.stats.beta import beta_quantile
from ulterion.core.stats.interval import Interval
from ulterion.core.units import parse_block, parse_duration, parse_rate, show_bit_rate, show_block
from ulterion.core.workloads.suites import Suite
from ulterion.core.workloads.workload import (
    DriveWorkload,
    NetworkDirection,
    NetworkPattern,
    NetworkWorkload,
    Workload,
    parse_sweep,
    parse_workload,
)

STREAM_BLOCK = 256 * 2**10  # bytes handed over at once
MESSAGE, DATAGRAM = 64, 1200  # bytes, where none are named; the second goes whole through any network (RFC 8200: 1280)
MIN_DATAGRAM, MAX_DATAGRAM = 32, 65507  # bytes: our own header; what UDP over IPv4 carries (RFC 768)
MAX_NETWORK_BLOCK, MAX_STREAMS = 2**20, 32
SMALL_PACE = 10e6 / 8  # bytes per second, of the suite's datagrams: a call with pictures

_DIRECTIONS: dict[str, NetworkDirection] = {
    "send": "send",
    "sending": "send",
    "receive": "receive",
    "receiving": "receive",
    "both": "both",
}
_PATTERNS: dict[str, NetworkPattern] = {
    "stream": "streams",
    "streams": "streams",
    "message": "messages",
    "messages": "messages",
    "datagram": "datagrams",
    "datagrams": "datagrams",
}
_FILLERS = ("ways", "of", "with", "in", "a", "blocks", "each")
_EXAMPLE = "write it like 'receive 4 streams', 'messages 64 B' or 'send datagrams 1200 B at 95 Mb/s'"


@dataclass(frozen=True)
class Datagrams:
    """What became of datagrams.

    Attributes:
        sent, received: how many; those that came twice count once.
        late: received after one that was sent later.
        twice: further copies of one that was received.
        overrun: of those lost, what the receiving machine dropped itself because the program was not quick enough.
        jitter: smoothed change of the time under way, seconds (RFC 3550, 6.4.1).
    """

    sent: int
    received: int
    late: int = 0
    twice: int = 0
    overrun: int = 0
    jitter: float | None = None

    @property
    def lost(self) -> int:
        """How many did not come."""
        return max(self.sent - self.received, 0)

    def __add__(self, other: Datagrams) -> Datagrams:
        """Return what became of both."""
        known = [d.jitter for d in (self, other) if d.jitter is not None]
        return Datagrams(
            sent=self.sent + other.sent,
            received=self.received + other.received,
            late=self.late + other.late,
            twice=self.twice + other.twice,
            overrun=self.overrun + other.overrun,
            jitter=max(known, default=None),
        )


@dataclass(frozen=True)
class NetworkCounts:
    """What a pass over a network counted besides its bytes.

    Attributes:
        sent_bytes, received_bytes: by direction, seen from the bench.
        retransmits: segments that TCP sent again, both ends together, or None where the system does not say.
        machine_cpu_seconds: processor time that the whole machine spent meanwhile, or None.
        errors, drops: packets that the bench's adapter counted as faulty, and as dropped, meanwhile; None where it does not say.
        datagrams: what became of them, or None for a stream or messages.
    """

    sent_bytes: int = 0
    received_bytes: int = 0
    retransmits: int | None = None
    machine_cpu_seconds: float | None = None
    errors: int | None = None
    drops: int | None = None
    datagrams: Datagrams | None = None


def lost_share(counts: Datagrams, level: float = 0.95) -> Interval:
    """Return the share that was lost with its interval, of single losses that do not depend on one another.

    Clopper and Pearson's exact interval (Biometrika 26 (1934), 404-413); losses in bursts make it too narrow.
    """
    lost, sent, rest = counts.lost, counts.sent, (1 - level) / 2
    if not sent:
        return Interval(math.nan, 0.0, 1.0)
    low = beta_quantile(lost, sent - lost + 1, rest) if lost else 0.0
    high = beta_quantile(lost + 1, sent - lost, 1 - rest) if lost < sent else 1.0
    return Interval(lost / sent, low, high)


def ethernet(megabits: float | None) -> Link | None:
    """Return the link of a negotiated rate in Mb/s, as an adapter states it, or None for one that is not standard."""
    if not megabits or megabits <= 0:
        return None
    rate = f"{megabits / 1000:g} Gb/s" if megabits >= 1000 else f"{megabits:g} Mb/s"
    try:
        return find_link(f"Ethernet {rate}")
    except UsageError:
        return None


def _stream(direction: NetworkDirection, count: int, why: str) -> NetworkWorkload:
    name = "both ways" if direction == "both" else direction
    return NetworkWorkload(
        f"{name} x{count}" if count > 1 else name, direction, "streams", STREAM_BLOCK, count, why=why
    )


def _datagrams(direction: NetworkDirection) -> NetworkWorkload:
    why = "A call's worth of datagrams: whether any are lost, late or doubled."
    return NetworkWorkload(f"datagrams {direction}", direction, "datagrams", DATAGRAM, 1, why=why, pace=SMALL_PACE)


NETWORK_SUITE = Suite(
    "network",
    "One and four streams each way, both ways at once, the round trip of small messages, and datagrams.",
    (
        _stream("receive", 1, "One stream in: what fetching a file from another machine can give."),
        _stream("send", 1, "One stream out: what putting a file there can give."),
        _stream("receive", 4, "Four streams in: whether one alone was what held it back."),
        _stream("send", 4, "Four streams out, likewise."),
        _stream("both", 1, "In and out at once: whether the adapter does both at its full rate."),
        NetworkWorkload(
            "messages", "both", "messages", MESSAGE, 1, why="One small message after another: the round trip."
        ),
        _datagrams("receive"),
        _datagrams("send"),
    ),
)


def network_like(workload: Workload) -> NetworkWorkload:
    """Return what a network does while a drive does a workload: a stream the same way, both ways for a mixed one."""
    ways: dict[str, NetworkDirection] = {"read": "receive", "write": "send"}
    direction = ways.get(workload.direction, "both")
    made = _stream(direction, 1, f"beside {workload.text}")
    return replace(made, name=workload.name, seconds=workload.seconds)


class _Words:
    """The words of a network workload, taken one after another."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.found: dict[str, object] = {}
        self.left = re.findall(r"\d[\d.]*\s*(?:[kKMGT]i?)?[bB](?:/s)?(?![\w/])|[^\s,]+", text.strip())

    def refuse(self, why: str) -> UsageError:
        return UsageError(f"workload '{self.text}': {why}; {_EXAMPLE}")

    def put(self, key: str, value: object) -> None:
        if key in self.found:
            raise self.refuse(f"it states its {key} twice")
        self.found[key] = value

    def next(self, after: str) -> str:
        if not self.left:
            raise self.refuse(f"nothing stands behind '{after}'")
        word: str = self.left.pop(0)
        return word

    def count(self, word: str) -> int:
        if not word.isdigit() or not 1 <= int(word) <= MAX_STREAMS:
            raise self.refuse(f"streams are a whole number from 1 to {MAX_STREAMS}, not '{word}'")
        return int(word)

    def take(self, word: str) -> None:
        low = word.casefold()
        if low in _DIRECTIONS:
            self.put("direction", _DIRECTIONS[low])
        elif low in _PATTERNS:
            self.put("kind", _PATTERNS[low])
            if low == "streams" and self.left and self.left[0].isdigit():
                self.put("streams", self.count(self.left.pop(0)))
        elif low == "at":
            self.put("rate", parse_rate(self.next("at")))
        elif low == "for":
            length = self.next("for")
            self.put("length", parse_duration(length if re.search("[a-z]", length) else f"{length} {self.next('for')}"))
        elif word.isdigit():
            self.put("streams", self.count(word))
        elif word[0].isdigit():
            self.put("size", parse_block(word))
        elif low not in _FILLERS:
            near = nearest(low, [*_DIRECTIONS, *_PATTERNS, "at", "for"])
            raise self.refuse(
                f"'{word}' is not a word for a network's workload" + (f", did you mean '{near}'?" if near else "")
            )


def parse_network(text: str) -> NetworkWorkload:
    """Read a network's workload from words; raise UsageError that names what is missing, doubled or unknown."""
    words = _Words(text)
    while words.left:
        words.take(words.left.pop(0))
    found: dict[str, object] = words.found
    pattern = found.get("kind", "streams")
    made = {"streams": _parsed_stream, "messages": _parsed_messages, "datagrams": _parsed_datagrams}[str(pattern)](
        words
    )
    length = found.get("length")
    made = replace(made, seconds=length if isinstance(length, float) else None, why="asked for on the command line")
    return replace(made, name=_name_of(made))


def parse_either(text: str) -> DriveWorkload | NetworkWorkload:
    """Read a workload of a drive or of a network, by its words; raise UsageError."""
    words = set(re.findall(r"[a-z]+", text.casefold()))
    return parse_network(text) if words & {*_DIRECTIONS, *_PATTERNS} else parse_workload(text)


def parse_each(text: str) -> list[DriveWorkload | NetworkWorkload]:
    """Read a workload of a drive or of a network, or a sweep of sizes or depths ('sequential read 4 KiB to 8 MiB'); raise UsageError."""
    return list(parse_sweep(text)) if " to " in f" {text.casefold()} " else [parse_either(text)]


def _name_of(workload: NetworkWorkload) -> str:
    """Return the name that the suite has for it, or else its words."""
    known = next((w for w in NETWORK_SUITE.workloads if w.text == workload.text), None)
    return known.name if known else workload.text


def _size(words: _Words, default: int, least: int, most: int) -> int:
    size = words.found.get("size", default)
    assert isinstance(size, int)
    if not least <= size <= most:
        raise words.refuse(f"a size from {show_block(least)} to {show_block(most)} is needed, not {show_block(size)}")
    return size


def _direction(words: _Words) -> NetworkDirection:
    direction = words.found.get("direction")
    if direction not in ("send", "receive", "both"):
        raise words.refuse("it does not say whether it sends or receives")
    return direction


def _not_here(words: _Words, *keys: str) -> None:
    wrong = next((k for k in keys if k in words.found), None)
    if wrong:
        raise words.refuse(f"it takes no {wrong}")


def _parsed_stream(words: _Words) -> NetworkWorkload:
    _not_here(words, "rate")
    block, count = _size(words, STREAM_BLOCK, 512, MAX_NETWORK_BLOCK), words.found.get("streams", 1)
    assert isinstance(count, int)
    return NetworkWorkload("", _direction(words), "streams", block, count)


def _parsed_messages(words: _Words) -> NetworkWorkload:
    _not_here(words, "rate", "streams", "direction")
    return NetworkWorkload("", "both", "messages", _size(words, MESSAGE, 1, MAX_NETWORK_BLOCK), 1)


def _parsed_datagrams(words: _Words) -> NetworkWorkload:
    _not_here(words, "streams")
    direction, pace = _direction(words), words.found.get("rate")
    if direction == "both":
        raise words.refuse("datagrams go one way at a time: say 'send' or 'receive'")
    if not isinstance(pace, float):
        raise words.refuse("it does not say at what rate, such as 'at 95 Mb/s'")
    block = _size(words, DATAGRAM, MIN_DATAGRAM, MAX_DATAGRAM)
    if pace < block / 10:
        raise words.refuse(f"{show_bit_rate(pace)} is less than one datagram in ten seconds")
    return NetworkWorkload("", direction, "datagrams", block, 1, pace=pace)
