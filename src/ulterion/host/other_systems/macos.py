"""macOS: drives from `system_profiler -json` and `ioreg -a`.

The shapes are those of Apple's own output (system_profiler(8), ioreg(8), the IOKit storage family's property keys); the texts that
this is tested with are made up in these shapes.  Never tried on a Mac.
"""

from __future__ import annotations

import plistlib
import re
from collections.abc import Iterator, Sequence
from dataclasses import replace

from ulterion.core.facts.devices import Drive, Survey, Tunnel, Volume
from ulterion.core.facts.target import BenchFacts
from ulterion.core.links.chain import Step, ceilings, faults
from ulterion.core.links.standards import Link, known_link
from ulterion.host.other_systems import shapes
from ulterion.host.other_systems.shapes import Entry, entries, entry, number, switch, text, whole

TYPES = (
    "SPUSBDataType",
    "SPNVMeDataType",
    "SPSerialATADataType",
    "SPCardReaderDataType",
    "SPStorageDataType",
    "SPHardwareDataType",
    "SPThunderboltDataType",
)
PROFILE = ("system_profiler", "-json", "-detailLevel", "full", *TYPES)
REGISTRY = ("ioreg", "-a", "-l", "-r", "-w", "0", "-c", "IOBlockStorageDevice")
SPEEDS = {
    "low_speed": "USB 1.5 Mb/s",
    "full_speed": "USB 12 Mb/s",
    "high_speed": "USB 480 Mb/s",
    "super_speed": "USB 5 Gb/s",
    "super_speed_plus": "USB 10 Gb/s",
    "super_speed_plus_by2": "USB 20 Gb/s",
}
"""What `device_speed` says, as links."""
BUSES = {
    "USB": "USB",
    "PCI-Express": "NVMe",
    "PCI": "NVMe",
    "Apple Fabric": "NVMe",
    "SATA": "SATA",
    "ATA": "ATA",
    "SAS": "SAS",
    "Secure Digital": "SD",
    "Virtual Interface": "virtual",
}
"""What `Physical Interconnect` says, as transports."""
ITEMS, CHILDREN = "_items", "IORegistryEntryChildren"
PCIE_RATES = {"2.5": "1.0", "5.0": "2.0", "8.0": "3.0", "16.0": "4.0", "32.0": "5.0"}  # GT/s and generation (PCI-SIG)


def survey(profile: str, registry: bytes) -> Survey:
    """Return what both texts show; what either lacks is missing."""
    said = shapes.parsed(profile)
    known = _places(said)
    volumes = list(_volumes(said))
    found = []
    for disk in _disks(registry):
        way, one = known.get(disk.name, ((), {}))
        inside = tuple(v for v in volumes if v.name in disk.inside or _disk_of(v.name) == disk.name)
        found.append(_drive(disk, way, one, inside))
    drives = tuple(sorted(found, key=lambda d: (len(d.name), d.name)))
    return Survey(_bench(said), drives, tunnels=tuple(_tunnels(said)))


def _tunnels(said: Entry) -> Iterator[Tunnel]:
    """Yield what hangs on the Thunderbolt and USB4 ports, with the speed of its link as macOS words it."""
    for way in shapes.below(said.get("SPThunderboltDataType"), ITEMS):
        title = text(way[-1].get("device_name_key")) or text(way[-1].get("_name"))
        if len(way) < 2 or title is None:  # the port itself
            continue
        tags = (entry(v) for k, v in way[-1].items() if k.startswith("receptacle_upstream"))
        speed = next((s for t in tags if (s := text(t.get("current_speed_key"))) is not None), None)
        yield Tunnel(
            text(way[-1].get("switch_uid_key")) or title, title, speed.removeprefix("Up to ") if speed else None
        )


class _Disk:
    """A whole disk of the registry: its device's properties, its own, and the names of everything within."""

    def __init__(self, name: str, device: Entry, media: Entry, inside: frozenset[str]) -> None:
        self.name, self.device, self.media, self.inside = name, device, media, inside


def _disks(registry: bytes) -> Iterator[_Disk]:
    try:
        tree = plistlib.loads(registry)
    except Exception:  # it raises whatever the parser beneath it does
        return
    for device in entries(tree):
        every = [way[-1] for way in shapes.below(device, CHILDREN)]
        media = next((e for e in every if switch(e.get("Whole")) and text(e.get("BSD Name"))), None)
        name = text(media.get("BSD Name")) if media is not None else None
        if media is not None and name is not None and switch(media.get("Whole")):
            yield _Disk(name, device, media, frozenset(n for e in every if (n := text(e.get("BSD Name"))) is not None))


