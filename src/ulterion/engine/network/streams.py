"""One TCP stream, sent or received.  The receiving end counts, by its own clock, and ends the stream by closing it."""

from __future__ import annotations

import contextlib
import socket
import struct
import threading
import time
from collections.abc import Sequence
from dataclasses import field

import numpy as np

from ulterion.core.records import dataclass
from ulterion.core.workloads.histogram import LatencyHistogram

RAMP = 0.3  # seconds at the start that are not counted: TCP finds its rate (slow start, RFC 5681)
INTERVAL = 0.1  # seconds of one interval of the series
RECEIVE = 2**20  # bytes that are asked for at once
_TOTAL_RETRANS = 100  # offset of tcpi_total_retrans in struct tcp_info (linux/tcp.h)
LATEST = 2.0  # seconds after its time that a sender goes on, where the receiver began later
LOOK = 0.02  # seconds between two looks at what came
WAKE, MAX_WAKE = 100e-6, 2**18  # seconds of bytes that a receiver is woken for, and bytes at most
_GAPS = 4096  # round trips that are kept before they are counted


@dataclass
class Counted:
    """What one stream's receiver counted in its window.

    Attributes:
        bytes: that came after the first arrival in its window; `opening` those of that arrival itself.
        first, last: when the first arrival and the last were, by this machine's clock.
        arrivals: how often bytes came.
        gaps: histogram of the seconds between arrivals.
        series: bytes by interval of the window.
        problem: why it ended before its time, or None.
    """

    bytes: int = 0
    opening: int = 0
    first: float = 0.0
    last: float = 0.0
    arrivals: int = 0
    gaps: LatencyHistogram = field(default_factory=LatencyHistogram)
    series: list[int] = field(default_factory=list)
    problem: str | None = None

    @property
    def seconds(self) -> float:
        """From its first arrival to its last."""
        return self.last - self.first


def joined(streams: Sequence[Counted]) -> tuple[int, float]:
    """Return the bytes and seconds of several streams of one machine taken together, from the first arrival of any to the last.

    Adding up the streams' own rates would leave out the time that one of them stood still at its ends.
    """
    busy = [s for s in streams if s.first]
    if not busy:
        return 0, 0.0
    earliest = min(busy, key=lambda s: s.first)
    count = sum(s.bytes + s.opening for s in busy) - earliest.opening
    return count, max(s.last for s in busy) - earliest.first


@dataclass
class Sent:
    """What one stream's sender knows: bytes it handed over, and segments that TCP sent again (None: not said)."""

    bytes: int = 0
    retransmits: int | None = None


@dataclass(frozen=True)
class Window:
    """When bytes count: `seconds` long, after the first `ramp` seconds; `stall` seconds without any end it."""

    seconds: float
    ramp: float = RAMP
    stall: float = 30.0


class Meter:
    """The bytes so far of several streams, for the live view, and the order to stop."""

    def __init__(self) -> None:
        self.moved: dict[int, int] = {}
        self.stop = threading.Event()

    @property
    def total(self) -> int:
        """Bytes so far."""
        return sum(self.moved.values())


def patient(sock: socket.socket, seconds: float) -> None:
    """Set how long calls wait in the kernel itself: a time limit of Python's costs a further call each time."""
    sock.settimeout(None)
    limit = struct.pack("ll", int(seconds), int(seconds % 1 * 1e6))
    for option in (socket.SO_RCVTIMEO, socket.SO_SNDTIMEO):
        sock.setsockopt(socket.SOL_SOCKET, option, limit)


def receive(sock: socket.socket, window: Window, meter: Meter, number: int) -> Counted:
    """Receive until the window is over, then close, which tells the sender."""
    counted, room = Counted(series=[0] * max(round(window.seconds / INTERVAL), 1)), memoryview(bytearray(RECEIVE))
    patient(sock, window.stall)
    try:
        _take_in(sock, window, meter, number=number, counted=counted, room=room)
    except (TimeoutError, BlockingIOError):
        counted.problem = f"no byte came for {window.stall:g} s"
    except OSError as error:
        counted.problem = f"the connection broke: {error.strerror or error}"
    finally:
        _close_at_once(sock)
    return counted


