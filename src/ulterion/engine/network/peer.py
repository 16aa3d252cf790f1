"""The peer: listens, lets in one bench that knows the pairing code, and goes on serving whatever strangers send.

A stranger gets a greeting and a few seconds for one short frame.  How many wait at once is limited, also from one address, so that
neither memory nor threads grow.
"""

from __future__ import annotations

import socket
import struct
import threading
import time
from collections import Counter
from collections.abc import Callable

from ulterion.core.errors import UsageError
from ulterion.core.records import dataclass
from ulterion.engine.network.datagrams import socket_for
from ulterion.engine.network.frames import (
    STRANGER,
    VERSION,
    Frame,
    ProtocolError,
    bytes_of,
    is_proof,
    key_of,
    nonce,
    number_of,
    proof,
    receive_frame,
    send_frame,
)
from ulterion.engine.network.session import Session
from ulterion.engine.workers.children import SCARCE

TO_SAY_WHO = 5.0  # seconds that a stranger has
MAX_STRANGERS, MAX_FROM_ONE = (
    64,
    40,
)  # connections that have not proven anything, at once; from one address (32 streams come at once)
FOR_SCARCE = 0.2  # seconds to wait where the system gives no more descriptors or memory
PENALTY = 1.0  # seconds that a wrong pairing code costs
KEEPALIVE = {
    "TCP_KEEPIDLE": 20,
    "TCP_KEEPINTVL": 10,
    "TCP_KEEPCNT": 3,
}  # seconds, seconds, times: who is gone is let go

Facts = Callable[[str], Frame]
"""Returns what this machine shows of itself and the adapter with a local address."""


@dataclass
class Happenings:
    """What a peer did so far: benches served, strangers refused, bytes moved."""

    served: int = 0
    refused: int = 0
    bytes: int = 0