def _drive(disk: _Disk, way: Sequence[Entry], one: Entry, volumes: tuple[Volume, ...]) -> Drive:
    characteristics, protocol = (
        entry(disk.device.get("Device Characteristics")),
        entry(disk.device.get("Protocol Characteristics")),
    )
    transport = BUSES.get(text(protocol.get("Physical Interconnect")) or "")
    steps = _usb_steps(way) if transport == "USB" else _pcie_steps(one) if transport == "NVMe" else ()
    link = steps[-1].link if steps else _sata_link(way) if transport == "SATA" else None
    medium = text(characteristics.get("Medium Type"))
    return Drive(
        name=disk.name,
        transport=transport,
        model=text(characteristics.get("Product Name")) or text(one.get("device_model")) or text(one.get("_name")),
        serial=text(characteristics.get("Serial Number"))
        or text(one.get("device_serial"))
        or text(one.get("serial_num")),
        firmware=text(characteristics.get("Product Revision Level")) or text(one.get("device_revision")),
        port=_port(way),
        link=link.name if link is not None else None,
        steps=steps,
        faults=tuple(faults(steps)),
        ceilings=tuple(ceilings(steps)),
        size=whole(disk.media.get("Size")),
        logical_block=whole(disk.media.get("Preferred Block Size")),
        rotational=None if medium is None else medium == "Rotational",
        removable=switch(disk.media.get("Removable")),
        read_only=None if (writable := switch(disk.media.get("Writable"))) is None else not writable,
        volumes=volumes,
        no_temperature="macOS shows an ordinary user no temperature of a drive; use --probe, or note it",
        system=any(v.mounted in ("/", "/System/Volumes/Data") for v in volumes),
    )


def _places(said: Entry) -> dict[str, tuple[Sequence[Entry], Entry]]:
    """Return, by the name of a disk, the way to it through a bus, and its own entry."""
    found: dict[str, tuple[Sequence[Entry], Entry]] = {}
    for kind in TYPES[:4]:
        for way in shapes.below(said.get(kind), ITEMS):
            for one in (way[-1], *entries(way[-1].get("Media"))):
                name = text(one.get("bsd_name"))
                if name is not None:
                    found.setdefault(name, (way, way[-1]))
    return found


def _usb_steps(way: Sequence[Entry]) -> tuple[Step, ...]:
    """Return the chain: the controller, hubs, and the device last."""
    steps = []
    for place, one in enumerate(way):
        role = "controller" if place == 0 else "bridge" if place == len(way) - 1 else "hub"
        name = text(one.get("_name")) or role
        at = (text(one.get("location_id")) or "").partition(" ")[0]
        link = _speed(one) if place else None
        asks, gives = (number(one.get(k)) for k in ("bus_power_used", "bus_power"))
        volts = 5.0
        steps.append(
            Step(
                role,
                at or name,
                title=name,
                link=link,
                asks=None if asks is None else asks * volts / 1000,
                gives=None if gives is None else gives * volts / 1000,
            )
        )
    return tuple(steps)


def _speed(one: Entry) -> Link | None:
    return known_link(SPEEDS.get(text(one.get("device_speed")) or ""))


def _pcie_steps(one: Entry) -> tuple[Step, ...]:
    rate = re.match(r"(\d+\.\d) GT/s", text(one.get("spnvme_linkspeed")) or "")
    lanes = re.fullmatch(r"x(\d+)", text(one.get("spnvme_linkwidth")) or "")
    if rate is None or lanes is None or rate[1] not in PCIE_RATES:
        return ()
    link = known_link(f"PCIe {PCIE_RATES[rate[1]]} x{lanes[1]}")
    return (Step("controller", text(one.get("_name")) or "nvme", link=link),) if link is not None else ()


def _sata_link(way: Sequence[Entry]) -> Link | None:
    """Return what the port of a SATA controller runs at: '6 Gigabit'."""
    for one in reversed(way):
        match = re.match(r"(\d(?:\.\d)?) Gigabit", text(one.get("spsata_portspeed")) or "")
        if match is not None:
            return known_link(f"SATA {match[1]} Gb/s")
    return None


def _port(way: Sequence[Entry]) -> str | None:
    """Return where it is plugged in: the location of a USB device, the same as long as the plug is."""
    at = (text(way[-1].get("location_id")) or "").partition(" ")[0] if way else ""
    return f"usb {at}" if at else None


def _volumes(said: Entry) -> Iterator[Volume]:
    for one in entries(said.get("SPStorageDataType")):
        name = text(one.get("bsd_name"))
        if name is not None:
            yield Volume(
                name,
                size=whole(one.get("size_in_bytes")),
                filesystem=(text(one.get("file_system")) or "").casefold() or None,
                mounted=text(one.get("mount_point")),
                options="ro" if switch(one.get("writable")) is False else None,
                free=whole(one.get("free_space_in_bytes")),
            )


def _disk_of(name: str) -> str:
    """Return the disk of a part by its name: disk4 of disk4s1."""
    match = re.match(r"disk\d+", name)
    return match[0] if match else name


def _bench(said: Entry) -> BenchFacts:
    (first, *_) = entries(said.get("SPHardwareDataType")) or [{}]
    memory = re.fullmatch(r"(\d+) GB", text(first.get("physical_memory")) or "")
    names = [text(first.get(k)) for k in ("machine_name", "machine_model")]
    return replace(
        BenchFacts("unknown"),
        cpu=text(first.get("chip_type")) or text(first.get("cpu_type")),
        memory_bytes=int(memory[1]) * 2**30 if memory else None,
        model=" ".join(n for n in names if n) or None,
    )


__all__ = ["PROFILE", "REGISTRY", "survey"]
