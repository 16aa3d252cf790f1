"""Serving as a peer: the engine listens, the host says which adapter a bench comes by."""

from __future__ import annotations

import socket
from collections.abc import Callable
from dataclasses import asdict

from ulterion.core.errors import UsageError
from ulterion.engine.network import PORT
from ulterion.engine.network.frames import new_code
from ulterion.engine.network.peer import Happenings, Peer
from ulterion.host import network
from ulterion.model.systems import linux_alone

MIN_CODE = 6  # characters of a pairing code of your own


class Serving:
    """A peer that listens.

    Attributes:
        code: what lets a bench in.
        port: where it listens.
    """

    def __init__(self, code: str | None, address: str, port: int, tell: Callable[[str], None]) -> None:
        """Begin to listen; raise UsageError for a pairing code that is too short, or where listening cannot be."""
        linux_alone("serving as a peer")
        if code is not None and len(code.strip()) < MIN_CODE:
            raise UsageError(f"a pairing code needs {MIN_CODE} characters or more; leave --code out for a random one")
        self.code = code.strip() if code else new_code()
        self._address = address
        self._peer = Peer(self.code, address, port, lambda local: asdict(network.end_at(local)), tell)
        self.port = self._peer.port

    @property
    def address(self) -> str:
        """How a bench may name this machine: the address listened at, or the machine's name."""
        name = self._address or socket.gethostname()
        named = f"[{name}]" if ":" in name else name
        return named if self.port == PORT else f"{named}:{self.port}"

    @property
    def happenings(self) -> Happenings:
        """What it did so far."""
        return self._peer.happenings

    def serve(self, seconds: float, *, once: bool = False) -> None:
        """Serve until the time is up."""
        self._peer.serve(seconds, once=once)

    def close(self) -> None:
        """Stop listening."""
        self._peer.close()