class Peer:
    """Listens on a port for TCP and UDP.

    Attributes:
        port: where it listens.
        happenings: what it did so far.
    """

    def __init__(self, code: str, address: str, port: int, facts: Facts, tell: Callable[[str], None]) -> None:
        """Begin to listen; raise UsageError where that is not possible."""
        self._salt, self._facts, self._tell = nonce(), facts, tell
        self._key = key_of(code, self._salt)
        self._listener, self._udp = _listen(address, port)
        self.port: int = self._listener.getsockname()[1]
        self.happenings = Happenings()
        self._session: Session | None = None
        self._strangers: Counter[str] = Counter()
        self._lock = threading.Lock()
        self._stopped = threading.Event()

    def serve(self, seconds: float, *, once: bool = False) -> None:
        """Serve until the time is up, `stop` is called, or, where `once`, the first bench has gone."""
        until = time.monotonic() + seconds
        self._listener.settimeout(0.2)
        while not self._stopped.is_set() and time.monotonic() < until:
            if once and self.happenings.served and self._session is None:
                break
            try:
                sock, address = self._listener.accept()
            except (TimeoutError, ConnectionError):
                continue
            except OSError as error:
                if error.errno not in SCARCE:
                    raise
                time.sleep(FOR_SCARCE)  # others give back what they hold, or their time is up
                continue
            self._begin(sock, str(address[0]))
        self.close()

    def stop(self) -> None:
        """Let `serve` return."""
        self._stopped.set()

    def close(self) -> None:
        """Stop listening and end what is under way."""
        self._stopped.set()
        self._listener.close()
        session = self._session
        if session is not None:
            session.end()
        self._udp.close()

    def _begin(self, sock: socket.socket, address: str) -> None:
        with self._lock:
            full = sum(self._strangers.values()) >= MAX_STRANGERS or self._strangers[address] >= MAX_FROM_ONE
            if not full:
                self._strangers[address] += 1
        if full:
            self.happenings.refused += 1
            sock.close()
            return
        try:
            threading.Thread(target=self._meet, args=(sock, address), daemon=True).start()
        except RuntimeError:  # no more threads: as full as it gets
            self._known(address)
            sock.close()

    def _known(self, address: str) -> None:
        with self._lock:
            self._strangers[address] -= 1
            if self._strangers[address] <= 0:
                del self._strangers[address]

    def _meet(self, sock: socket.socket, address: str) -> None:
        """Hear who connects, and let in whoever proves to know the pairing code."""
        session, kept = None, False
        try:
            sock.settimeout(TO_SAY_WHO)
            mine = nonce()
            send_frame(sock, {"ulterion-peer": VERSION, "salt": self._salt.hex(), "nonce": mine.hex()})
            frame = receive_frame(sock, STRANGER, TO_SAY_WHO)
            sock.settimeout(None)
            if frame.get("role") == "stream":
                kept = self._stream(frame, mine, sock)
                self.happenings.refused += not kept
            else:
                session = self._bench(frame, mine, sock, address)
        except (OSError, ProtocolError):
            self.happenings.refused += 1
        finally:
            self._known(address)
            if session is None and not kept:
                sock.close()
        if session is not None:
            self._serve(session, address)

    def _stream(self, frame: Frame, mine: bytes, sock: socket.socket) -> bool:
        token, number = str(frame.get("pass"))[:64], int(number_of(frame, "number", 1000))
        session = self._session
        known = is_proof(frame.get("proof"), self._key, f"stream {token} {number}", mine, bytes_of(frame, "nonce"))
        return known and session is not None and session.deliver(token, number, sock)

    def _bench(self, frame: Frame, mine: bytes, sock: socket.socket, address: str) -> Session | None:
        theirs = bytes_of(frame, "nonce")
        if frame.get("version") != VERSION:
            raise self._refused(
                sock, f"it speaks version {VERSION} of the protocol; use the same version of Ulterion on both"
            )
        if not is_proof(frame.get("proof"), self._key, "bench", mine, theirs):
            time.sleep(PENALTY)
            self._tell(f"refused {address}: it does not know the pairing code")
            raise self._refused(sock, "the pairing code is not the one that the peer shows")
        for name, value in KEEPALIVE.items():
            if hasattr(socket, name):
                sock.setsockopt(socket.IPPROTO_TCP, getattr(socket, name), value)
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_KEEPALIVE, 1)
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_SNDTIMEO, struct.pack("ll", 30, 0))
        session = Session(sock, self._udp)
        busy = not self._seated(session)
        if busy:
            raise self._refused(sock, "it is serving another bench; try again when that has finished")
        try:
            facts = self._facts(sock.getsockname()[0])
            send_frame(sock, {"proof": proof(self._key, "peer", mine, theirs), "facts": facts})
        except OSError:
            self._session = None
            raise
        return session

    def _seated(self, session: Session) -> bool:
        """Give a session the only seat; the session before may need a moment to leave it."""
        for _ in range(20):
            with self._lock:
                if self._session is None:
                    self._session = session
                    return True
            time.sleep(0.1)
        return False

    def _refused(self, sock: socket.socket, why: str) -> ProtocolError:
        send_frame(sock, {"refused": why})
        return ProtocolError(why)

    def _serve(self, session: Session, address: str) -> None:
        self._tell(f"let in {address}")
        why = ""
        try:
            session.serve()
        except (OSError, ProtocolError) as error:
            why = f": {error}"
        finally:
            self.happenings.served += 1
            self.happenings.bytes += session.bytes
            self._session = None
        self._tell(f"done with {address}{why}")


def _listen(address: str, port: int) -> tuple[socket.socket, socket.socket]:
    """Return sockets that listen for connections, and for datagrams, on the same port; raise UsageError."""
    listener: socket.socket | None = None
    try:
        if not address and socket.has_dualstack_ipv6():
            listener = socket.create_server(("", port), family=socket.AF_INET6, backlog=64, dualstack_ipv6=True)
        else:
            family = socket.getaddrinfo(address or "0.0.0.0", port)[0][0]
            listener = socket.create_server((address, port), family=family, backlog=64)
        udp = socket_for(listener.family)
        if listener.family == socket.AF_INET6 and not address:
            udp.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_V6ONLY, 0)
        udp.bind(listener.getsockname()[:2])
    except (OSError, OverflowError) as error:
        if listener is not None:
            listener.close()
        why = getattr(error, "strerror", None) or str(error)
        raise UsageError(f"cannot listen on port {port}: {why}; name another with --port") from error
    return listener, udp
