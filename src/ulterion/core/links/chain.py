"""The chain between a host and a drive as the kernel shows it, and what is wrong with it, in words."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.links.negotiated import pcie_parts
from ulterion.core.links.standards import Link, find_link, is_lower, lower
from ulterion.core.records import dataclass
from ulterion.core.units import show_rate

MODERN = find_link("USB 5 Gb/s")  # from here on a drive can be expected to queue commands
SLOW = find_link("USB 480 Mb/s")  # a drive linked at this or below is slower than any drive of today

ENDS = ("bridge", "slot")  # roles whose link is a drive's own
BEFORE_A_CONTROLLER = ("switch", "tunnel")
CARRIERS = ("controller", "switch", "tunnel")
MULTIPLIER = "SATA port multiplier"
SHARED = {
    MULTIPLIER: ("port multiplier", "give it a port of its own")
}  # what else stands between port and drive as a hub does
REST = 1.0  # generation of PCIe that links fall back to at rest
ENOUGH = 0.99  # of a drive's link is enough for it
DEVICES = ("bridge", "drive")  # roles of what is plugged in: a bridge, or a drive that is one itself


@dataclass(frozen=True)
class Step:
    """One thing on the way from the host to a drive.

    Attributes:
        role: 'tunnel', 'switch', 'controller', 'root hub', 'hub', 'bridge', 'slot' or 'drive'.
        name: the kernel's name: a PCI address, '2-1', 'nvme0', 'ata1', 'mmc0'.
        title: vendor and product, or None.
        driver: kernel driver, or None.
        link: its link towards the host as it runs, or None where none is known.
        capable: the best that it and the port before it could do together, as far as that is known, or None.
        port_capable: the best that the port it is plugged into can do, or None.
        asks, gives: power the device asks for, and what the port gives at most, W; None where not shown.
        alone: the best that it says it can do by itself, or None.
        queues: of a device that takes one command at a time, whether it says it could queue them; None where that is not shown.
        queueless: why it takes one command at a time though it could queue them, where that is shown.
        hidden: whether the kernel does not show what the device says it can do.
        lowered: the link that the kernel holds it down to after errors, or None; `lowerings` how often it went down, as far as it counts.
        loaded: whether its link was looked at while data moved.
        may_do_more: whether what it says of itself is what faster devices say on a slow cable.
    """

    role: str
    name: str
    title: str | None = None
    driver: str | None = None
    link: Link | None = None
    capable: Link | None = None
    port_capable: Link | None = None
    asks: float | None = None
    gives: float | None = None
    alone: Link | None = None
    queues: bool | None = None
    may_do_more: bool = False
    queueless: str | None = None
    hidden: bool = False
    lowered: Link | None = None
    lowerings: int = 0
    loaded: bool = False

    @property
    def may_rest(self) -> bool:
        """Whether a PCIe link at its lowest speed with all lanes may only be saving power: it was not looked at while data moved."""
        now, most = (pcie_parts(k) for k in (self.link, self.capable))
        if self.loaded or self.role != "controller" or now is None or most is None:
            return False
        return now[0] == REST and most[0] > REST and now[1] == most[1]


Priced = list[tuple[str, float]]
"""Sentences, each with what it costs in practice at most, bytes per second; 0 where it is no matter of rates."""


def faults(steps: Sequence[Step]) -> list[str]:
    """Return what is wrong with a chain, one sentence each; empty when nothing shows."""
    return [sentence for sentence, _ in _faults(steps)]


def ceilings(steps: Sequence[Step]) -> list[str]:
    """Return what holds a drive below what it could do elsewhere though nothing is wrong, one sentence each, and what may be."""
    return [sentence for sentence, _ in _ceilings(steps)]


def prices(steps: Sequence[Step]) -> dict[str, float]:
    """Return what each fault and ceiling of a chain costs in practice at most, bytes per second, by its sentence."""
    return dict([*_faults(steps), *_ceilings(steps)])


def _faults(steps: Sequence[Step]) -> Priced:
    found: Priced = []
    for place, step in enumerate(steps):
        found += _link_faults(step, _needs(steps, place))
        if step.asks is not None and step.gives is not None and step.asks > step.gives + 0.05:
            power = f"{step.name} asks for {step.asks:.1f} W and its port gives {step.gives:.1f} W"
            found.append((f"{power}: use a port or a hub with more power", 0.0))
        if step.queues:
            one = f"{step.name} supports command queueing (UAS), but usb-storage drives it, one command at a time"
            why = step.queueless or "perhaps by the kernel's list of exceptions (see the kernel log)"
            found.append((f"{one}: {why}", 0.0))
    return found


def _needs(steps: Sequence[Step], place: int) -> Link | None:
    """Return what the drive's own link carries, where that is another than the one of this step; a controller may be the drive's own."""
    return next((s.link for s in reversed(steps[place + 1 :]) if s.role in ENDS and s.link is not None), None)


def _link_faults(step: Step, needs: Link | None) -> Priced:
    """Return what runs below what both of its ends say they can do; where one does not say, nothing is accused."""
    if step.may_rest:
        return []
    if not is_lower(step.link, step.capable):
        return _lowered(step)
    could = f"linked at {step.link}, although it and its {'slot' if step.role == 'controller' else 'port'} support {step.capable}"
    told = f"linked at {step.link}, although device and port support {step.capable}"
    if step.role == "controller":
        words = f"{step.name} {could}: try another slot, or reseat it"
    elif step.role == "hub":
        words = f"hub {step.name} {could}: try another cable or port"
    elif step.role == "slot":
        words = f"linked at {step.link}, although card and slot support {step.capable}: check the contacts, the adapter and the driver of the slot"
    elif step.lowered is not None:
        words = f"{told}: limited to {step.lowered} after errors{_times(step)}, as from a bad cable or plug"
    elif step.link is not None and step.link.name.startswith("SATA"):
        words = f"{told}: check cable and plug"
    else:
        words = f"{told}: try another cable or port, or flip the plug"
    return [(words, _gap(step.link, step.capable if needs is None else lower(step.capable, needs)))]


def _times(step: Step) -> str:
    return f" ({step.lowerings} times lowered)" if step.lowerings > 1 else ""


def _lowered(step: Step) -> Priced:
    """Return a link that was lowered after errors where it is not known what both ends can do: that the kernel did it is enough."""
    if step.lowered is None or step.capable is not None:
        return []
    words = f"linked at {step.link}: limited to {step.lowered} after errors{_times(step)}, as from a bad cable or plug"
    return [(words, _gap(step.link, step.port_capable))] if is_lower(step.link, step.port_capable) else []


def _gap(link: Link | None, than: Link | None) -> float:
    """Return how much less a link gives in practice than another, 0 where that is not known."""
    if link is None or than is None or not is_lower(link, than):
        return 0.0
    return than.practical_high - link.practical_high


def _ceilings(steps: Sequence[Step]) -> Priced:
    found: Priced = []
    for place, step in enumerate(steps):
        if step.role == "controller":
            found += _slot_ceilings(step, steps[:place], _needs(steps, place))
        if _is_slow_tunnel(step):
            words = f"the tunnel to {step.title or step.name} runs at {step.link}: try a cable made for {step.alone}, or flip the plug"
            needs = _needs(steps, place)
            found.append((words, _gap(step.link, step.alone if needs is None else lower(step.alone, needs))))
        if step.role in DEVICES:
            found += _usb_ceilings(step, steps[:place])
        if step.role == "slot" and is_lower(step.port_capable, step.alone):
            words = f"card supports {step.alone}, slot only {step.port_capable}"
            found.append((words, _gap(step.port_capable, step.alone)))
    slow = next((s for s in steps if s.driver == "usb-storage" and not s.queues), None)
    if slow is not None and not is_lower(slow.link, MODERN):
        found.append(("bulk-only driver (usb-storage): one command at a time, so small requests cannot queue", 0.0))
    return found


def _is_slow_tunnel(step: Step) -> bool:
    return step.role == "tunnel" and is_lower(step.link, step.alone)


def _slot_ceilings(step: Step, before: Sequence[Step], needs: Link | None) -> Priced:
    """Return what holds a controller: its slot, a switch before it; of one that only carries a drive, what holds that drive."""
    if needs is not None:
        return _carrier_ceilings([*before, step], needs)
    found: Priced = []
    if step.may_rest:
        words = f"{step.name} shows {step.link}, the lowest speed on all lanes, although it supports {step.capable}"
        found.append((f"{words}. It may be saving power; a measurement shows its speed under load", 0.0))
    if is_lower(step.capable, step.alone):
        words = f"{step.name} supports {step.alone}, but its slot only {step.port_capable}"
        found.append((words, _gap(step.capable, step.alone)))
    narrow = next((s for s in before if s.role in BEFORE_A_CONTROLLER and _narrower(s.link, step.link)), None)
    if narrow is not None and not _is_slow_tunnel(narrow):
        what = "through a tunnel" if narrow.role == "tunnel" else "behind a switch"
        words = f"{step.name} runs at {step.link} {what} ({narrow.title or narrow.name}) that runs at {narrow.link}"
        found.append((words, _gap(narrow.link, step.link)))
    return found


def _narrower(link: Link | None, than: Link | None) -> bool:
    """Return whether one link carries less than another in practice, comparing their highest practical rates."""
    return link is not None and than is not None and link.practical_high < than.practical_high * ENOUGH


def _carrier_ceilings(way: Sequence[Step], needs: Link) -> Priced:
    """Return the narrowest controller or switch on the way to a drive's link, where it carries less than that link."""
    carrying = [s for s in way if s.role in CARRIERS and s.link is not None]
    narrow = min(carrying, key=lambda s: s.link.practical_high if s.link else 0.0, default=None)
    if narrow is None or narrow.link is None or narrow.link.practical_high >= needs.practical_high * ENOUGH:
        return []
    least = show_rate(narrow.link.practical_high)
    words = f"linked at {needs} through a {narrow.role} ({narrow.name}) that runs at {narrow.link}: {least} at most in practice"
    return [(words, needs.practical_high - narrow.link.practical_high)]


