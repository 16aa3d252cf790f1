"""One pass over a network as both ends agree on it: what is moved, in which direction, and the form of a result in a frame."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from dataclasses import asdict, replace
from functools import partial
from typing import Literal

import numpy as np

from ulterion.core.records import dataclass
from ulterion.core.workloads.histogram import BUCKETS, LatencyHistogram
from ulterion.core.workloads.network import MAX_DATAGRAM, MAX_NETWORK_BLOCK, MAX_STREAMS, MIN_DATAGRAM, Datagrams
from ulterion.core.workloads.workload import NetworkWorkload
from ulterion.engine.network.datagrams import Arrived, expected
from ulterion.engine.network.frames import Frame, ProtocolError, number_of
from ulterion.engine.network.streams import RAMP, Counted, Sent, Window

MAX_SECONDS = 3600.0  # seconds of one pass
MAX_STALL = 120.0
MAX_DATAGRAMS = 2**27  # of one pass; a byte is held for each
Kind = Literal["streams", "messages", "datagrams"]


@dataclass(frozen=True)
class Order:
    """What a bench asks its peer for.

    Attributes:
        kind, direction: streams, messages or datagrams; seen from the bench send, receive or both.
        block: bytes of a block, a message or a datagram.
        streams: how many in each direction.
        window: when bytes count.
        pace: bytes per second, of datagrams.
    """

    kind: Kind
    direction: str
    block: int
    streams: int
    window: Window
    pace: float | None = None

    @classmethod
    def of(cls, workload: NetworkWorkload, stall: float) -> Order:
        """Return the order that a settled workload needs."""
        ramp = RAMP if workload.pattern == "streams" else 0.0
        window = Window(workload.seconds or 1.0, ramp, min(stall, MAX_STALL))
        kind: Kind = workload.pattern if workload.pattern in ("messages", "datagrams") else "streams"
        return cls(
            kind=kind,
            direction=workload.direction,
            block=workload.block_bytes,
            streams=workload.depth,
            window=window,
            pace=workload.pace,
        )

    def to_frame(self) -> Frame:
        """Return the order as it is sent."""
        return {"do": "pass", **asdict(self)}

    @classmethod
    def read(cls, frame: Frame) -> Order:
        """Read an order; raise ProtocolError for one that is not served."""
        kind, direction, window = frame.get("kind"), frame.get("direction"), frame.get("window")
        if kind not in ("streams", "messages", "datagrams") or direction not in ("send", "receive", "both"):
            raise ProtocolError("an order for something that is not served")
        if not isinstance(window, dict):
            raise ProtocolError("an order without a window")
        limits = (MIN_DATAGRAM, MAX_DATAGRAM) if kind == "datagrams" else (1, MAX_NETWORK_BLOCK)
        block = int(number_of(frame, "block", limits[1], limits[0]))
        seconds = Window(
            number_of(window, "seconds", MAX_SECONDS, 0.01),
            number_of(window, "ramp", 10.0),
            number_of(window, "stall", MAX_STALL, 0.5),
        )
        pace = number_of(frame, "pace", 1e11, 1.0) if kind == "datagrams" else None
        if pace is not None and (direction == "both" or expected(pace, seconds.seconds, block) > MAX_DATAGRAMS):
            raise ProtocolError("an order for more datagrams than are counted")
        return cls(
            kind=kind,
            direction=direction,
            block=block,
            streams=int(number_of(frame, "streams", MAX_STREAMS, 1)),
            window=seconds,
            pace=pace,
        )

    @property
    def connections(self) -> int:
        """How many data connections it takes."""
        if self.kind == "datagrams":
            return 0
        return self.streams * (2 if self.direction == "both" and self.kind == "streams" else 1)

    def is_received(self, number: int) -> bool:
        """Return whether the bench receives on a connection: on the first of them, where it does both."""
        return self.direction == "receive" or (self.direction == "both" and number < self.streams)


@dataclass
class Outcome:
    """What one end of a pass knows: what it counted, what it sent, and of datagrams how many were sent in how long, or what came."""

    counted: dict[int, Counted]
    sent: dict[int, Sent]
    arrived: Arrived | None = None
    datagrams_sent: int | None = None
    sending_seconds: float | None = None
    problem: str | None = None

    @property
    def problems(self) -> list[str]:
        """What went wrong, each once."""
        every = [self.problem, *(c.problem for c in self.counted.values())]
        return list(dict.fromkeys(p for p in every if p))


def to_frame(outcome: Outcome) -> Frame:
    """Return an outcome as it is sent."""
    frame: Frame = {
        "counted": [_counted_frame(n, c) for n, c in _gathered(outcome.counted).items()],
        "sent": [{"number": n, "bytes": s.bytes, "retransmits": s.retransmits} for n, s in outcome.sent.items()],
        "problems": outcome.problems,
        "datagrams_sent": outcome.datagrams_sent,
        "sending_seconds": outcome.sending_seconds,
    }
    if outcome.arrived is not None:
        frame["arrived"] = asdict(outcome.arrived)
    return {"result": frame}


def _gathered(counted: dict[int, Counted]) -> dict[int, Counted]:
    """Return streams with the series and gaps of all joined in the first: those of each would not fit into a frame."""
    made = {n: replace(c, series=[], gaps=LatencyHistogram()) for n, c in counted.items()}
    for first in list(made)[:1]:
        made[first].series = merged_series([c.series for c in counted.values()])
        for one in counted.values():
            made[first].gaps.merge(one.gaps)
    return made


def _counted_frame(number: int, counted: Counted) -> Frame:
    gaps = counted.gaps
    return {
        "number": number,
        "bytes": counted.bytes,
        "opening": counted.opening,
        "first": counted.first,
        "last": counted.last,
        "arrivals": counted.arrivals,
        "series": _thinned(counted.series),
        "gaps": gaps.pairs(),
        "extremes": [gaps.least_ns / 1e9, gaps.greatest_ns / 1e9, gaps.mean] if gaps.total else [],
    }


def _thinned(series: Sequence[int], most: int = 4000) -> list[int]:
    """Return a series joined to few enough intervals to fit into a frame."""
    step = -(-len(series) // most) or 1
    return [sum(series[i : i + step]) for i in range(0, len(series), step)]


def from_frame(frame: Frame) -> Outcome:
    """Read an outcome that was sent; raise ProtocolError for an invalid one."""
    result = frame.get("result")
    try:
        assert isinstance(result, dict)
        counted = {int(c["number"]): _read_counted(c) for c in result["counted"]}
        sent = {
            int(s["number"]): Sent(int(s["bytes"]), None if s["retransmits"] is None else int(s["retransmits"]))
            for s in result["sent"]
        }
        arrived = _read_arrived(result["arrived"]) if "arrived" in result else None
        told, took = result["datagrams_sent"], result["sending_seconds"]
        problems = "; ".join(str(p)[:200] for p in result["problems"]) or None
        numbers = None if told is None else int(told), None if took is None else float(took)
        return Outcome(counted, sent, arrived, *numbers, problems)
    except (AssertionError, KeyError, TypeError, ValueError, IndexError, OverflowError) as error:
        raise ProtocolError("a result that is inconsistent") from error


def _read_counted(data: Frame) -> Counted:
    gaps = LatencyHistogram()
    if data["extremes"]:
        pairs = [(int(b), int(n)) for b, n in data["gaps"] if 0 <= int(b) < BUCKETS]
        gaps = LatencyHistogram.from_pairs(pairs, *(float(e) for e in data["extremes"]))
    return Counted(
        bytes=int(data["bytes"]),
        opening=int(data["opening"]),
        first=float(data["first"]),
        last=float(data["last"]),
        arrivals=int(data["arrivals"]),
        gaps=gaps,
        series=[int(b) for b in data["series"]],
    )


def _read_arrived(data: Frame) -> Arrived:
    counts = Datagrams(**data["counts"])
    return Arrived(int(data["bytes"]), float(data["seconds"]), [int(b) for b in data["series"]], counts)


def at_once(jobs: Sequence[Callable[[], None]], watch: Callable[[], None] | None = None) -> None:
    """Run jobs in a thread each, all begun together; `watch` is called ten times a second meanwhile."""
    wait_for_start = threading.Barrier(len(jobs))
    threads = [threading.Thread(target=partial(_gated, wait_for_start, job), daemon=True) for job in jobs]
    for thread in threads:
        thread.start()
    while any(t.is_alive() for t in threads):
        next(t for t in threads if t.is_alive()).join(0.1)
        if watch is not None:
            watch()


def _gated(wait_for_start: threading.Barrier, job: Callable[[], None]) -> None:
    wait_for_start.wait()
    job()


def merged_series(series: Sequence[Sequence[int]]) -> list[int]:
    """Return the sum of several series of the same intervals."""
    length = max((len(s) for s in series), default=0)
    total = np.zeros(length, dtype=np.int64)
    for one in series:
        total[: len(one)] += np.asarray(one, dtype=np.int64)
    return [int(v) for v in total]
