"""The network measured against what it is known to be: python -m benchmarks.network [PAIRS].

Needs root, and the system's ip, tc and cc: two network namespaces are joined by a pair of virtual adapters, on which the peer and the bench
run as the installed program.  Shaped to known rates (token bucket), payload found over payload shaped; unshaped, the rate over that of a
plain C sender and receiver on the same pair, taken in turns; and through a relay that loses one datagram in a hundred, the share found.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import os
import statistics
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from tests.network import CODE, Relay, serving

from ulterion.core.workloads.network import lost_share, parse_network
from ulterion.engine.network.passes import Order
from ulterion.engine.network.peerlink import PeerLink

SIDES = {"ulterion-a": "10.99.0.1", "ulterion-b": "10.99.0.2"}
RATES = {"100mbit": 100e6, "1gbit": 1e9, "2500mbit": 2.5e9}
PAYLOAD = (
    1448 / 1514
)  # of a full packet, over what a token bucket counts of it: the frame without preamble, checksum and gap
PROGRAM = str(Path(sys.executable).with_name("ulterion"))


def run(*words: str, side: str | None = None) -> str:
    """Run a command, in a namespace or not; return what it says."""
    inside = ["ip", "netns", "exec", side] if side else []
    return subprocess.run([*inside, *words], check=True, capture_output=True, text=True).stdout


@contextlib.contextmanager
def pair() -> Iterator[None]:
    """Two namespaces joined by a pair of virtual adapters."""
    for side in SIDES:
        subprocess.run(["ip", "netns", "del", side], capture_output=True, check=False)
        run("ip", "netns", "add", side)
    (a, b), folder = SIDES, dict(SIDES)
    try:
        run("ip", "link", "add", "va", "netns", a, "type", "veth", "peer", "name", "vb", "netns", b)
        for side, name in ((a, "va"), (b, "vb")):
            run("ip", "addr", "add", f"{folder[side]}/24", "dev", name, side=side)
            for link in ("lo", name):
                run("ip", "link", "set", link, "up", side=side)
        yield
    finally:
        for side in SIDES:
            subprocess.run(["ip", "netns", "del", side], capture_output=True, check=False)


def shape(rate: str | None) -> None:
    """Shape both directions, or neither."""
    for side, name in zip(SIDES, ("va", "vb"), strict=True):
        subprocess.run(
            ["ip", "netns", "exec", side, "tc", "qdisc", "del", "dev", name, "root"], capture_output=True, check=False
        )
        if rate:
            burst = "64k" if rate == "100mbit" else "256k"
            run(
                "tc",
                "qdisc",
                "add",
                "dev",
                name,
                "root",
                "tbf",
                "rate",
                rate,
                "burst",
                burst,
                "latency",
                "20ms",
                side=side,
            )


def measured(workloads: list[str], passes: int, seconds: float) -> list[float]:
    """Return the rates that the program finds from one side to the other, bytes per second."""
    a, b = SIDES
    words = [w for workload in workloads for w in ("--workload", workload)]
    with tempfile.TemporaryDirectory() as folder:
        home = {**os.environ, "ULTERION_CODE": CODE, "HOME": folder, "XDG_DATA_HOME": folder}
        peer = ["ip", "netns", "exec", b, PROGRAM, "peer", "--once", "--code", CODE]
        with subprocess.Popen(peer, stderr=subprocess.PIPE, text=True, env=home) as serving_:
            assert serving_.stderr is not None
            serving_.stderr.readline()
            bench = [
                "ip",
                "netns",
                "exec",
                a,
                PROGRAM,
                "measure",
                "--network",
                SIDES[b],
                *words,
                "--passes",
                str(passes),
                "--seconds",
                str(seconds),
                "--json",
            ]
            done = subprocess.run(bench, check=True, capture_output=True, text=True, env=home, cwd=folder)
    return [e["rate"] for e in json.loads(done.stdout)["estimates"]]


def against_c(pairs: int, folder: Path) -> list[float]:
    """Return the ratios of the program's rate to that of plain C, in turns."""
    a, b = SIDES
    program = str(folder / "tcp")
    run("cc", "-O2", "-o", program, str(Path(__file__).with_name("tcp.c")))
    ratios = []
    for _ in range(pairs):
        with subprocess.Popen(
            ["ip", "netns", "exec", b, program, "recv", "3"], stdout=subprocess.PIPE, text=True
        ) as receiver:
            run(program, SIDES[b], "3", side=a)
            plain = float(receiver.communicate()[0])
        ratios.append(measured(["send"], 1, 3.0)[0] / plain)
    return ratios


def losses(passes: int) -> None:
    """Print what is found of a loss of one in a hundred."""
    for words in ("send datagrams 1200 B at 60 Mb/s", "receive datagrams 1200 B at 60 Mb/s"):
        found, held, exact = [], 0, 0
        with serving() as (peer, _):
            for number in range(passes):
                with Relay(peer.port, lose=0.01, seed=number) as relay:
                    link = PeerLink("127.0.0.1", relay.port, CODE)
                    mine, theirs = link.run(Order.of(replace(parse_network(words), seconds=2.0), 20.0), None)
                    link.close()
                    arrived = mine.arrived or theirs.arrived
                    assert arrived is not None and mine.datagrams_sent is not None
                    counts = replace(arrived.counts, sent=mine.datagrams_sent)
                    share, low, high = lost_share(counts)
                    found.append(share)
                    held += low <= 0.01 <= high
                    exact += counts.lost == relay.lost
        print(
            f"{words}: {statistics.mean(found) * 100:.3f}% lost in the mean of {passes}, interval holds 1% in {held}, to the datagram in {exact}"
        )


def main() -> None:
    """Print all of it."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("pairs", nargs="?", type=int, default=7)
    pairs = parser.parse_args().pairs
    if os.geteuid() != 0:
        sys.exit("network namespaces need root")
    losses(10)
    with pair(), tempfile.TemporaryDirectory() as folder:
        for name, bits in RATES.items():
            shape(name)
            workloads = ["receive", "send", "receive 4 streams", "send 4 streams"]
            rates = measured(workloads, 3, 3.0)
            shown = ", ".join(f"{w} {r * 8 / bits / PAYLOAD:.4f}" for w, r in zip(workloads, rates, strict=True))
            print(f"{name}: found over shaped payload: {shown}")
        shape(None)
        ratios = against_c(pairs, Path(folder))
        print(
            f"unshaped over plain C: {statistics.median(ratios):.2f} ({min(ratios):.2f} to {max(ratios):.2f}, {pairs} pairs)"
        )


if __name__ == "__main__":
    main()
