"""What tests of the network need: a peer on this machine, and a relay between that loses, doubles and slows down, and counts what it did."""

from __future__ import annotations

import contextlib
import random
import socket
import struct
import threading
import time
from collections.abc import Iterator
from types import TracebackType

from ulterion.engine.network.datagrams import HEADER, HELLO
from ulterion.engine.network.peer import Peer

CODE = "amber-tulip-42"


@contextlib.contextmanager
def serving(once: bool = False) -> Iterator[tuple[Peer, list[str]]]:
    """Yield a peer that serves on a free port of this machine, and what it tells."""
    told: list[str] = []
    peer = Peer(CODE, "127.0.0.1", 0, lambda address: {"host": "far", "link": "Ethernet 1 Gb/s"}, told.append)
    thread = threading.Thread(target=peer.serve, args=(120.0,), kwargs={"once": once}, daemon=True)
    thread.start()
    try:
        yield peer, told
    finally:
        peer.stop()
        thread.join(10)


class Relay:
    """Passes connections and datagrams on to a port of this machine, on one of its own.

    Attributes:
        port: where it listens.
        seen, lost, doubled: datagrams that bore a number: how many came here, were lost, or passed on twice.
        passed: when so many bytes had been passed on, by connection and direction.
    """

    def __init__(
        self, to: int, *, lose: float = 0.0, double: float = 0.0, pace: float | None = None, seed: int = 5
    ) -> None:
        self._to, self._lose, self._double, self._pace = ("127.0.0.1", to), lose, double, pace
        self._rng, self._open = random.Random(seed), list[socket.socket]()
        self._listener = socket.create_server(("127.0.0.1", 0), backlog=64)
        self.port: int = self._listener.getsockname()[1]
        self._near, self._far = (socket.socket(socket.AF_INET, socket.SOCK_DGRAM) for _ in range(2))
        self._near.bind(("127.0.0.1", self.port))
        self._far.connect(self._to)
        self._from: tuple[str, int] | None = None
        self.seen = self.lost = self.doubled = 0
        self.passed: list[list[tuple[float, int]]] = []
        for job in (self._accept, self._outward, self._inward):
            threading.Thread(target=job, daemon=True).start()

    def rate(self, skipping: float) -> float:
        """Return the bytes per second of the busiest way so far, its first seconds left out; forget all of them."""
        busiest = max(self.passed, key=lambda way: way[-1][1] if way else 0)
        late = [(at, total) for at, total in busiest if at >= busiest[0][0] + skipping]
        self.passed.clear()
        return (late[-1][1] - late[0][1]) / (late[-1][0] - late[0][0])

    def __enter__(self) -> Relay:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        for sock in (self._listener, self._near, self._far, *self._open):
            with contextlib.suppress(OSError):
                sock.shutdown(socket.SHUT_RDWR)  # wakes who waits for it in another thread
            sock.close()

    def _accept(self) -> None:
        with contextlib.suppress(OSError):
            while True:
                near, _ = self._listener.accept()
                far = socket.create_connection(self._to)
                self._open += [near, far]
                for one, other in ((near, far), (far, near)):
                    threading.Thread(target=self._pump, args=(one, other), daemon=True).start()

    def _pump(self, one: socket.socket, other: socket.socket) -> None:
        """Pass bytes on, no quicker than the pace: a bucket that holds 20 ms."""
        due, total, passed = time.perf_counter(), 0, list[tuple[float, int]]()
        self.passed.append(passed)
        with contextlib.suppress(OSError):
            while data := one.recv(16384):
                if self._pace is not None:
                    due = max(due, time.perf_counter() - 0.02) + len(data) / self._pace
                    time.sleep(max(due - time.perf_counter(), 0.0))
                other.sendall(data)
                total += len(data)
                passed.append((time.perf_counter(), total))
        for sock in (one, other):  # shut down at once, so that whoever sends hears of it
            with contextlib.suppress(OSError):
                sock.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, struct.pack("ii", 1, 0))
                sock.shutdown(socket.SHUT_RDWR)
            sock.close()

    def _outward(self) -> None:
        with contextlib.suppress(OSError):
            while True:
                data, self._from = self._near.recvfrom(65536)
                if not data:
                    return
                for _ in range(self._copies(data)):
                    with contextlib.suppress(ConnectionError):
                        self._far.send(data)

    def _inward(self) -> None:
        with contextlib.suppress(OSError):
            while True:
                with contextlib.suppress(ConnectionError):
                    data = self._far.recv(65536)
                    if not data:
                        return
                    for _ in range(self._copies(data)):
                        if self._from is not None:
                            self._near.sendto(data, self._from)

    def _copies(self, data: bytes) -> int:
        if HEADER.unpack_from(data)[1] == HELLO:
            return 1
        drawn = self._rng.random()
        self.seen += 1
        self.lost += drawn < self._lose
        self.doubled += self._lose <= drawn < self._lose + self._double
        return 0 if drawn < self._lose else 2 if drawn < self._lose + self._double else 1
