"""Malformed frames against a peer, by the thousand: python -m benchmarks.strangers [FRAMES] [--seed N].

A peer serves in a process of its own.  Clients greet it with bytes of every bad kind: as strangers, and as benches that know the
word and send nonsense for orders.  Some say nothing, some a byte a second.  At the end a good bench must be served, no thread
may have printed a traceback, and the peer's memory, threads and descriptors must be what they were.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import random
import socket
import struct
import subprocess
import sys
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from benchmarks.badinput import BAD_TEXTS, BAD_VALUES
from ulterion.core.errors import TargetFailed, UsageError
from ulterion.core.workloads.network import parse_network
from ulterion.engine.network.frames import STRANGER, ProtocolError, receive_frame
from ulterion.engine.network.passes import Order
from ulterion.engine.network.peerlink import PeerLink

WORD = "fuzz-word-1"
SILENT, SLOW = 30, 10  # clients that say nothing, or a byte now and then, all the while
BENCH_SHARE = 0.25  # of the frames that come from one who knows the word
PATIENCE = 30.0  # seconds that the good bench may wait for its seat at the end
PEER = """
import sys, threading
from ulterion.engine.network.peer import Peer
peer = Peer(sys.argv[1], "127.0.0.1", 0, lambda address: {"host": "far"}, lambda words: None)
print(peer.port, flush=True)
peer.serve(36000)
"""


def spoiled(rng: random.Random, frame: dict[str, Any]) -> bytes:
    """Return a frame as bytes, wrong in one way."""
    how = rng.randrange(9)
    if how == 0:
        return rng.randbytes(rng.randrange(1, 600))
    if how == 1:
        return struct.pack(">I", rng.choice((0, 1, STRANGER, STRANGER + 1, 2**18, 2**31, 2**32 - 1))) + rng.randbytes(
            20
        )
    if how == 2:
        text = rng.choice(
            (
                b"[" * 400,
                b"null",
                b"5",
                b'"x"',
                b"{}",
                b"[]",
                b'{"role": "\\ud800"}',
                b'{"a": ' + b"9" * 480 + b"}",
                b"NaN",
            )
        )
        return struct.pack(">I", len(text)) + text
    data = dict(frame)
    for _ in range(rng.choice((1, 1, 2, 4))):
        key = rng.choice([*data, "role", "number", "proof", "nonce", "window"])
        data[key] = rng.choice((*BAD_VALUES, *(t[:40] for t in BAD_TEXTS), rng.random() * 1e12, -1))
        if rng.random() < 0.2:
            del data[key]
    text = json.dumps(data).encode()
    if how == 3:
        text = text[: rng.randrange(len(text) + 1)]
    return struct.pack(">I", len(text)) + text


def as_stranger(port: int, rng: random.Random) -> None:
    """Say something wrong as one who has not proven anything."""
    with contextlib.suppress(OSError, ProtocolError), socket.create_connection(("127.0.0.1", port), 5) as sock:
        sock.settimeout(5)
        receive_frame(sock)
        role = rng.choice(("bench", "stream"))
        frame = {"role": role, "version": 1, "nonce": "ab" * 16, "proof": "0" * 64, "pass": "cd" * 16, "number": 0}
        sock.sendall(spoiled(rng, frame))
        if rng.random() < 0.3:
            sock.shutdown(socket.SHUT_WR)
        if rng.random() < 0.2:
            receive_frame(sock, seconds=0.02)


def as_bench(port: int, rng: random.Random) -> None:
    """Prove the word, then order nonsense."""
    with contextlib.suppress(UsageError, OSError, ProtocolError, TargetFailed):
        link = PeerLink("127.0.0.1", port, WORD)
        try:
            order = Order.of(
                replace(
                    parse_network(rng.choice(("receive 2 streams", "messages 10 B", "send datagrams 300 B at 1 Mb/s"))),
                    seconds=0.05,
                ),
                1.0,
            )
            link._control.sendall(spoiled(rng, order.to_frame()))
            if rng.random() < 0.5:
                receive_frame(link._control, seconds=0.05)
        finally:
            link._control.close()


def state_of(pid: int) -> Counter[str]:
    """Return what a process holds: resident KiB, threads, descriptors."""
    told = dict(line.split(":", 1) for line in Path(f"/proc/{pid}/status").read_text().splitlines() if ":" in line)
    return Counter(
        kib=int(told["VmRSS"].split()[0]),
        threads=int(told["Threads"]),
        descriptors=len(list(Path(f"/proc/{pid}/fd").iterdir())),
    )


def served(port: int, patience: float) -> bool:
    """Return whether a bench that does all right is served."""
    until = time.monotonic() + patience
    while time.monotonic() < until:
        with contextlib.suppress(UsageError, TargetFailed):
            link = PeerLink("127.0.0.1", port, WORD)
            mine, _ = link.run(Order.of(replace(parse_network("receive"), seconds=0.1), 5.0), None)
            link.close()
            return mine.counted[0].bytes > 0
        time.sleep(0.2)
    return False


class Loiterers:
    """Clients that say nothing, and clients that say a byte now and then."""

    def __init__(self, port: int) -> None:
        self._port, self._socks = port, dict[int, socket.socket]()

    def tend(self, rng: random.Random) -> None:
        """Replace those that were let go, and let the slow ones say a byte."""
        number = rng.randrange(SILENT + SLOW)
        sock = self._socks.get(number)
        with contextlib.suppress(OSError):
            if sock is None or rng.random() < 0.1:
                if sock is not None:
                    sock.close()
                self._socks[number] = socket.create_connection(("127.0.0.1", self._port), 5)
            elif number < SLOW:
                sock.send(b"\0")

    def leave(self) -> None:
        """Close all."""
        for sock in self._socks.values():
            sock.close()


def storm(frames: int, seed: int, tell: Callable[[str], Any] = print) -> int:
    """Send so many malformed frames to a peer; tell what was wrong, and return how many faults there were."""
    with subprocess.Popen(
        [sys.executable, "-c", PEER, WORD], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    ) as peer:
        assert peer.stdout is not None and peer.stderr is not None
        port, rng = int(peer.stdout.readline()), random.Random(seed)
        faults = [] if served(port, PATIENCE) else ["the peer did not serve at first"]
        for _ in range(200):
            as_stranger(port, rng)
        time.sleep(1)
        before, loiterers = state_of(peer.pid), Loiterers(port)
        for number in range(frames):
            if number % 20 == 0:
                loiterers.tend(rng)
            (as_bench if rng.random() < BENCH_SHARE else as_stranger)(port, rng)
        loiterers.leave()
        if not served(port, PATIENCE):
            faults.append("a good bench was not served any more")
        time.sleep(7)  # strangers have five seconds
        after = state_of(peer.pid)
        peer.kill()
        said = peer.stderr.read()
    for what, more in (("kib", 20_000), ("threads", 1), ("descriptors", 2)):
        if after[what] > before[what] + more:
            faults.append(f"{what}: {before[what]} before, {after[what]} afterwards")
    if said:
        faults.append(f"it printed: {said[-400:]}")
    for fault in faults:
        tell(fault)
    tell(f"{frames} frames: {dict(before)} before, {dict(after)} afterwards; {len(faults)} faults")
    return len(faults)


def main() -> int:
    """Storm and report."""
    parser = argparse.ArgumentParser()
    parser.add_argument("frames", nargs="?", type=int, default=20_000)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    return 1 if storm(options.frames, options.seed) else 0


if __name__ == "__main__":
    sys.exit(main())
