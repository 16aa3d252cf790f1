"""The bench's end: connects to a peer, proves that it knows the pairing code, and runs passes."""

from __future__ import annotations

import contextlib
import socket
import threading
import time
from collections.abc import Callable

from ulterion.core.errors import Interrupted, TargetFailed, UsageError
from ulterion.engine.network.carrying import carry_messages, carry_streams
from ulterion.engine.network.datagrams import HEADER, HELLO, Receiver, expected, send_paced, socket_for
from ulterion.engine.network.frames import (
    VERSION,
    Frame,
    ProtocolError,
    bytes_of,
    is_proof,
    key_of,
    nonce,
    proof,
    receive_frame,
    send_frame,
)
from ulterion.engine.network.passes import Order, Outcome, at_once, from_frame
from ulterion.engine.network.streams import Meter

TO_CONNECT, TO_ANSWER = 10.0, 15.0  # seconds
Tick = Callable[[float, int], None]


class PeerLink:
    """A bench's connection to a peer.

    Attributes:
        host, port: of the peer.
        facts: what the peer says of itself and its adapter.
        local: the address that this machine has on the way there.
    """

    def __init__(self, host: str, port: int, code: str) -> None:
        """Connect and prove that the pairing code is known; raise UsageError that says what is wrong."""
        self.host, self.port, self._code = host, port, code
        self._meter = Meter()
        sock = self._connected(host, port)
        try:
            self._control, self.facts = sock, self._let_in(sock)
        except (OSError, ProtocolError) as error:
            sock.close()
            raise UsageError(
                f"{host}:{port} is not a serving peer: {error or 'it says nothing'}; start 'ulterion peer' there"
            ) from error
        except UsageError:
            sock.close()
            raise
        self.local = str(sock.getsockname()[0])
        self._peer = sock.getpeername()

    @property
    def is_own(self) -> bool:
        """Whether the peer is this machine itself, so that nothing leaves it."""
        return str(self._peer[0]) == self.local

    def _connected(self, host: str, port: int) -> socket.socket:
        try:
            return socket.create_connection((host, port), TO_CONNECT)
        except (OSError, UnicodeError, OverflowError) as error:
            why = getattr(error, "strerror", None) or str(error) or type(error).__name__
            raise UsageError(
                f"no connection to {host} port {port}: {why}; is 'ulterion peer' running there, and does its firewall let it?"
            ) from error

    def _let_in(self, sock: socket.socket) -> Frame:
        """Prove to know the pairing code; return the peer's facts.  Raises UsageError where it refuses, ProtocolError, OSError."""
        answer, mine, theirs, key = self._introduced(sock, "bench", {"role": "bench", "version": VERSION})
        if "refused" in answer:
            raise UsageError(f"the peer {self.host} refuses: {str(answer['refused'])[:200]}")
        if not is_proof(answer.get("proof"), key, "peer", theirs, mine):
            raise UsageError(f"{self.host} does not know the pairing code itself: it is not the peer that showed it")
        facts = answer.get("facts")
        return facts if isinstance(facts, dict) else {}

    def _introduced(
        self, sock: socket.socket, role: str, frame: Frame, *, answered: bool = True
    ) -> tuple[Frame, bytes, bytes, bytes]:
        """Answer a greeting with a proof; return the answer, both nonces (our own first) and the key."""
        greeting = receive_frame(sock, seconds=TO_ANSWER)
        if greeting.get("ulterion-peer") != VERSION:
            raise ProtocolError(f"it uses another version of the protocol than ours ({VERSION})")
        theirs, mine = bytes_of(greeting, "nonce"), nonce()
        key = key_of(self._code, bytes_of(greeting, "salt"))
        send_frame(sock, {**frame, "nonce": mine.hex(), "proof": proof(key, role, theirs, mine)})
        answer = receive_frame(sock, seconds=TO_ANSWER) if answered else {}
        sock.settimeout(None)
        return answer, mine, theirs, key

    def run(self, order: Order, tick: Tick | None) -> tuple[Outcome, Outcome]:
        """Run one pass; return what this end knows of it, and what the peer does.  Raises TargetFailed."""
        self._meter = meter = Meter()
        try:
            send_frame(self._control, order.to_frame())
            token = bytes_of(receive_frame(self._control, seconds=TO_ANSWER), "pass")
            begun = time.perf_counter()

            def watch() -> None:
                if tick is not None:
                    tick(time.perf_counter() - begun, meter.total)

            mine = self._carried(order, token, meter, watch)
            if order.kind == "datagrams" and order.direction == "receive":
                theirs = Outcome({}, {})  # its answer ended the taking in
            else:
                theirs = from_frame(receive_frame(self._control, seconds=order.window.stall + TO_ANSWER))
        except (OSError, ProtocolError) as error:
            meter.stop.set()
            why = "it does not answer" if isinstance(error, TimeoutError) else str(error) or type(error).__name__
            raise TargetFailed(f"the peer {self.host}: {why}", moved=meter.total) from error
        except (Interrupted, KeyboardInterrupt):
            meter.stop.set()
            self.close()
            raise
        return mine, theirs

    def _carried(self, order: Order, token: bytes, meter: Meter, watch: Callable[[], None]) -> Outcome:
        if order.kind == "datagrams":
            return self._datagrams(order, token[:8], meter, watch)
        socks = {n: self._stream(token, n) for n in range(order.connections)}
        self._go()
        if order.kind == "messages":
            return carry_messages(order, socks[0], meter, watch, is_bench=True)
        return carry_streams(order, socks, meter, watch, is_bench=True)

    def _go(self) -> None:
        if receive_frame(self._control, seconds=TO_ANSWER).get("go") is not True:
            raise ProtocolError("it did not start the pass")

    def _stream(self, token: bytes, number: int) -> socket.socket:
        sock = socket.create_connection(self._peer[:2], TO_CONNECT)
        told = {"role": "stream", "pass": token.hex(), "number": number}
        self._introduced(sock, f"stream {token.hex()} {number}", told, answered=False)
        return sock

    def _datagrams(self, order: Order, token: bytes, meter: Meter, watch: Callable[[], None]) -> Outcome:
        assert order.pace is not None
        with socket_for(self._control.family) as udp:
            if order.direction == "send":
                self._go()
                return self._sent_datagrams(order, udp, token, meter, watch)
            return self._taken_datagrams(order, udp, token, meter, watch)

    def _sent_datagrams(
        self, order: Order, udp: socket.socket, token: bytes, meter: Meter, watch: Callable[[], None]
    ) -> Outcome:
        outcome, pace = Outcome({}, {}), order.pace or 1.0

        def give() -> None:
            sent = send_paced(
                udp, self._peer, token, size=order.block, pace=pace, seconds=order.window.seconds, meter=meter
            )
            outcome.datagrams_sent, outcome.sending_seconds, outcome.problem = sent.sent, sent.seconds, sent.problem

        at_once([give], watch)
        send_frame(self._control, {"sent": outcome.datagrams_sent})
        return outcome

    def _taken_datagrams(
        self, order: Order, udp: socket.socket, token: bytes, meter: Meter, watch: Callable[[], None]
    ) -> Outcome:
        outcome, went = Outcome({}, {}), threading.Event()
        count = expected(order.pace or 1.0, order.window.seconds, order.block)
        udp.connect(self._peer)
        receiver = Receiver(udp, token, order.block, count, meter)

        def greet() -> None:
            while not went.is_set():
                with contextlib.suppress(OSError):
                    udp.send(HEADER.pack(token, HELLO, 0))
                went.wait(0.05)

        def take() -> None:
            outcome.arrived = receiver.run()

        def hear() -> None:
            try:
                self._go()
                went.set()
                result = from_frame(receive_frame(self._control, seconds=order.window.seconds * 6 + 30))
                outcome.problem, outcome.sending_seconds = result.problem, result.sending_seconds
                outcome.datagrams_sent = result.datagrams_sent
                receiver.told(result.datagrams_sent or 0)
            except (OSError, ProtocolError) as error:
                outcome.problem = str(error) or type(error).__name__
                receiver.stop()
            went.set()

        at_once([greet, take, hear], watch)
        return outcome

    def close(self) -> None:
        """Say goodbye; may be called twice."""
        self._meter.stop.set()
        with contextlib.suppress(OSError):
            self._control.settimeout(2.0)
            send_frame(self._control, {"do": "end"})
        self._control.close()