def _take_in(
    sock: socket.socket, window: Window, meter: Meter, number: int, counted: Counted, *, room: memoryview
) -> None:
    now, take, stopped = time.perf_counter, sock.recv_into, meter.stop.is_set
    last = begun = now()
    start, end = begun + window.ramp, begun + window.ramp + window.seconds
    first, total, before, before_window, look = 0.0, 0, 0, 0, start - window.ramp / 2
    gaps: list[float] = []
    series, scale = counted.series, len(counted.series) / window.seconds
    while count := take(room):
        at = now()
        if at > end:
            break
        total += count
        gaps.append(at - last)
        last = at
        if at < look:
            continue
        # what costs time is done once in a while: at high rates a thousand arrivals come in between
        if not first and at < start:
            _wake_less_often(sock, total / (at - begun))
            look = start
            continue
        if not first:
            first, before_window, gaps, counted.opening = at, total, [], count
        else:
            series[min(int((at - start) * scale), len(series) - 1)] += total - before
        before, look = total, at + LOOK
        meter.moved[number] = total
        counted.arrivals += len(gaps)
        counted.gaps.add(np.asarray(gaps) * 1e9)
        gaps = []
        if stopped():
            return
    else:
        counted.problem = "the other end closed before the time was up"
    counted.arrivals += len(gaps)
    counted.gaps.add(np.asarray(gaps) * 1e9)
    series[-1] += total - before
    if first:
        counted.bytes, counted.first, counted.last = total - before_window, first, last


def _wake_less_often(sock: socket.socket, rate: float) -> None:
    """Let the system wake this end once in about so many microseconds, not for every packet: at high rates the waking costs most."""
    with contextlib.suppress(OSError):
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_RCVLOWAT, max(1, min(int(rate * WAKE), MAX_WAKE)))


def _close_at_once(sock: socket.socket) -> None:
    """Close without waiting for data on its way."""
    with contextlib.suppress(OSError):
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, struct.pack("ii", 1, 0))
    sock.close()


def send(sock: socket.socket, block: bytes, window: Window, meter: Meter, number: int, *, told: bool) -> Sent:
    """Send blocks until the receiver closes; `told` says whether they are counted by the meter.

    Whether it closed because it had enough, or broke off before, only the receiver knows: what it says counts.
    """
    sent, now, give, total = Sent(), time.perf_counter, sock.send, 0
    begun = look = now()
    most = begun + window.ramp + window.seconds + LATEST
    patient(sock, window.stall)
    try:
        while not meter.stop.is_set() and look <= most:
            while now() < look + INTERVAL:
                total += give(block)
            look, sent.bytes = now(), total
            sent.retransmits = _retransmits(sock)
            if told:
                meter.moved[number] = total
    except OSError:
        sent.bytes = total
    finally:
        sock.close()
    sent.bytes = total
    return sent


def _retransmits(sock: socket.socket) -> int | None:
    """Return how many segments were sent again, None where the system does not say."""
    if not hasattr(socket, "TCP_INFO"):
        return None
    try:
        info = sock.getsockopt(socket.IPPROTO_TCP, socket.TCP_INFO, _TOTAL_RETRANS + 4)
    except OSError:
        return None
    return struct.unpack_from("=I", info, _TOTAL_RETRANS)[0] if len(info) >= _TOTAL_RETRANS + 4 else None


def echo(sock: socket.socket, block: int, window: Window) -> None:
    """Answer every message of `block` bytes with the same, until the other end closes."""
    patient(sock, window.stall)
    room = memoryview(bytearray(block))
    with contextlib.suppress(OSError):
        while _fill(sock, room):
            sock.sendall(room)
    sock.close()


def ask(sock: socket.socket, block: int, window: Window, meter: Meter) -> Counted:
    """Send messages of `block` bytes, each once the one before is answered; the gaps are the round trips."""
    message, room = bytes(block), memoryview(bytearray(block))
    counted = Counted(series=[0] * max(round(window.seconds / INTERVAL), 1))
    patient(sock, window.stall)
    trips: list[float] = []
    now, start = time.perf_counter, time.perf_counter()
    end, scale = start + window.seconds, len(counted.series) / window.seconds
    try:
        begun = start
        while begun < end and not meter.stop.is_set():
            sock.sendall(message)
            if not _fill(sock, room):
                counted.problem = "the other end closed before the time was up"
                break
            at = now()
            trips.append(at - begun)
            counted.arrivals += 1
            counted.series[min(int((at - start) * scale), len(counted.series) - 1)] += block
            meter.moved[0] = counted.arrivals * block
            if len(trips) >= _GAPS:
                counted.gaps.add(np.asarray(trips) * 1e9)
                trips.clear()
            counted.first, counted.last, begun = start, at, now()
    except (TimeoutError, BlockingIOError):
        counted.problem = f"no answer came for {window.stall:g} s"
    except OSError as error:
        counted.problem = f"the connection broke: {error.strerror or error}"
    finally:
        sock.close()
    counted.gaps.add(np.asarray(trips) * 1e9)
    counted.bytes = counted.arrivals * block
    return counted


def _fill(sock: socket.socket, room: memoryview) -> bool:
    """Fill a buffer; return False where the other end closed."""
    at = 0
    while at < len(room):
        count = sock.recv_into(room[at:])
        if not count:
            return False
        at += count
    return True
