"""Identifies links from the speed and lanes that the kernel reports, or from the rates of a drive."""

from __future__ import annotations

import math
import re

from ulterion.core.links.standards import PCIE_GENERATIONS, USB, Link, find_link, known_link, lower


def usb_link(megabits: float, lanes: int = 1) -> Link | None:
    """Return the USB link that runs at `megabits` (10^6 bit/s, of all lanes) over `lanes` as the kernel states them, or None."""
    names = {12: "USB 12 Mb/s", 480: "USB 480 Mb/s", 5000: "USB 5 Gb/s", 10000: "USB 10 Gb/s", 20000: "USB 20 Gb/s"}
    name = names.get(round(megabits)) if math.isfinite(megabits) else None
    if name == "USB 10 Gb/s" and lanes == 2:
        name = "USB 10 Gb/s (2 x 5)"
    return find_link(name) if name else None


def pcie_link(gigatransfers: float, lanes: int) -> Link | None:
    """Return the PCIe link of `lanes` at `gigatransfers` (10^9 a second and lane), or None."""
    for generation, (transfers, _) in PCIE_GENERATIONS.items():
        if abs(transfers - gigatransfers) < 0.01:
            return known_link(f"PCIe {generation} x{lanes}")
    return None


def pcie_parts(link: Link | None) -> tuple[float, int] | None:
    """Return generation and lanes of a PCIe link, None for any other."""
    parts = re.fullmatch(r"PCIe ([\d.]+) x(\d+)", link.name) if link is not None else None
    return (float(parts[1]), int(parts[2])) if parts else None


def both_can(one: Link | None, other: Link | None) -> Link | None:
    """Return the best that two ends can do together, None where it is not known of both: what is missing accuses nobody.

    PCIe ends agree on the lower speed and, by itself, on the lower width: 4.0 x4 in a slot of 3.0 x16 is 3.0 x4.
    """
    if one is None or other is None:
        return None
    parts = [p for p in map(pcie_parts, (one, other)) if p is not None]
    if len(parts) < 2:
        return lower(one, other)
    return known_link(f"PCIe {min(p[0] for p in parts)} x{min(p[1] for p in parts)}")


def guess_link(read: float, write: float) -> Link | None:
    """Return the USB link that a read and a write rate (bytes per second) look like, or None.

    A guess for where nothing can be read: both directions stop at the same rate (within 15%), in the practical range of
    a link, as a link makes them and a drive seldom does.
    """
    low, high = sorted((read, write))
    if low <= 0 or low < 0.85 * high:
        return None
    fitting = [link for link in USB if link.practical_low <= high <= link.practical_high * 1.02]
    return min(fitting, key=lambda link: (link.line_bits, -link.payload), default=None)  # one lane is commoner than two
