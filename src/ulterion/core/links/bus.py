"""Which bus a port runs on, judged by the rates of one drive in it and in another port, for machines that do not show the link.

A rate above what a link carries at the very most rules that link out, for certain.  A rate within a link's practical range fits it, and is
no proof: anything else between port and drive may be as slow.  Evidence for the link: the same drive is faster elsewhere, reads and
writes top out at the same rate, and each small request takes about a microframe longer (USB 2.0, 5.3: 125 µs).
"""

from __future__ import annotations

from dataclasses import replace

from ulterion.core.links.standards import USB, Link
from ulterion.core.records import dataclass

BUSES = tuple(k for k in USB if k.family == "USB" and "(" not in k.name)  # one for each speed, slowest first
SLOW = BUSES[:2]  # slower than any drive of today
FASTER = 1.3  # times that the same drive must be faster elsewhere
BELOW, ABOVE = 0.8, 1.1  # of a link's practical range: slow controllers; and what rates are off by
ALIKE = 0.8  # of the faster direction, from which two directions end at the same rate
WAIT = 100e-6  # seconds that each small request takes longer behind a USB 480 Mb/s link


@dataclass(frozen=True)
class PortRates:
    """What a drive gave in a port.

    Attributes:
        setup: its name.
        read, write: bytes per second of large transfers, None where not measured.
        low, high: 95% interval of the faster of the two.
        wait: seconds of one small read at a time, None where not measured.
        between: the parts between port and drive, by name.
        seen: the link that the system shows, or None.
        doubtful: whether the rates cannot be the drive's own, as from a cache; nothing is concluded from them.
    """

    setup: str
    read: float | None
    write: float | None
    low: float
    high: float
    wait: float | None = None
    between: tuple[str, ...] = ()
    seen: Link | None = None
    doubtful: bool = False

    @property
    def best(self) -> float:
        """The faster direction."""
        return max(self.read or 0.0, self.write or 0.0)


@dataclass(frozen=True)
class BusFinding:
    """What the rates of a drive say of the bus behind one setup, beside another.

    Attributes:
        setup, rate: the slower one and what it gave, bytes per second.
        other, other_rate: the faster one.
        link: the link of the slower one; `seen` whether the system shows it, else the rates fit it.
        other_link: that of the faster one as the system shows it, or None.
        explains: whether the link explains the slower rate.
        evidence: for the link, besides the rate, in words.
        rivals: other parts that lie in the slower setup alone and may be as slow.
        rules_out: the fastest link that the faster setup surely exceeds, or None.
    """

    setup: str
    rate: float
    other: str
    other_rate: float
    link: Link
    seen: bool = False
    other_link: Link | None = None
    explains: bool = True
    evidence: tuple[str, ...] = ()
    rivals: tuple[str, ...] = ()
    rules_out: Link | None = None

    @property
    def is_likely(self) -> bool:
        """Whether there is evidence besides the rate, and no other part could be the limit."""
        return self.seen or (bool(self.evidence) and not self.rivals)


def ruled_out(rate: float) -> Link | None:
    """Return the fastest bus that cannot carry a rate (bytes per second), or None."""
    return next((k for k in reversed(BUSES) if rate > k.payload), None)


def fitting_bus(rate: float) -> Link | None:
    """Return the bus whose practical range includes a rate (bytes per second), or None."""
    return next((k for k in BUSES if BELOW * k.practical_low <= rate <= ABOVE * k.practical_high), None)


def bus_finding(slow: PortRates, fast: PortRates) -> BusFinding | None:
    """Return what links and rates say of the bus behind the slower of two setups of one drive, or None where they say nothing."""
    much_slower = fast.low >= FASTER * slow.high and not (slow.doubtful or fast.doubtful)
    rules_out = ruled_out(fast.low) if not fast.doubtful else None
    if slow.seen is not None:
        if not _is_lower(slow.seen, slow, fast):
            return None
        explains = much_slower and slow.best >= BELOW * slow.seen.practical_low
        return replace(_finding(slow, fast, slow.seen, rules_out, seen=True), explains=explains)
    if not much_slower:
        return None
    link = fitting_bus(slow.best)
    if link is None or fast.low <= link.payload:
        return None
    return _finding(slow, fast, link, rules_out)


def _is_lower(link: Link, slow: PortRates, fast: PortRates) -> bool:
    """Return whether a link that was seen is lower than the other's, where only the port differs, or it is slower than any drive."""
    lower = fast.seen is not None and link.payload < fast.seen.payload
    return lower and ((slow.between == fast.between and link in BUSES) or link in SLOW)


def _finding(slow: PortRates, fast: PortRates, link: Link, rules_out: Link | None, *, seen: bool = False) -> BusFinding:
    return BusFinding(
        setup=slow.setup,
        rate=slow.best,
        other=fast.setup,
        other_rate=fast.best,
        link=link,
        seen=seen,
        other_link=fast.seen,
        evidence=() if seen else tuple(_evidence(slow, fast, link)),
        rivals=() if seen else tuple(k for k in slow.between if k not in fast.between),
        rules_out=rules_out,
    )


def _evidence(slow: PortRates, fast: PortRates, link: Link) -> list[str]:
    """Return the evidence for a link besides the rate, in words."""
    words = []
    alike = slow.read and slow.write and min(slow.read, slow.write) >= ALIKE * slow.best
    if alike and fast.read and fast.write and min(fast.read, fast.write) > slow.best * FASTER:
        words.append("reads and writes top out at the same rate")
    if slow.wait is not None and fast.wait is not None and link is BUSES[1] and slow.wait - fast.wait >= WAIT:
        words.append(f"each small read takes {(slow.wait - fast.wait) * 1e6:.0f} µs longer")
    return words
