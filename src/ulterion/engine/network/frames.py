"""Frames of the protocol between a bench and its peer: JSON behind its length, and proofs that both know the pairing code.

Every connection begins with the peer's greeting: a salt that stays for as long as the peer serves, and a nonce.  The pairing code itself is
never sent.  A key is made of it with scrypt (RFC 7914); proofs are HMAC-SHA-256 (RFC 2104) of what each is for and both nonces.
"""

from __future__ import annotations

import hashlib
import hmac
import json
import secrets
import socket
import struct
import time
from functools import lru_cache
from typing import Any

Frame = dict[str, Any]
"""What a frame says: JSON from a stranger, of which nothing is known."""
VERSION = 1
STRANGER, FRIEND = 512, 2**18  # bytes of a frame: from one who has not proven anything, and afterwards
_LENGTH = struct.Struct(">I")
_ALPHABET = "abcdefghjkmnpqrstuvwxyz23456789"  # without what is mistaken when typed off a screen


class ProtocolError(Exception):
    """The other end sends something invalid, or nothing more."""


def send_frame(sock: socket.socket, data: Frame) -> None:
    """Send one frame; raise OSError."""
    text = json.dumps(data, separators=(",", ":")).encode()
    sock.sendall(_LENGTH.pack(len(text)) + text)


def receive_frame(sock: socket.socket, most: int = FRIEND, seconds: float | None = None) -> Frame:
    """Return the next frame, of `most` bytes at most, whole within `seconds`; raise ProtocolError, OSError (TimeoutError)."""
    until = None if seconds is None else time.monotonic() + seconds
    length = _LENGTH.unpack(_exactly(sock, _LENGTH.size, until))[0]
    if length > most:
        raise ProtocolError("a frame that is too long")
    try:
        data = json.loads(_exactly(sock, length, until))
        json.dumps(
            data, ensure_ascii=False
        ).encode()  # half of a surrogate pair can be written in JSON, and nowhere else
    except (ValueError, RecursionError) as error:
        raise ProtocolError("a frame that is not JSON") from error
    if not isinstance(data, dict):
        raise ProtocolError("a frame that is not an object")
    return data


def _exactly(sock: socket.socket, count: int, until: float | None) -> bytes:
    """Return exactly `count` bytes; a byte now and then does not extend the time."""
    parts = bytearray()
    while len(parts) < count:
        if until is not None:
            left = until - time.monotonic()
            if left <= 0:
                raise TimeoutError("no whole frame in time")
            sock.settimeout(left)
        part = sock.recv(count - len(parts))
        if not part:
            raise ProtocolError("the other end went away")
        parts += part
    return bytes(parts)


def new_code() -> str:
    """Return a pairing code, such as 'k7wq-3m9p-x2': 49 bits, enough against guesses that take a second each."""
    letters = "".join(secrets.choice(_ALPHABET) for _ in range(10))
    return f"{letters[:4]}-{letters[4:8]}-{letters[8:]}"


@lru_cache(maxsize=4)
def key_of(code: str, salt: bytes) -> bytes:
    """Return the key derived from a pairing code; slow on purpose, so that the code cannot be searched for in overheard messages."""
    return hashlib.scrypt(code.strip().casefold().encode(), salt=salt, n=2**14, r=8, p=1, dklen=32)


def proof(key: bytes, role: str, peer_nonce: bytes, bench_nonce: bytes) -> str:
    """Return the proof that one knows the key, good for one connection and one role."""
    told = b"|".join((b"ulterion-peer 1", role.encode(), peer_nonce, bench_nonce))
    return hmac.new(key, told, hashlib.sha256).hexdigest()


def is_proof(given: object, key: bytes, role: str, peer_nonce: bytes, bench_nonce: bytes) -> bool:
    """Return whether a value is that proof."""
    wanted = proof(key, role, peer_nonce, bench_nonce)
    return isinstance(given, str) and given.isascii() and hmac.compare_digest(given, wanted)


def nonce() -> bytes:
    """Return 16 random bytes."""
    return secrets.token_bytes(16)


def bytes_of(data: Frame, name: str) -> bytes:
    """Return the 16 bytes that a frame states in hexadecimal; raise ProtocolError."""
    text = data.get(name)
    try:
        value = bytes.fromhex(text) if isinstance(text, str) else b""
    except ValueError:
        value = b""
    if len(value) != 16:
        raise ProtocolError(f"a frame without its {name}")
    return value


def number_of(data: Frame, name: str, most: float, least: float = 0.0) -> float:
    """Return a number of a frame, of a reasonable size; raise ProtocolError."""
    value = data.get(name)
    if isinstance(value, bool) or not isinstance(value, int | float) or not least <= value <= most:
        raise ProtocolError(f"a frame whose {name} is {str(value)[:20]}")
    return float(value)