def _usb_ceilings(step: Step, before: Sequence[Step]) -> Priced:
    link, port = step.link, step.port_capable
    hub = next((s for s in before if s.role == "hub" and is_lower(s.link, port)), None)
    if hub is not None and (step.alone is None or is_lower(hub.link, step.alone)):
        kind, instead = SHARED.get(hub.title or "", ("hub", "plug it into the port itself"))
        words = f"linked at {link} behind a {kind} ({hub.name}) that runs at {hub.link}, although the port of the {kind} supports {port}"
        return [(f"{words}: {instead}", _gap(hub.link, lower(port, step.alone)))]
    if is_lower(port, step.alone):
        return [(f"supports {step.alone}, but the port only {port}", _gap(port, step.alone))]
    question = _cable_question(step)
    if question:
        return question
    slow = link is not None and link.name.startswith("USB") and link.payload <= SLOW.payload
    if link is not None and slow and not is_lower(link, step.capable):
        return [(f"linked at {link}: {show_rate(link.practical_high)} at most in practice", 0.0)]
    return []


def _cable_question(step: Step) -> Priced:
    """Suggest another cable where the device's own limit is unknown."""
    link, port = step.link, step.port_capable
    if step.may_do_more and is_lower(link, port):
        words = f"linked at {link}, and it reports what faster devices report on a slow cable; the port supports {port}"
        return [(f"{words}: try another cable, or flip the plug", _gap(link, port))]
    if step.hidden and link is not None and port is not None and MODERN.line_bits <= link.line_bits < port.line_bits:
        words = f"linked at {link}; the port supports {port}, but this kernel does not show what the device supports"
        return [(f"{words}: try another cable, flip the plug, or ask the maker", 0.0)]
    return []


def cable_questions(steps: Sequence[Step]) -> list[str]:
    """Return the places where a better cable may help, one sentence each."""
    return [sentence for step in steps if step.role in DEVICES for sentence, _ in _cable_question(step)]
