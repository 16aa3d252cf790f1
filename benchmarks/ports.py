"""Made-up drives in made-up ports: how often the bus behind the slower port is named, and how often wrongly.

    python -m benchmarks.ports [CASES]

A port's rate is made from packets: so many of 512 or 1024 bytes in each (micro)frame as its controller manages, not from the tables of the
program.  A drive has rates of its own for reading and writing, a controller that needs some time for each request, and in a part of the
cases a reader or hub between that is slow by itself.  The truth is what limits the slower port.
"""

from __future__ import annotations

import sys
from collections import Counter

import numpy as np

from ulterion.core.links.bus import PortRates, bus_finding, ruled_out

# what ports carry (bytes per second, least and most) and what each adds to a request (seconds)
PORTS = {
    "USB 480 Mb/s": (8 * 512 * 8000, 11 * 512 * 8000, 125e-6, 250e-6),
    "USB 5 Gb/s": (380e6, 460e6, 10e-6, 40e-6),
    "USB 10 Gb/s": (900e6, 1080e6, 10e-6, 40e-6),
}


def drive_in(rng: np.random.Generator, port: str, own: tuple[float, float], wait: float, slow_part: float) -> PortRates:
    """Return what is measured of a drive of its own rates in a port, behind a part that carries so much."""
    low, high, least, most = PORTS[port]
    carries = min(rng.uniform(low, high), slow_part)
    read, write = (min(rate, carries * rng.normal(1.0, 0.01)) * rng.normal(1.0, 0.015) for rate in own)
    best = max(read, write)
    between = ("a reader",) if slow_part < 1e9 else ()
    added = rng.uniform(least, most) + (rng.uniform(20e-6, 400e-6) if between else 0.0)
    return PortRates(port, read, write, best * 0.97, best * 1.03, (wait + added) * rng.normal(1.0, 0.05), between)


def case(rng: np.random.Generator) -> tuple[str, str]:
    """Return what was said of one made-up pair, and whether that is so."""
    slow, fast = sorted(rng.choice(list(PORTS), 2), key=list(PORTS).index)
    own = (float(np.exp(rng.uniform(np.log(15e6), np.log(2e9)))), float(np.exp(rng.uniform(np.log(8e6), np.log(2e9)))))
    wait = float(np.exp(rng.uniform(np.log(60e-6), np.log(2e-3))))
    part = float(np.exp(rng.uniform(np.log(15e6), np.log(5e8)))) if rng.uniform() < 0.3 else 1e10
    rates = [drive_in(rng, slow, own, wait, part), drive_in(rng, fast, own, wait, 1e10)]
    for one, port in zip(rates, (slow, fast), strict=True):
        beyond = ruled_out(one.low)
        if beyond is not None and beyond.payload >= PORTS[port][1] * 1.06:
            return "ruled out", "wrong"
    finding = bus_finding(rates[0], rates[1])
    if finding is None:
        return "nothing", "a bus" if slow != fast and max(own) > 1.5 * PORTS[slow][1] and part > 1e9 else "right"
    true = finding.link.name == slow and slow != fast and part > PORTS[slow][0]
    return ("likely" if finding.is_likely else "possible"), "right" if true else "wrong"


def main() -> None:
    """Print how often what was said is so."""
    cases, rng = int(sys.argv[1]) if len(sys.argv) > 1 else 20000, np.random.default_rng(32)
    counts = Counter(case(rng) for _ in range(cases))
    for (said, so), count in sorted(counts.items()):
        print(f"{said:10} {so:8} {count / cases * 100:6.2f}%")


if __name__ == "__main__":
    main()
