"""What a peer does for the one bench that is let in: passes, one after another, and nothing else."""

from __future__ import annotations

import contextlib
import select
import socket
import threading
import time
from collections.abc import Iterator
from typing import cast

from ulterion.engine.network.carrying import carry_messages, carry_streams
from ulterion.engine.network.datagrams import HEADER, HELLO, Receiver, Where, expected, send_paced
from ulterion.engine.network.frames import ProtocolError, nonce, receive_frame, send_frame
from ulterion.engine.network.passes import Order, Outcome, at_once, to_frame
from ulterion.engine.network.streams import Meter

TO_CONNECT = 10.0  # seconds that a bench has for the next connection of a pass, or for its greeting
LOOK = 0.25  # seconds between two looks whether the bench is still there
GONE = getattr(select, "POLLRDHUP", 0)  # the other end closed, though there may be something to read (poll(2), Linux)


class Session:
    """One bench that is let in.

    Attributes:
        bytes: what was moved for it so far.
    """

    def __init__(self, control: socket.socket, udp: socket.socket) -> None:
        self._control, self._udp = control, udp
        self._socks: dict[int, socket.socket] = {}
        self._waited: tuple[str, int] | None = None
        self._changed = threading.Condition()
        self._meter = Meter()
        self._ended = threading.Event()
        self.bytes = 0

    def serve(self) -> None:
        """Serve passes until the bench says goodbye or goes away; raise ProtocolError, OSError."""
        try:
            while True:
                frame = receive_frame(self._control)
                if frame.get("do") == "end":
                    return
                if frame.get("do") != "pass":
                    raise ProtocolError("an order for something that is not served")
                self._pass(Order.read(frame))
        finally:
            self.end()

    def end(self) -> None:
        """End whatever is under way."""
        self._break_off()
        with contextlib.suppress(OSError):
            self._control.shutdown(socket.SHUT_RDWR)
        self._control.close()
        with self._changed:
            self._waited = None
            self._close_all()

    def _break_off(self) -> None:
        """Wake everything that waits for the bench, and let it end."""
        self._ended.set()
        self._meter.stop.set()
        with self._changed:
            for sock in self._socks.values():
                with contextlib.suppress(OSError):
                    sock.shutdown(socket.SHUT_RDWR)
            self._changed.notify_all()

    @contextlib.contextmanager
    def _watched(self) -> Iterator[None]:
        """Within the block, break off as soon as the bench has gone, which its control connection tells."""
        over = threading.Event()

        def watch() -> None:
            while not over.is_set():
                if _has_gone(self._control, LOOK):
                    self._break_off()
                    return

        threading.Thread(target=watch, daemon=True).start()
        try:
            yield
        finally:
            over.set()

    def deliver(self, token: str, number: int, sock: socket.socket) -> bool:
        """Take a data connection of the pass that waits for it; return False for any other."""
        with self._changed:
            if self._waited is None or self._waited[0] != token or not 0 <= number < self._waited[1]:
                return False
            if number in self._socks:
                return False
            self._socks[number] = sock
            self._changed.notify_all()
            return True

    def _close_all(self) -> None:
        for sock in self._socks.values():
            sock.close()
        self._socks = {}

    def _pass(self, order: Order) -> None:
        token, self._meter = nonce(), Meter()
        if self._ended.is_set():
            self._meter.stop.set()
        with self._changed:
            self._waited = (token.hex(), order.connections)
        send_frame(self._control, {"pass": token.hex()})
        try:
            with self._watched():
                outcome = self._datagrams(order, token[:8]) if order.kind == "datagrams" else self._connected(order)
        finally:
            with self._changed:
                self._waited = None
                self._close_all()
        self.bytes += self._meter.total
        send_frame(self._control, to_frame(outcome))

    def _connected(self, order: Order) -> Outcome:
        with self._changed:
            while len(self._socks) < order.connections:
                before = len(self._socks)
                if not self._changed.wait_for(lambda: self._ended.is_set() or len(self._socks) > before, TO_CONNECT):  # noqa: B023
                    raise ProtocolError("the connections of a pass were never opened")
                if self._ended.is_set():
                    raise ProtocolError("the bench went away")
            socks = dict(self._socks)
        send_frame(self._control, {"go": True})
        if order.kind == "messages":
            return carry_messages(order, socks[0], self._meter, is_bench=False)
        return carry_streams(order, socks, self._meter, is_bench=False)

    def _datagrams(self, order: Order, token: bytes) -> Outcome:
        _drain(self._udp)
        if order.direction == "send":
            return self._take_datagrams(order, token)
        where = self._greeted(token)
        send_frame(self._control, {"go": True})
        assert order.pace is not None
        sent = send_paced(
            self._udp, where, token, size=order.block, pace=order.pace, seconds=order.window.seconds, meter=self._meter
        )
        return Outcome(
            counted={},
            sent={},
            arrived=None,
            datagrams_sent=sent.sent,
            sending_seconds=sent.seconds,
            problem=sent.problem,
        )

    def _greeted(self, token: bytes) -> Where:
        """Return where the bench wants its datagrams: where a greeting with the pass's token came from, from the bench's address."""
        until, mine = time.monotonic() + TO_CONNECT, self._control.getpeername()[0]
        self._udp.settimeout(0.2)
        while time.monotonic() < until and not self._ended.is_set():
            with contextlib.suppress(TimeoutError, ConnectionError):
                data, where = self._udp.recvfrom(2048)
                if len(data) >= HEADER.size and where[0] == mine:
                    mark, number, _ = HEADER.unpack_from(data)
                    if mark == token and number == HELLO:
                        return cast(Where, where)
        raise ProtocolError("no datagram arrived: something on the way blocks them")

    def _take_datagrams(self, order: Order, token: bytes) -> Outcome:
        assert order.pace is not None
        count = expected(order.pace, order.window.seconds, order.block)
        receiver, outcome = Receiver(self._udp, token, order.block, count, self._meter), Outcome({}, {})

        def take() -> None:
            outcome.arrived = receiver.run()

        def hear() -> None:
            try:
                frame = receive_frame(self._control, seconds=order.window.seconds * 6 + 30)
                sent = frame.get("sent")
                receiver.told(sent if isinstance(sent, int) else 0)
            except (OSError, ProtocolError) as error:
                outcome.problem = f"the bench went away: {error}"
                receiver.stop()

        send_frame(self._control, {"go": True})
        at_once([take, hear])
        if outcome.problem is not None:
            raise ProtocolError(outcome.problem)
        return outcome


def _has_gone(control: socket.socket, seconds: float) -> bool:
    """Wait for a while; return whether the other end of a connection has closed it."""
    try:
        if not GONE:  # not Linux: what was sent before the end hides the end
            time.sleep(seconds)
            return False
        poll = select.poll()
        poll.register(control, GONE)
        return bool(poll.poll(seconds * 1000))
    except (OSError, ValueError):  # it was closed here
        return True


def _drain(udp: socket.socket) -> None:
    """Discard what arrived before a pass: at most one buffer full."""
    udp.settimeout(0.0)
    until = time.monotonic() + 0.2
    with contextlib.suppress(BlockingIOError, ConnectionError):
        while time.monotonic() < until:
            udp.recv(65536)
