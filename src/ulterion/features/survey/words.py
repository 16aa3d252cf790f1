"""What a survey finds, in plain text."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

from ulterion.core.facts.devices import Adapter, Drive, Refused, Volume
from ulterion.core.links.chain import Step, prices
from ulterion.core.units import show_rate, show_size
from ulterion.show.sentences import listed

INDENT = 3
HALF = "half duplex: it sends and receives in turns"
LABEL = 6  # characters of what stands before a detail of a drive


def step_words(step: Step) -> str:
    """Return what is known of a step of the chain."""
    words = [step.title, step.driver, step.link and step.link.name]
    if step.asks:
        words.append(f"asks for {step.asks:.1f} W" + (f" of {step.gives:.1f} W" if step.gives else ""))
    return ", ".join(w for w in words if w)


def adapter_words(adapter: Adapter) -> str:
    """Return what is known of a network adapter."""
    state = {"switched off": "switched off", "no carrier": "not connected" if adapter.radio else "no cable"}
    kind = "radio network" if adapter.radio else "network"
    half = HALF if adapter.half else None
    return ", ".join(w for w in (kind, adapter.driver, adapter.link, half, state.get(adapter.state or "")) if w)


def no_size(drive: Drive) -> str:
    """Return what a size of nothing means: a reader without a card, or a drive that shows none, as a dead one does."""
    return "no capacity shown" if drive.removable is False else "no medium"


def details(drive: Drive) -> list[tuple[str, str]]:
    """Return the details of a drive, each with its heading."""
    blocks = [b for b in (drive.logical_block, drive.physical_block) if b]
    kind = {True: "spinning", False: "no moving parts", None: None}[drive.rotational]
    # what a virtual disk says of itself means nothing, and most USB bridges and sticks do not say that nothing spins
    kind = None if drive.transport == "virtual" or (drive.transport == "USB" and drive.rotational) else kind
    how = [drive.transport, drive.link, drive.driver and driver_words(drive.driver)]
    what = [
        kind,
        f"blocks of {' / '.join(str(b) for b in dict.fromkeys(blocks))} B" if blocks else None,
        f"queue of {drive.queue_depth}" if drive.queue_depth else None,
        f"cache {drive.write_cache}" if drive.write_cache else None,
        "read-only" if drive.read_only else None,
        "removable" if drive.removable else None,
    ]
    rows = [("link", ", ".join(w for w in how if w))]
    rows.append(("drive", ", ".join(w for w in what if w)))
    if drive.port:
        rows.append(("port", drive.port))
    if drive.paths:
        rows.append(("paths", "; ".join(drive.paths)))
    if drive.temperature is not None:
        rows.append(("temp", f"{drive.temperature:.0f} °C"))
    if drive.health:
        worn = drive.health.get("percentage_used")
        told = [
            f"{worn:.0f}% of its rated writes used" if worn is not None else None,
            f"{show_size(drive.health['bytes_written'])} written" if drive.health.get("bytes_written") else None,
        ]
        rows.append(("health", ", ".join(t for t in told if t) or "no faults logged"))
    return [(k, v) for k, v in rows if v]


def driver_words(driver: str) -> str:
    """Return a driver with what it means."""
    why = {"uas": "uas (queues commands)", "usb-storage": "usb-storage (one command at a time)"}
    return why.get(driver, driver)


def first(
    drives: Sequence[Drive], adapters: Sequence[Adapter] = (), without_drive: Sequence[Refused] = ()
) -> list[str]:
    """Return what gives no drive, what is wrong with drives, then what holds them and adapters back, each with the most it costs first."""
    told = [(held, -prices(d.steps).get(s, 0.0), s, d.name) for d in drives for held, s in _sentences(d)]
    lines = []
    for (_, price, sentence), alike in itertools.groupby(sorted(told), key=lambda one: one[:3]):
        cost = f"; up to {show_rate(-price)} less" if price else ""
        lines.append(f"{', '.join(name for *_, name in alike)}: {sentence}{cost}")
    halves = [f"{a.name}: {HALF}, as when the settings of the two ends do not match" for a in adapters if a.half]
    lines += [f"{a.name}: {sentence}" for a in adapters for sentence in (*a.faults, *filter(None, [a.held]))]
    return [*map(_no_drive, without_drive), *halves, *lines, *shared_cables(drives)]


def shared_cables(drives: Sequence[Drive]) -> list[str]:
    """Return a sentence for each bridge with several drives, which share its cable."""
    bridges = [(s, d.name) for d in drives for s in d.steps if s.role == "bridge" and not d.empty]
    lines = []
    for (name, link), group in itertools.groupby(bridges, key=lambda pair: (pair[0].name, pair[0].link)):
        names = [drive for _, drive in group]
        if len(names) > 1:
            most = f": {show_rate(link.practical_high)} at most between them" if link else ""
            lines.append(f"{listed(names)} share one cable ({link.name if link else name}){most}")
    return lines


def _no_drive(one: Refused) -> str:
    port = None if one.port == one.name else one.port
    told = ", ".join(w for w in (one.title, port) if w)
    return f"{one.name}{f' ({told})' if told else ''}: {one.words}"


def _sentences(drive: Drive) -> list[tuple[bool, str]]:
    return [*((False, f) for f in drive.faults), *((True, c) for c in drive.ceilings)]


def in_use(drive: Drive) -> list[str]:
    """Return every word that keeps one from testing the wrong drive: what is mounted from it, or it is a part of."""
    uses = [w for v in drive.volumes for w in ([f"on {v.mounted}"] if v.mounted else v.part_of)]
    return [*(["read-only"] if drive.read_only else []), *dict.fromkeys(uses)]


def volume_words(volume: Volume) -> str:
    """Return what is known of a partition."""
    words = [
        show_size(volume.size) if volume.size else None,
        volume.filesystem,
        f"on {volume.mounted}" if volume.mounted else None if volume.part_of else "not mounted",
        *volume.part_of,
        volume.options or None,
        f"{show_size(volume.free)} free" if volume.free is not None else None,
    ]
    return ", ".join(w for w in words if w)
