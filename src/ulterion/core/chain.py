"""The chain between a host and a drive as the kernel shows it, and what is wrong with it, in words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

from ulterion.core.links import Link, find_link, is_lower
from ulterion.core.units import show_rate

MODERN = find_link("USB 5 Gb/s")  # from here on a drive can be expected to queue commands
SLOW = find_link("USB 480 Mb/s")  # a drive linked at this or below is slower than any drive of today


@dataclass(frozen=True)
class Step:
    """One thing on the way from the host to a drive.

    Attributes:
        role: 'controller', 'root hub', 'hub', 'bridge', 'slot' or 'drive'.
        name: the kernel's name: a PCI address, '2-1', 'nvme0', 'ata1', 'mmc0'.
        title: vendor and product, or None.
        driver: kernel driver, or None.
        link: its link towards the host as it runs, or None where none is known.
        capable: the best that it and the port before it could do together, as far as that is known, or None.
        port_capable: the best that the port it is plugged into can do, or None.
        asks, gives: power the device asks for, and what the port gives at most, W; None where not shown.
    """

    __pydantic_config__: ClassVar[dict[str, str | bool]] = {"extra": "forbid"}

    role: str
    name: str
    title: str | None = None
    driver: str | None = None
    link: Link | None = None
    capable: Link | None = None
    port_capable: Link | None = None
    asks: float | None = None
    gives: float | None = None


def faults(steps: Sequence[Step]) -> list[str]:
    """Return what is wrong with a chain, one sentence each; empty when nothing shows."""
    sentences: list[str] = []
    for place, step in enumerate(steps):
        sentences += _link_faults(step, steps[:place])
        if step.asks is not None and step.gives is not None and step.asks > step.gives + 0.05:
            sentences.append(
                f"{step.name} asks for {step.asks:.1f} W and its port gives {step.gives:.1f} W: "
                "use a port or a hub with more power"
            )
    drive = next((s for s in steps if s.driver == "usb-storage"), None)
    if drive is not None and not is_lower(drive.link, MODERN):
        sentences.append("bulk-only driver (usb-storage): one command at a time, so small requests cannot queue")
    return sentences


def _link_faults(step: Step, before: Sequence[Step]) -> list[str]:
    if step.role == "controller" and is_lower(step.link, step.capable):
        return [
            f"{step.name} linked at {step.link}; it and its slot can do {step.capable}: the wrong slot, or badly seated"
        ]
    if step.link is None or step.role in ("controller", "root hub", "hub"):
        return []
    slow_hub = next((s for s in before if s.role == "hub" and is_lower(s.link, step.port_capable)), None)
    if slow_hub is not None:
        return [
            f"linked at {step.link} behind a hub ({slow_hub.name}) that runs at {slow_hub.link}; "
            f"the port it hangs on can do {step.port_capable}"
        ]
    if is_lower(step.link, step.capable):
        return [f"linked at {step.link}; device and port can do {step.capable}: cable, port or a turned plug"]
    if is_lower(step.link, step.port_capable):
        return [f"linked at {step.link}; the port can do {step.port_capable}: the device, its cable or a turned plug"]
    if step.link.name.startswith("USB") and step.link.payload <= SLOW.payload:
        return [f"linked at {step.link}: {show_rate(step.link.practical_high)} at most in practice"]
    return []
