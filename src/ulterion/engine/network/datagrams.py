"""Datagrams at a set rate, and what became of them.

Each carries a token of its pass (so that nobody else's is counted), its number, and when it was sent on the sender's clock.
"""

from __future__ import annotations

import contextlib
import socket
import struct
import threading
import time
from dataclasses import field
from functools import partial

from ulterion.core.records import dataclass
from ulterion.core.workloads.network import Datagrams
from ulterion.engine.network.streams import INTERVAL, Meter

HEADER = struct.Struct(">8sQQ")  # token, number, nanoseconds
BATCH = 0.001  # seconds of datagrams that are sent without a pause at most
QUIET, MAX_QUIET = 0.3, 2.0  # seconds without one, after the last was sent, that end the wait; and at most
ROOM = 4 * 2**20  # bytes asked for as the socket's buffer; the system may give less
_SO_MEMINFO, _DROPS = 55, 8  # asm-generic/socket.h; SK_MEMINFO_DROPS in linux/sock_diag.h
MAX_INTERVALS = 20_000  # of a series, half an hour: what a frame holds
HELLO = 2**64 - 1  # the number of a datagram that only shows where answers go


Where = tuple[str, int] | tuple[str, int, int, int]
"""An address as sockets take it, of IPv4 or IPv6."""


@dataclass
class Arrived:
    """What a receiver counted.

    Attributes:
        bytes, seconds: payload from the second arrival on, and the time from the first to the last.
        series: bytes by interval since the first arrival.
        counts: all but how many were sent, which the sender says.
    """

    bytes: int = 0
    seconds: float = 0.0
    series: list[int] = field(default_factory=list)
    counts: Datagrams = field(default_factory=partial(Datagrams, 0, 0))


@dataclass
class Paced:
    """What a sender did: datagrams sent, seconds taken, and the problem it met."""

    sent: int = 0
    seconds: float = 0.0
    problem: str | None = None


def expected(pace: float, seconds: float, size: int) -> int:
    """Return how many datagrams a pass sends."""
    return max(round(pace * seconds / size), 1)


def send_paced(
    sock: socket.socket, where: Where, token: bytes, size: int, pace: float, *, seconds: float, meter: Meter
) -> Paced:
    """Send datagrams of `size` bytes at `pace` bytes per second, in batches of a millisecond; `where` as connect takes it."""
    done, total = Paced(), expected(pace, seconds, size)
    fill, gap, batch = bytes(size - HEADER.size), size / pace, max(int(pace * BATCH / size), 1)
    sock.settimeout(None)
    begun = time.perf_counter()
    try:
        while done.sent < total and not meter.stop.is_set():
            late = time.perf_counter() - begun - done.sent * gap
            if late < 0:
                time.sleep(min(-late, 0.1))
                continue
            if late > 5 * seconds + 5:
                break
            for _ in range(min(batch, total - done.sent)):
                sock.sendto(HEADER.pack(token, done.sent, time.perf_counter_ns()) + fill, where)
                done.sent += 1
            meter.moved[0] = done.sent * size
    except OSError as error:
        done.problem = f"no datagram can be sent: {error.strerror or error}"
    done.seconds = time.perf_counter() - begun
    return done


class _Tally:
    """Counts datagrams as they come, each number once; memory is a byte for each that may be sent."""

    def __init__(self, expected: int, size: int) -> None:
        self._seen, self._size = bytearray(expected), size
        self.count = self.twice = self.late = 0
        self._newest = -1
        self.first = self.last = 0.0
        self.jitter = 0.0
        self._transit: float | None = None
        self.series: list[int] = []

    def take(self, number: int, sent_ns: int, at: float) -> None:
        """Count one that came at `at`."""
        if number >= len(self._seen):
            return
        if self._seen[number]:
            self.twice += 1
            return
        self._seen[number] = 1
        self.late += number < self._newest
        self._newest = max(self._newest, number)
        transit = at - sent_ns / 1e9
        if self._transit is not None:
            self.jitter += (abs(transit - self._transit) - self.jitter) / 16
        self._transit = transit
        self.first, self.last = self.first if self.count else at, at
        self.count += 1
        place = int((at - self.first) / INTERVAL)
        if place < MAX_INTERVALS:
            self.series.extend([0] * (place + 1 - len(self.series)))
            self.series[place] += self._size


class Receiver:
    """Takes in one pass's datagrams until it is told how many were sent, and a little longer."""

    def __init__(self, sock: socket.socket, token: bytes, size: int, expected: int, meter: Meter) -> None:
        self._sock, self._token, self._size, self._meter = sock, token, size, meter
        self._tally = _Tally(expected, size)
        self._sent: int | None = None
        self._told_at = 0.0
        self._over = threading.Event()
        self._drops = _dropped(sock)

    def told(self, sent: int) -> None:
        """Take note of how many were sent: all of them are on their way by now."""
        self._told_at, self._sent = time.perf_counter(), sent

    def stop(self) -> None:
        """End at once."""
        self._over.set()

    def run(self) -> Arrived:
        """Receive datagrams; return the counts."""
        tally, token, size, moved = self._tally, self._token, self._size, self._meter.moved
        take, now, unpack, room = self._sock.recv_into, time.perf_counter, HEADER.unpack_from, bytearray(65536)
        self._sock.settimeout(0.05)
        while not self._is_over(now()):
            try:
                count = take(room)
            except (TimeoutError, BlockingIOError):
                continue
            except ConnectionError:
                continue  # the far port was not open for a moment: an answer to a greeting
            except OSError:
                break
            mark, number, sent_ns = unpack(room)
            if count == size and mark == token and number != HELLO:
                tally.take(number, sent_ns, now())
                moved[0] = tally.count * size
        return self._arrived()

    def _arrived(self) -> Arrived:
        tally, size = self._tally, self._size
        drops = max(_dropped(self._sock) - self._drops, 0)
        jitter = tally.jitter if tally.count > 1 else None
        return Arrived(
            max(tally.count - 1, 0) * size,
            tally.last - tally.first,
            tally.series,
            Datagrams(
                sent=self._sent or 0,
                received=tally.count,
                late=tally.late,
                twice=tally.twice,
                overrun=drops,
                jitter=jitter,
            ),
        )

    def _is_over(self, now: float) -> bool:
        if self._over.is_set():
            return True
        if self._sent is None:
            return False
        waited = now - max(self._told_at, self._tally.last)
        return self._tally.count >= self._sent or waited > QUIET or now - self._told_at > MAX_QUIET


def _dropped(sock: socket.socket) -> int:
    """Return how many datagrams the system dropped for want of room in this socket, 0 where it does not say."""
    with contextlib.suppress(OSError):
        values = sock.getsockopt(socket.SOL_SOCKET, _SO_MEMINFO, 4 * (_DROPS + 1))
        if len(values) == 4 * (_DROPS + 1):
            return int(struct.unpack_from("=I", values, 4 * _DROPS)[0])
    return 0


def socket_for(family: int) -> socket.socket:
    """Return a socket for datagrams with as large a buffer as the system gives."""
    sock = socket.socket(family, socket.SOCK_DGRAM)
    for option in (socket.SO_RCVBUF, socket.SO_SNDBUF):
        sock.setsockopt(socket.SOL_SOCKET, option, ROOM)
    return sock
