"""How long a piece of work takes: bytes moved between two ends whose rates change as they go, files that cost something each, and a check afterwards.

An end that was run for long is what it then was, piece by piece (its write cache used up after so many bytes, heat that throttles it again and again), and
beyond that what it was at last.  At each moment the slower end sets the pace.  What the rates are not known better than, and what one copy differs from the next
by, is drawn many times; the interval lies between the 5th and the 95th of a hundred.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import replace
from functools import cached_property
from itertools import accumulate

from ulterion.core.arrays import Floats, np
from ulterion.core.records import dataclass
from ulterion.core.stats.middle import quantile_of

DRAWS = 200
LEVEL = 0.90
MODEL = 0.012  # of the log of the time: what no stage tells (benchmarks/works.py)
SIZE_ERROR = 0.04  # of the log of where the rate changes
TAIL_ERROR = 0.05  # of the log of the rate beyond what was run


@dataclass(frozen=True)
class Piece:
    """So many bytes at a rate, and why at this one."""

    bytes: float
    rate: float
    why: str


@dataclass(frozen=True)
class End:
    """One end of a transfer.

    Attributes:
        name: how it is called.
        rate: bytes per second, where no pieces are known; `error` the standard deviation of its log.
        pieces: of the long run, in their order; `tail` what comes behind them.
        long: bytes that were seen moved in one go, infinite where nothing is used up, None where nothing long was run: beyond it nobody knows.
    """

    name: str
    rate: float
    error: float
    pieces: tuple[Piece, ...] = ()
    tail: Piece | None = None
    long: float | None = None

    @property
    def best(self) -> float:
        """The highest rate that was seen of it, bytes per second."""
        return max([self.rate, *(p.rate for p in self.pieces)])

    @cached_property
    def _edges(self) -> list[float]:
        """Bytes after which each piece is over."""
        return list(accumulate(p.bytes for p in self.pieces))

    def at(self, moved: float) -> tuple[float, str, float]:
        """Return rate, why, and the bytes until that changes, after so many bytes."""
        place = bisect_right(self._edges, moved + 0.5)
        if place < len(self._edges):
            piece = self.pieces[place]
            return piece.rate, piece.why, self._edges[place] - moved
        last = self.tail or Piece(math.inf, self.rate, OWN)
        return last.rate, last.why, math.inf


OWN = "its own rate"
BY_TURNS = "one medium is read and written in turn"


def by_turns(source: End, target: End) -> End:
    """Return one medium as both ends of a copy: each byte is read, then written, so that 1 / rate = 1 / read + 1 / write."""
    reading = (source.tail or Piece(math.inf, source.rate, OWN)).rate

    def both(rate: float) -> float:
        return 1 / (1 / reading + 1 / rate)

    pieces = tuple(replace(p, rate=both(p.rate), why=BY_TURNS if p.why == OWN else p.why) for p in target.pieces)
    last = target.tail or Piece(math.inf, target.rate, OWN)
    tail = replace(last, rate=both(last.rate), why=BY_TURNS if last.why == OWN else last.why)
    error = math.hypot(source.error, target.error)
    return End(name=target.name, rate=both(target.rate), error=error, pieces=pieces, tail=tail, long=target.long)


@dataclass(frozen=True)
class Part:
    """A stretch of the work at one pace: bytes, seconds, the name of the end that sets the pace, and why."""

    bytes: float
    seconds: float
    rate: float
    end: str
    why: str


@dataclass(frozen=True)
class Work:
    """How long it takes.

    Attributes:
        seconds: with `low` and `high` (90%).
        parts: the stretches of the transfer.
        files_seconds, check_seconds: of files' own cost and of the check afterwards.
        beyond: bytes that lie beyond what was ever run in one go.
    """

    seconds: float
    low: float
    high: float
    parts: tuple[Part, ...]
    files_seconds: float
    check_seconds: float
    beyond: float

    @property
    def decides(self) -> Part:
        """The stretch that takes longest."""
        return max(self.parts, key=lambda p: p.seconds)


def parts_of(size: float, ends: Sequence[End]) -> list[Part]:
    """Return the stretches of moving so many bytes between ends, the slower one setting the pace at each moment."""
    moved, parts = 0.0, list[Part]()
    while moved < size - 0.5:
        known = [(*end.at(moved), end.name) for end in ends]
        rate, why, _, name = min(known)
        step = min(size - moved, *(left for _, _, left, _ in known))
        if parts and (parts[-1].end, parts[-1].why) == (name, why):
            last = parts.pop()
            size_now, seconds = last.bytes + step, last.seconds + step / rate
            parts.append(Part(size_now, seconds, size_now / seconds, name, why))
        else:
            parts.append(Part(step, step / rate, rate, name, why))
        moved += step
    return parts


def work(
    size: float, ends: Sequence[End], *, files: int = 0, per_file: float = 0.0, check: End | None = None, seed: int = 1
) -> Work:
    """Return how long moving so many bytes takes; `check` is the end that all is read back from afterwards.  Size above 0, one end at least."""
    parts = parts_of(size, ends)
    extra = files * per_file
    again = size / check.rate if check is not None else 0.0
    middle = math.fsum(p.seconds for p in parts) + extra + again
    drawn = np.sort(_drawn(size, ends, check, extra, np.random.default_rng(seed))).tolist()
    low, high = quantile_of(drawn, (1 - LEVEL) / 2), quantile_of(drawn, (1 + LEVEL) / 2)
    beyond = max(0.0, size - min(e.long or 0.0 for e in ends))
    return Work(
        seconds=middle,
        low=min(low, middle),
        high=max(high, middle),
        parts=tuple(parts),
        files_seconds=extra,
        check_seconds=again,
        beyond=beyond,
    )


def _drawn(size: float, ends: Sequence[End], check: End | None, extra: float, rng: np.random.Generator) -> Floats:
    """Return the times of `DRAWS` such works, with everything that is not known drawn."""
    others = [_others(end, rng) for end in ends]
    edges = np.sort(np.concatenate([np.full((DRAWS, 1), size), *(edges for edges, _ in others)], axis=1), axis=1)
    moved = np.diff(np.minimum(edges, size), axis=1, prepend=0.0)  # the stretches in which no end changes
    middle = np.minimum(edges, size) - moved / 2
    pace = np.min([_at(middle, *other) for other in others], axis=0)
    seconds = np.sum(moved / pace, axis=1) + extra
    if check is not None:
        seconds += size / (check.rate * np.exp(rng.normal(0, check.error, DRAWS)))
    return np.asarray(seconds * np.exp(rng.normal(0, MODEL, DRAWS)), dtype=float)


def _others(end: End, rng: np.random.Generator) -> tuple[Floats, Floats]:
    """Return an end as it may be as well, a row for each draw: bytes after which each piece is over; rates, that behind the pieces the last."""
    shift, place = np.exp(rng.normal(0, end.error, (DRAWS, 1))), np.exp(rng.normal(0, SIZE_ERROR, (DRAWS, 1)))
    edges, rates = np.array([p.bytes for p in end.pieces]).cumsum(), np.array([p.rate for p in end.pieces])
    last = end.rate * shift
    if end.tail is not None:
        last = end.tail.rate * shift * np.exp(rng.normal(0, TAIL_ERROR, (DRAWS, 1)))
    return edges * place, np.concatenate([rates * shift, last], axis=1)


def _at(moved: Floats, edges: Floats, rates: Floats) -> Floats:
    """Return the rates after so many bytes, each row of all three a draw."""
    place = [np.searchsorted(row, at, side="right") for row, at in zip(edges, moved, strict=True)]
    return np.take_along_axis(rates, np.array(place), axis=1)


@dataclass(frozen=True)
class Recording:
    """Whether an end keeps up with a stream.

    Attributes:
        keeps: whether its lowest rate is above the stream.
        until: seconds until a buffer of so many bytes would run over, None where it keeps up.
        lowest: bytes per second.
    """

    keeps: bool
    until: float | None
    lowest: float


def recording(stream: float, end: End, lowest: float, buffer: float = 0.0) -> Recording:
    """Return whether a stream (bytes per second) is taken: never below `lowest` seen of the end, or how long until a buffer is full.

    The end takes the stream as long as it can; what it cannot is held back, and caught up when it can again.
    """
    if lowest >= stream:
        return Recording(True, None, lowest)
    held = seconds = 0.0
    last = end.tail or Piece(math.inf, end.rate, OWN)
    for piece in (*end.pieces, replace(last, bytes=MAX_STREAM * stream)):
        length = piece.bytes / min(piece.rate, stream)
        if piece.rate < stream and held + (stream - piece.rate) * length > buffer:
            return Recording(False, seconds + (buffer - held) / (stream - piece.rate), lowest)
        held = max(0.0, held + (stream - piece.rate) * length)
        seconds += length
    return Recording(True, None, lowest)


MAX_STREAM = 86400.0  # seconds; who records for a day is never stopped
