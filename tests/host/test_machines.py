"""Machines of many kinds as the kernel shows them, each with what must be said of it, live, written down, and with attributes gone or mad."""

from __future__ import annotations

import json
import os
import random
import shutil
import time
import unittest
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path
from unittest.mock import Mock, patch

from tests.host.machines import AHCI, BRIDGE, DRIVE, PCI, SAS, XHCI, Tree
from tests.host.test_collection import SS, UAS, USB2, bos, plus
from tests.host.test_machine import shown
from tests.support import FolderCase, simulate
from ulterion.core.errors import UsageError
from ulterion.core.facts.devices import Drive, Survey, as_target
from ulterion.features.survey.run import alike, find_drive
from ulterion.features.survey.tables import survey_lines
from ulterion.features.survey.words import first
from ulterion.host import linkwatch, machine
from ulterion.host.drive import drive_of
from ulterion.host.recorded import record, replayed
from ulterion.host.usb import QUIRKS
from ulterion.model.expect import Expect
from ulterion.run.expectations import unexpected
from ulterion.run.opening import Opened

G3, G4 = "8.0 x4", "16.0 x4"
SLOW_PAIR = bos(USB2, SS)
ASKS_896 = bytes([18, 1, 0, 3, 0, 0, 0, 9]) + bytes(10) + bytes([9, 2, 9, 0, 1, 1, 0, 0x80, 112])  # 112 x 8 mA


@dataclass
class Truth:
    """What must be said of a drive: transport, link, words of its faults and ceilings, its port."""

    transport: str | None
    link: str | None = None
    faults: list[str] = field(default_factory=list)
    held: list[str] = field(default_factory=list)
    port: str | None = None


@dataclass
class Known:
    """A machine: how it is built, what must be said of its drives, and of what gives none."""

    what: str
    build: Callable[[Tree], object]
    drives: dict[str, Truth] = field(default_factory=dict)
    refused: list[str] = field(default_factory=list)


def both(*steps: Callable[[Tree], object]) -> Callable[[Tree], object]:
    """Return one building of several."""

    def build(t: Tree) -> None:
        for step in steps:
            step(t)

    return build


def nvme(slot: str, own: str, runs: str, state: str = "live") -> Callable[[Tree], object]:
    """An NVMe drive in a slot of the processor."""
    return lambda t: t.nvme(
        t.pci(t.pci(f"{PCI}/0000:00:01.0", BRIDGE, slot) + "/0000:01:00.0", DRIVE, own, runs), state=state
    )


def behind_switch(
    up: str, down: str, kind: str, own: str, runs: str, *, then: Callable[[Tree, str], object]
) -> Callable[[Tree], object]:
    """A device behind a switch, such as a chipset is one."""

    def build(t: Tree) -> None:
        path = t.pci(f"{PCI}/0000:00:02.0", BRIDGE, up)
        path = t.pci(f"{path}/0000:02:00.2", BRIDGE, up)
        path = t.pci(f"{path}/0000:03:00.0", BRIDGE, down)
        then(t, t.pci(f"{path}/0000:04:00.0", kind, own, runs))

    return build


def usb(speed: str, descriptors: bytes = UAS, said: bytes = bos(USB2, SS, plus(10)), bus: str = "10000", top: str = f"{PCI}/0000:00:14.0",
        *, kind: tuple[str, str] | None = None, driver: str | None = "uas", **facts: str) -> Callable[[Tree], object]:  # fmt: skip
    """A drive in an enclosure on a controller of the host, itself perhaps a card of a stated link in a slot."""

    def build(t: Tree) -> None:
        t.pci(top, XHCI, *(kind or ()))
        device = t.usb(f"{t.bus(top, 2, bus)}/2-1", speed, bos_descriptors=said, descriptors=descriptors, **facts)
        t.storage(device, "sda", driver=driver)

    return build


def hubs(*speeds: str, device: str, said: bytes, wants: str = "0mA", hub: bytes = SLOW_PAIR, fed: str = "e0",
         bus: str = "10000") -> Callable[[Tree], object]:  # fmt: skip
    """A drive behind hubs of these speeds, on a root hub."""

    def build(t: Tree) -> None:
        path, name = t.bus(t.pci(f"{PCI}/0000:00:14.0", XHCI), 2, bus), "2-1"
        for place, speed in enumerate(speeds):
            path = t.usb(f"{path}/{name}", speed, hub=True, bos_descriptors=hub, bmAttributes=fed)
            name += f".{place + 1}"
        t.storage(t.usb(f"{path}/{name}", device, bos_descriptors=said, descriptors=UAS, bMaxPower=wants), "sda")

    return build


def sata(spd: str, **facts: object) -> Callable[[Tree], object]:
    """A drive on a port of the chipset."""
    return lambda t: t.ata(t.driver(t.pci(f"{PCI}/0000:00:17.0", AHCI), "ahci"), 1, spd, disk="sda", **facts)  # type: ignore[arg-type]


def multiplied(t: Tree) -> None:
    """Two drives behind a port multiplier whose own way to the host is a slow one."""
    top = t.driver(t.pci(f"{PCI}/0000:00:17.0", AHCI), "ahci")
    t.ata(top, 2, "3.0", id76=None)
    for channel, disk in enumerate(("sda", "sdb")):
        t.ata(top, 2, "6.0", disk=disk, channel=channel)


def sas(rate: str, protocols: str = "ssp", expander: bool = False) -> Callable[[Tree], object]:
    """A drive on a SAS adapter, perhaps behind an expander."""

    def build(t: Tree) -> None:
        top = t.driver(
            t.pci(t.pci(f"{PCI}/0000:00:01.0", BRIDGE, "8.0 x8") + "/0000:01:00.0", SAS, "8.0 x8"), "mpt3sas"
        )
        way = f"{top}/host0/port-0:0"
        if expander:
            t.files(f"{way}/phy-0:0/sas_phy/phy-0:0", negotiated_linkrate="12.0 Gbit", maximum_linkrate_hw="12.0 Gbit")
            way += "/expander-0:0/port-0:0:1"
        t.sas(way, rate, "12.0 Gbit", "sda", protocols)

    return build


def scsi(folder: str, state: str = "running") -> Callable[[Tree], object]:
    """A disk on a SCSI host somewhere."""
    return lambda t: t.disk(t.files(f"{folder}/target3:0:0/3:0:0:0", state=state) + "/block/sda", "sda", device="../..")


def card(kind: str = "SD", **facts: object) -> Callable[[Tree], object]:
    """A card in a slot on PCI."""
    host = f"{PCI}/0000:00:1a.0"
    return lambda t: (t.driver(t.pci(host, "0x080501"), "sdhci-pci"), t.card(host, kind, **facts))  # type: ignore[arg-type]


def reader(t: Tree) -> None:
    """A reader of four slots, with a card in the first."""
    device = t.usb(
        f"{t.bus(t.pci(f'{PCI}/0000:00:14.0', XHCI), 2, '10000')}/2-3",
        "5000",
        bos_descriptors=bos(USB2, SS, plus(10)),
        serial="RD-1",
    )
    t.storage(device, "sda", driver="usb-storage", removable="1")
    for unit, disk in enumerate(("sdb", "sdc", "sdd"), 1):
        folder = t.files(f"{device}/2-3:1.0/host0/target0:0:0/0:0:0:{unit}", state="running")
        t.disk(f"{folder}/block/{disk}", disk, device="../..", size="0", removable="1")


def two_boards(t: Tree) -> None:
    """A board without PCI and two controllers, a stick of the same serial on each."""
    for number, place in enumerate(("a600000.usb", "a800000.usb")):
        top = t.bus(f"sys/devices/platform/soc@0/{place}/xhci-hcd.{number}.auto", number + 1, "5000")
        t.storage(
            t.usb(f"{top}/{number + 1}-1", "5000", serial="0001", bos_descriptors=bos(USB2, SS)), f"sd{'ab'[number]}"
        )


def dock(t: Tree) -> None:
    """A dock of two bays: one device, one serial, two units."""
    top = t.bus(t.pci(f"{PCI}/0000:00:14.0", XHCI), 2, "10000")
    t.storage(t.usb(f"{top}/2-4", "10000", serial="DOCK", bos_descriptors=bos(USB2, SS, plus(10))), "sda", "sdb")


def unconfigured(fed: str, **facts: str | bytes) -> Callable[[Tree], object]:
    """A device left without a configuration on a hub."""

    def build(t: Tree) -> None:
        hub = t.usb(f"{t.bus(t.pci(f'{PCI}/0000:00:14.0', XHCI), 2, '10000')}/2-1", "5000", hub=True, bmAttributes=fed)
        t.usb(f"{hub}/2-1.2", "5000", configured=False, product="Pod", version="3.00", descriptors=ASKS_896, **facts)

    return build


def shared(*controllers: Callable[[Tree], str]) -> Callable[[Tree], object]:
    """A namespace that several controllers lead to."""
    return lambda t: t.shared(*(c(t) for c in controllers))


def path(number: int, runs: str = G4, state: str = "live") -> Callable[[Tree], str]:
    """One of the controllers of a drive of two ports."""

    def build(t: Tree) -> str:
        slot = t.pci(f"{PCI}/0000:00:0{number + 1}.0", BRIDGE, G4)
        return t.nvme(t.pci(f"{slot}/0000:0{number + 1}:00.0", DRIVE, G4, runs), number, state=state, shared=True)

    return build


SLOW_CABLE = "the tunnel to Cask runs at USB4 20 Gb/s: try a cable made for USB4 40 Gb/s"
NHI, NHI2 = f"{PCI}/0000:00:0d.2", f"{PCI}/0000:00:0d.3"


def tunnels(depth: int, *devices: tuple[str, str, str, str], removable: bool = True, other: tuple[str, str, str, str] | None = None,
            suppliers: bool = True, runs: str = "2.5 x4", then: Callable[[Tree, str], object] | None = None, **more: object
            ) -> Callable[[Tree], object]:  # fmt: skip
    """A drive so deep in the tunnels of a controller, perhaps with another controller beside it; or what `then` makes at the end of them."""

    def build(t: Tree) -> None:
        t.pci(NHI, "0x0c0340")
        t.tunnel(NHI, *devices)
        end = t.tunnelled("0000:00:07.0", depth, removable=removable, **more)  # type: ignore[arg-type]
        if then is not None:
            then(t, f"{end}/0000:20:00.0")
        else:
            told = {"removable": "removable"} if removable else {}
            t.nvme(t.pci(f"{end}/0000:20:00.0", DRIVE, "16.0 x4", runs, **told))
        if suppliers:
            t.link(f"{PCI}/0000:00:07.0/supplier:pci:0000:00:0d.2", f"sys/devices/virtual/devlink/{depth}")
            t.file(f"sys/devices/virtual/devlink/{depth}/status", "available")
        if other:
            t.pci(NHI2, "0x0c0340")
            t.tunnel(NHI2, other)

    return build


def in_dock(kind: str, link: str = "8.0 x1") -> Callable[[Tree, str], object]:
    """A controller in a dock, of the kind, with its own lanes, and a drive on it."""

    def build(t: Tree, top: str) -> None:
        t.pci(top, kind, link, removable="removable")
        if kind == XHCI:
            t.storage(
                t.usb(
                    f"{t.bus(top, 2, '10000')}/2-1", "10000", bos_descriptors=bos(USB2, SS, plus(10)), descriptors=UAS
                ),
                "sda",
            )
        elif kind == AHCI:
            t.ata(t.driver(top, "ahci"), 1, "6.0", disk="sda")
        else:
            t.card(t.driver(top, "sdhci-pci"), "SD", ios=(6, 2), caps="0x000f0007", grade="3")

    return build


def boot_units(t: Tree) -> None:
    """A board with UFS memory: one unit is the disk, one a boot unit."""
    host = t.driver("sys/devices/platform/soc@0/1d84000.ufshc", "ufshcd-qcom")
    t.files(f"{host}/power_info", gear="HS_GEAR4", lane="2", rate="HS_RATE_B")
    for unit, (disk, boots) in enumerate((("sda", "0x00"), ("sdb", "0x01"))):
        device = t.files(f"{host}/host0/target0:0:0/0:0:0:{unit}", state="running", unit_descriptor__boot_lun_id=boots)
        t.disk(f"{device}/block/{disk}", disk, device="../..")


def virtio(t: Tree) -> None:
    """A guest: its disks hang on a port of a made-up link."""
    top = t.pci(f"{PCI}/0000:00:05.0", "0x010000", "2.5 x1", "2.5 x1")
    t.disk(f"{top}/virtio1/block/vda", "vda")
    t.driver(f"{top}/virtio1", "virtio_blk")
    other = t.driver(t.pci(f"{PCI}/0000:00:06.0", "0x010000", G4, "2.5 x1") + "/virtio2", "virtio_scsi")
    scsi(f"{other}/host3")(t)


STICK = Truth("USB", "USB 10 Gb/s")
CARRIER = "linked at USB 10 Gb/s through a controller (0000:05:00.0) that runs at PCIe 2.0 x1"
IN_SLOT = f"{PCI}/0000:00:1c.0/0000:05:00.0"


def in_slot(slot: str, then: Callable[[Tree], object]) -> Callable[[Tree], object]:
    """Something in an add-in card's slot."""
    return both(lambda t: t.pci(f"{PCI}/0000:00:1c.0", BRIDGE, slot), then)


def sata_card(slot: str, own: str, runs: str) -> Callable[[Tree], object]:
    """A drive on an add-in card."""
    return in_slot(slot, lambda t: t.ata(t.driver(t.pci(IN_SLOT, AHCI, own, runs), "ahci"), 1, "6.0", disk="sda"))


def volume_management(t: Tree) -> None:
    """A laptop whose drives hang on the processor's volume management, a bus of its own."""
    t.pci(f"{PCI}/0000:00:0e.0", "0x010400")
    port = t.pci(f"{PCI}/0000:00:0e.0/pci10000:e0/10000:e0:06.0", BRIDGE, G4)
    t.nvme(t.pci(f"{port}/10000:e1:00.0", DRIVE, G4))


MACHINES = [
    Known("drives behind volume management", volume_management, {"nvme0n1": Truth("NVMe", "PCIe 4.0 x4", port="10000:e1:00.0")}),
    Known("a 4.0 drive on a chipset of 3.0", behind_switch(G3, G3, DRIVE, G4, G3, then=lambda t, p: t.nvme(p)),
          {"nvme0n1": Truth("NVMe", "PCIe 3.0 x4", held=["slot only PCIe 3.0 x4"])}),
    Known("a 4.0 drive behind a chipset that hangs on 3.0", behind_switch(G3, G4, DRIVE, G4, G4, then=lambda t, p: t.nvme(p)),
          {"nvme0n1": Truth("NVMe", "PCIe 4.0 x4", held=["behind a switch (0000:02:00.2) that runs at PCIe 3.0 x4"])}),
    Known("SATA behind a chipset of 3.0 x4: wide enough", behind_switch(G3, G3, AHCI, G3, G3, then=lambda t, p: t.ata(p, 1, "6.0", disk="sda")),
          {"sda": Truth("SATA", "SATA 6 Gb/s")}),
    Known("a drive at one lane", nvme(G4, G4, "16.0 x1"), {"nvme0n1": Truth("NVMe", "PCIe 4.0 x1", ["try another slot, or reseat it"])}),
    Known("two lanes by design", nvme(G4, "8.0 x2", "8.0 x2"), {"nvme0n1": Truth("NVMe", "PCIe 3.0 x2")}),
    Known("a 5.0 drive in 4.0", nvme(G4, "32.0 x4", G4), {"nvme0n1": Truth("NVMe", "PCIe 4.0 x4", held=["supports PCIe 5.0 x4"])}),
    Known("a hot-plug bay at its best", lambda t: t.nvme(t.pci(t.pci(f"{PCI}/0000:00:01.0", BRIDGE, G3) + "/0000:01:00.0", DRIVE, G3, removable="removable")),
          {"nvme0n1": Truth("NVMe", "PCIe 3.0 x4")}),
    Known("a controller given up", nvme(G4, G4, G4, "dead"), {"nvme0n1": Truth("NVMe", "PCIe 4.0 x4", ["gave its controller up"])}),
    Known("a drive without a driver", lambda t: t.pci(f"{PCI}/0000:01:00.0", DRIVE, G4), refused=["without a driver"]),
    Known("a drive handed to a guest", lambda t: t.driver(t.pci(f"{PCI}/0000:01:00.0", DRIVE, G4), "vfio-pci"), refused=["driver vfio-pci"]),
    Known("a controller without a drive", lambda t: t.nvme(t.pci(f"{PCI}/0000:01:00.0", DRIVE, G4), state="dead", shown=False), refused=["(dead)"]),
    Known("a controller that only lists others", lambda t: t.files(t.fabric(3, "10.0.0.1"), cntltype="discovery")),
    # shared namespaces, and those on a network
    Known("shared, one way", shared(path(0)), {"nvme0n1": Truth("NVMe", "PCIe 4.0 x4", port="0000:01:00.0")}),
    Known("shared, two ways alike", shared(path(0), path(1)), {"nvme0n1": Truth("NVMe", "PCIe 4.0 x4")}),
    Known("shared, one way narrow", shared(path(0), path(1, "16.0 x2")), {"nvme0n1": Truth("NVMe", None, ["0000:02:00.0 linked at PCIe 4.0 x2"])}),
    Known("on a network by two ways", shared(lambda t: t.fabric(0, "10.0.0.1", "connecting"), lambda t: t.fabric(1, "10.0.0.2")),
          {"nvme0n1": Truth("NVMe over TCP", None, ["one way to it, nvme0: its controller is being connected"], port="10.0.0.2:4420")}),
    Known("iSCSI", scsi("sys/devices/platform/host3/session1"), {"sda": Truth("iSCSI")}),
    Known("Fibre Channel", scsi(f"{PCI}/0000:00:03.0/host3/rport-3:0-1"), {"sda": Truth("Fibre Channel")}),
    # tunnels
    Known("one tunnel", tunnels(1, ("0-1", "20.0", "2", "4")), {"nvme0n1": Truth("NVMe", "USB4 40 Gb/s")}),
    Known("a slower one behind a dock", tunnels(2, ("0-1", "20.0", "2", "4"), ("0-301", "10.0", "2", "4")), {"nvme0n1": Truth("NVMe", "USB4 20 Gb/s", held=[SLOW_CABLE])}),
    Known("a dock on a slow cable", tunnels(2, ("0-1", "10.0", "2", "4"), ("0-301", "20.0", "2", "4")), {"nvme0n1": Truth("NVMe", "USB4 20 Gb/s", held=[SLOW_CABLE])}),
    Known("in the dock itself", tunnels(1, ("0-1", "20.0", "2", "3"), ("0-301", "10.0", "2", "3")), {"nvme0n1": Truth("NVMe", "Thunderbolt 3")}),
    Known("two that differ on one controller", tunnels(1, ("0-1", "20.0", "2", "4"), ("0-3", "10.0", "2", "4")), {"nvme0n1": Truth("NVMe")}),
    Known("the other controller's is another's", tunnels(1, ("0-1", "20.0", "2", "4"), other=("1-1", "10.0", "2", "4")),
          {"nvme0n1": Truth("NVMe", "USB4 40 Gb/s")}),
    Known("two controllers, not told apart", tunnels(1, ("0-1", "20.0", "2", "4"), other=("1-1", "10.0", "2", "4"), suppliers=False),
          {"nvme0n1": Truth("NVMe")}),
    Known("a tunnel of an old kernel", tunnels(1, ("0-1", "20.0", "2", "3"), removable=False, suppliers=False), {"nvme0n1": Truth("NVMe", "Thunderbolt 3")}),
    # tunnels with what states its own lanes behind them
    Known("a box whose drive states its own lanes", tunnels(1, ("0-1", "20.0", "2", "3"), runs="8.0 x4"), {"nvme0n1": Truth("NVMe", "Thunderbolt 3")}),
    Known("a drive faster than any tunnel", tunnels(1, ("0-1", "20.0", "2", "3"), runs="16.0 x4", own="16.0 x4"),
          {"nvme0n1": Truth("NVMe", "Thunderbolt 3", held=["0000:20:00.0 runs at PCIe 4.0 x4 through a tunnel (Cask)"])}),
    Known("its bridge states lanes too", tunnels(1, ("0-1", "20.0", "2", "3"), runs="8.0 x4", own="8.0 x4"),
          {"nvme0n1": Truth("NVMe", "Thunderbolt 3", held=["slot only PCIe 3.0 x4"])}),
    Known("a turned plug inside the box", tunnels(1, ("0-1", "20.0", "2", "3"), runs="8.0 x2", own="8.0 x4"),
          {"nvme0n1": Truth("NVMe", "Thunderbolt 3", ["0000:20:00.0 linked at PCIe 3.0 x2, although it and its slot support PCIe 3.0 x4"],
                            held=["slot only PCIe 3.0 x4"])}),
    Known("a long cable", tunnels(1, ("0-1", "10.0", "2", "3"), runs="8.0 x4"),
          {"nvme0n1": Truth("NVMe", "Thunderbolt 3 at 20 Gb/s", held=["Cask runs at Thunderbolt 3 at 20 Gb/s: try a cable made for Thunderbolt 3"])}),
    Known("one lane", tunnels(1, ("0-1", "20.0", "1", "4"), runs="8.0 x4"),
          {"nvme0n1": Truth("NVMe", "USB4 20 Gb/s (1 x 20)", held=["Cask runs at USB4 20 Gb/s (1 x 20)"])}),
    Known("a switch inside the box is no box", tunnels(1, ("0-1", "20.0", "2", "4"), ("0-301", "10.0", "2", "4"), runs="8.0 x4", inside=1),
          {"nvme0n1": Truth("NVMe", "USB4 40 Gb/s", held=["slot only PCIe 3.0 x4"])}),
    Known("a box behind a dock", tunnels(2, ("0-1", "20.0", "2", "4"), ("0-301", "10.0", "2", "4"), runs="8.0 x4"),
          {"nvme0n1": Truth("NVMe", "USB4 20 Gb/s", held=[SLOW_CABLE])}),
    Known("own lanes on an old kernel", tunnels(1, ("0-1", "20.0", "2", "3"), runs="8.0 x4", removable=False, suppliers=False),
          {"nvme0n1": Truth("NVMe", "Thunderbolt 3")}),
    Known("a stick in a dock", tunnels(1, ("0-1", "20.0", "2", "4"), then=in_dock(XHCI)), {"sda": Truth("USB", "USB 10 Gb/s", held=["PCIe 3.0 x1"])}),
    Known("a disk in a dock on one lane", tunnels(1, ("0-1", "10.0", "1", "4"), then=in_dock(XHCI, "8.0 x4")),
          {"sda": Truth("USB", "USB 10 Gb/s", held=["USB4 10 Gb/s: try a cable", "through a tunnel (0-1) that runs at USB4 10 Gb/s"])}),
    Known("a SATA bay in a dock", tunnels(1, ("0-1", "20.0", "2", "4"), then=in_dock(AHCI)), {"sda": Truth("SATA", "SATA 6 Gb/s")}),
    Known("a card in a dock", tunnels(1, ("0-1", "10.0", "2", "4"), then=in_dock("0x080501", "2.5 x1")), {"mmcblk0": Truth("SD", "SD UHS-I SDR104", held=[SLOW_CABLE])}),
    # links at rest
    Known("at rest", nvme(G4, G4, "2.5 x4"), {"nvme0n1": Truth("NVMe", "PCIe 1.0 x4", held=["may be saving power"])}),
    Known("at rest in a socket outside", lambda t: t.nvme(t.pci(t.pci(f"{PCI}/0000:00:01.0", BRIDGE, G4) + "/0000:01:00.0", DRIVE, G4, "2.5 x4", removable="removable")),
          {"nvme0n1": Truth("NVMe", "PCIe 1.0 x4", held=["may be saving power"])}),
    Known("fewer lanes are no rest", nvme(G4, G4, "2.5 x2"), {"nvme0n1": Truth("NVMe", "PCIe 1.0 x2", ["try another slot, or reseat it"])}),
    Known("a slow slot is no rest", nvme("2.5 x4", G4, "2.5 x4"), {"nvme0n1": Truth("NVMe", "PCIe 1.0 x4", held=["slot only PCIe 1.0 x4"])}),
    # SATA
    Known("a host that says it can do 6", sata("6.0", most="<unknown>", allowed="<unknown>", caps="c734ff05"), {"sda": Truth("SATA", "SATA 6 Gb/s")}),
    Known("held below what the host says", sata("3.0", most="<unknown>", allowed="<unknown>", caps="c734ff05"),
          {"sda": Truth("SATA", "SATA 3 Gb/s", ["support SATA 6 Gb/s: check cable and plug"])}),
    Known("an old host", sata("3.0", most="<unknown>", allowed="<unknown>", caps="c7247f05"),
          {"sda": Truth("SATA", "SATA 3 Gb/s", held=["the port only SATA 3 Gb/s"])}),
    Known("lowered three times", sata("1.5", allowed="1.5", down=3), {"sda": Truth("SATA", "SATA 1.5 Gb/s", ["after errors (3 times lowered)"])}),
    Known("lowered, and the drive does not say what it can do", sata("3.0", allowed="3.0", id76=None), {"sda": Truth("SATA", "SATA 3 Gb/s", ["limited to"])}),
    Known("a drive of 3 on a port of 6", sata("3.0", id76=0b0110), {"sda": Truth("SATA", "SATA 3 Gb/s")}),
    Known("behind a multiplier", multiplied, {d: Truth("SATA", "SATA 6 Gb/s", held=["behind a port multiplier (ata2) that runs at SATA 3 Gb/s"], port=f"0000:00:17.0 ata2.{n}")
                                              for n, d in enumerate(("sda", "sdb"))}),
    Known("parallel ATA", lambda t: t.ata(t.driver(t.pci(f"{PCI}/0000:00:1f.1", "0x010180"), "pata_amd"), 1, "<unknown>", id76=None, disk="sda"),
          {"sda": Truth("PATA", "ATA-100")}),
    Known("a link without a drive", lambda t: t.ata(t.pci(f"{PCI}/0000:00:17.0", AHCI), 1, "3.0", id76=None), refused=["no drive answered"]),
    Known("a card of one lane", sata_card("5.0 x1", "5.0 x1", "5.0 x1"), {"sda": Truth("SATA", "SATA 6 Gb/s", held=["runs at PCIe 2.0 x1: 475 MB/s at most"])}),
    Known("a card in a narrow slot that is wide enough", sata_card("8.0 x1", "8.0 x2", "8.0 x1"), {"sda": Truth("SATA", "SATA 6 Gb/s")}),
    # SAS, RAID and soldered memory
    Known("SAS at 12", sas("12.0 Gbit"), {"sda": Truth("SAS", "SAS 12 Gb/s", port="0000:01:00.0 lane 3")}),
    Known("an older SAS drive", sas("6.0 Gbit"), {"sda": Truth("SAS", "SAS 6 Gb/s")}),
    Known("a SATA drive on SAS", sas("6.0 Gbit", "sata"), {"sda": Truth("SAS", "SATA 6 Gb/s")}),
    Known("behind an expander", sas("12.0 Gbit", expander=True), {"sda": Truth("SAS", "SAS 12 Gb/s")}),
    Known("a volume of a RAID controller", lambda t: scsi(f"{t.driver(t.pci(f'{PCI}/0000:01:00.0', '0x010400', '8.0 x8'), 'megaraid_sas')}/host3")(t),
          {"sda": Truth("RAID", port="0000:01:00.0")}),
    Known("UFS", boot_units, {"sda": Truth("UFS", "UFS HS-G4 x2", port="1d84000.ufshc")}),
    Known("FireWire", scsi(f"{PCI}/0000:00:04.0/fw1/fw1.0/host3"), {"sda": Truth("FireWire")}),
    # cards
    Known("UHS-I at its best", card(ios=(6, 2), caps="0x000f0007", grade="3"), {"mmcblk0": Truth("SD", "SD UHS-I SDR104")}),
    Known("UHS-II at its best", card(ios=(16, 2), caps="0x000f0007", grade="3"), {"mmcblk0": Truth("SD", "SD UHS-II HD312")}),
    Known("UHS-II in its lower range", card(ios=(13, 2), caps="0x000f0007", grade="3"), {"mmcblk0": Truth("SD", "SD UHS-II FD78")}),
    Known("UHS-I in high speed", card(ios=(2, 2), caps="0x000f0007", grade="3"), {"mmcblk0": Truth("SD", "SD high speed", ["card and slot support SD UHS-I SDR50"])}),
    Known("SDR25 is timing 4", card(ios=(4, 2), caps="0x000f0007", grade="1"), {"mmcblk0": Truth("SD", "SD UHS-I SDR25", ["SD UHS-I SDR50"])}),
    Known("UHS-I in a slot without", card(ios=(2, 2), caps="0x00000007", grade="3"), {"mmcblk0": Truth("SD", "SD high speed", held=["slot only SD high speed"])}),
    Known("an old card in a fast slot", card(ios=(2, 2), caps="0x000f0007"), {"mmcblk0": Truth("SD", "SD high speed")}),
    Known("one data line of four", card(ios=(2, 0), caps="0x000f0007"), {"mmcblk0": Truth("SD", "SD high speed (1 bit)")}),
    Known("soldered memory at its best", card("MMC", ios=(10, 3), caps="0x0000004f", caps2="0x00018060", ext_csd="57"), {"mmcblk0": Truth("eMMC", "eMMC HS400")}),
    Known("soldered memory in a slow mode", card("MMC", ios=(1, 3), caps="0x0000004f", caps2="0x00000060", ext_csd="57"),
          {"mmcblk0": Truth("eMMC", "eMMC HS52", ["support eMMC HS200"], ["slot only eMMC HS200"])}),
    Known("soldered memory on four lines", card("MMC", ios=(9, 2), caps="0x0000000f", caps2="0x00000060", ext_csd="57"),
          {"mmcblk0": Truth("eMMC", "eMMC HS200 (4 bit)", held=["slot only eMMC HS200 (4 bit)"])}),
    Known("a slot that is not shown", card(grade="3"), {"mmcblk0": Truth("SD", port="0000:00:1a.0 mmc0")}),
    Known("a slot on the chip, without PCI", lambda t: t.card("sys/devices/platform/soc/1c0f000.mmc", "SD"), {"mmcblk0": Truth("SD", port="1c0f000.mmc")}),
    # USB
    Known("a reader with empty slots", reader, {"sda": Truth("USB", "USB 5 Gb/s", ["support USB 10 Gb/s"], ["bulk-only"], "0000:00:14.0 port 3"),
          **{d: Truth("USB", "USB 5 Gb/s", port=f"0000:00:14.0 port 3 unit {n}") for n, d in ((2, "sdb"), (3, "sdc"), (4, "sdd"))}}),
    Known("two alike on a board", two_boards, {"sda": Truth("USB", "USB 5 Gb/s", port="a600000.usb port 1"), "sdb": Truth("USB", "USB 5 Gb/s", port="a800000.usb port 1")}),
    Known("two bays", dock, {"sda": Truth("USB", "USB 10 Gb/s", port="0000:00:14.0 port 4"), "sdb": Truth("USB", "USB 10 Gb/s", port="0000:00:14.0 port 4 unit 2")}),
    Known("10 Gb/s on a card of one lane", in_slot("5.0 x1", usb("10000", top=IN_SLOT, kind=("5.0 x1", "5.0 x1"))), {"sda": Truth("USB", "USB 10 Gb/s", held=[CARRIER])}),
    Known("5 Gb/s on such a card", in_slot("5.0 x1", usb("5000", said=SLOW_PAIR, top=IN_SLOT, kind=("5.0 x1", "5.0 x1"))), {"sda": Truth("USB", "USB 5 Gb/s")}),
    Known("a box of 10 at 5, the kernel silent", usb("5000", said=b""),
          {"sda": Truth("USB", "USB 5 Gb/s", held=["the port supports USB 10 Gb/s, but this kernel"])}),
    Known("a box of USB 3.0", usb("5000", said=b"", version="3.00"), {"sda": Truth("USB", "USB 5 Gb/s")}),
    Known("kept from queueing on request", both(usb("5000", said=SLOW_PAIR, driver="usb-storage"), lambda t: t.file(QUIRKS, "0f0f:2:u,f0f:1:t,0f0f:0001:u")),
          {"sda": Truth("USB", "USB 5 Gb/s", ["usb-storage.quirks=0f0f:0001:u asks for that"])}),
    Known("kept from queueing, not told why", usb("5000", said=SLOW_PAIR, driver="usb-storage"),
          {"sda": Truth("USB", "USB 5 Gb/s", ["the kernel's list of exceptions"])}),
    Known("10 Gb/s in a port of 20", usb("10000", bus="20000"), {"sda": STICK}),
    Known("for want of power", unconfigured("80"), refused=["it asks for 896 mA and its port gives 150 mA"]),
    Known("left unconfigured for other reasons", unconfigured("e0"), refused=["left unconfigured: unplug"]),
    Known("not authorised", unconfigured("e0", authorized="0"), refused=["not authorised"]),
    Known("a bridge without a drive", lambda t: t.storage(t.usb(f"{t.bus(t.pci(f'{PCI}/0000:00:14.0', XHCI), 2, '10000')}/2-1", "5000")), refused=["finds no disk"]),
    Known("no driver took it", lambda t: t.storage(t.usb(f"{t.bus(t.pci(f'{PCI}/0000:00:14.0', XHCI), 2, '10000')}/2-1", "5000"), driver=None), refused=["no driver took"]),
    Known("a disk given up", both(usb("10000"), lambda t: t.file(f"{PCI}/0000:00:14.0/usb2/2-1/2-1:1.0/host0/target0:0:0/0:0:0:0/state", "offline")),
          {"sda": Truth("USB", "USB 10 Gb/s", ["gave it up after errors"])}),
    Known("a hub of 5 behind one of 10", hubs("10000", "5000", device="5000", said=bos(USB2, SS, plus(10))),
          {"sda": Truth("USB", "USB 5 Gb/s", held=["hub (2-1.1) that runs at USB 5 Gb/s"])}),
    Known("a hub of 5 before a drive of 5", hubs("5000", device="5000", said=SLOW_PAIR), {"sda": Truth("USB", "USB 5 Gb/s")}),
    Known("a hub below what it can do", hubs("5000", device="5000", said=SLOW_PAIR, hub=bos(USB2, SS, plus(10))),
          {"sda": Truth("USB", "USB 5 Gb/s", ["hub 2-1 linked at USB 5 Gb/s"])}),
    Known("fed by the bus alone", hubs("5000", device="5000", said=SLOW_PAIR, wants="896mA", fed="80"),
          {"sda": Truth("USB", "USB 5 Gb/s", ["asks for 4.5 W and its port gives 0.8 W"])}),
    # what stands for no hardware
    Known("a guest's disks", virtio, {"vda": Truth("virtual"), "sda": Truth("virtual")}),
    Known("a paravirtual disk", lambda t: t.disk("sys/devices/vbd-51712/block/xvda", "xvda"), {"xvda": Truth("virtual")}),
    Known("persistent memory", lambda t: t.disk("sys/devices/LNXSYSTM:00/ACPI0012:00/ndbus0/region0/namespace0.0/block/pmem0", "pmem0"),
          {"pmem0": Truth("persistent memory")}),
    Known("something that says nothing", lambda t: t.disk("sys/devices/platform/odd/block/odd0", "odd0"), {"odd0": Truth(None, port="odd")}),
]  # fmt: skip


def accusations(drive: Drive | None) -> set[str]:
    """Return what a drive's faults accuse, whatever is told of how it shows; a bad cable is a cable."""
    told = (f.rpartition(": ")[2] for f in (drive.faults if drive else ()))
    return {"cable or plug" if f.startswith("held down") else f for f in told}


class Machines(FolderCase):
    def built(self, number: int) -> Survey:
        tree = Tree(self.folder / str(number))
        tree.root.mkdir()
        MACHINES[number].build(tree)
        return machine.survey(root=tree.root)

    def agree(self, told: tuple[str, ...], wanted: list[str]) -> None:
        self.assertEqual(len(told), len(wanted), told)
        for words, sentence in zip(wanted, told, strict=True):
            self.assertIn(words, sentence)

    def check(self, drive: Drive, truth: Truth) -> None:
        self.assertEqual((drive.transport, drive.link), (truth.transport, truth.link))
        self.agree(drive.faults, truth.faults)
        self.agree(drive.ceilings, truth.held)
        if truth.port is not None:
            self.assertEqual(drive.port, truth.port)

    def test_every_machine_is_told_as_it_is_and_so_is_its_record(self) -> None:
        """Drives, links, faults, ceilings and what gives no drive; written down and looked at elsewhere it is the same survey."""
        self.assertGreaterEqual(len(MACHINES), 60)
        for number, known in enumerate(MACHINES):
            with self.subTest(known.what):
                found = self.built(number)
                self.assertEqual({d.name for d in found.drives}, set(known.drives))
                for drive in found.drives:
                    self.check(drive, known.drives[drive.name])
                self.agree(tuple(r.words for r in found.refused), known.refused)
                path = self.folder / "record.json"
                path.write_text(json.dumps(record(self.folder / str(number)).as_data()))
                with replayed(path) as (root, _):
                    again = machine.survey(root=root)
                self.assertEqual(
                    (again.drives, again.refused, again.tunnels), (found.drives, found.refused, found.tunnels)
                )

    def test_what_is_missing_or_mad_accuses_nobody(self) -> None:
        """Twenty-five machines, each with attributes gone: no fault that was not there; with mad ones: still a survey, and it can be shown."""
        rng = random.Random(16)
        for number, known in rng.sample(list(enumerate(MACHINES)), 25):
            whole = {d.name: d for d in self.built(number).drives}
            top = self.folder / str(number)
            attributes = sorted(p for p in top.rglob("*") if p.is_file() and not p.is_symlink())
            for path in rng.sample(attributes, min(2, len(attributes))):
                kept = path.read_bytes()
                path.unlink()
                for drive in machine.survey(root=top).drives:
                    before, after = (accusations(d) for d in (whole.get(drive.name), drive))
                    self.assertLessEqual(after, before, (known.what, path))
                path.write_bytes(rng.choice((b"", b"\xff\x00", b"-1", b"9" * 40, b"nonsense\n", b"0x")))
                survey_lines(machine.survey(root=top))
                path.write_bytes(kept)


class Alike(FolderCase):
    def surveyed(self, build: Callable[[Tree], object]) -> Survey:
        build(Tree(self.folder))
        return machine.survey(root=self.folder)

    def test_two_alike_are_told_apart_or_said_not_to_be(self) -> None:
        """By their ports where they show them; a serial that two show names neither."""
        found = self.surveyed(two_boards)
        (words,) = alike(found, found.drives[0])
        self.assertIn("sdb shows the same serial 0001: only the port tells them apart", words)
        with self.assertRaisesRegex(UsageError, "sda and sdb both show the serial 0001"):
            find_drive(found, "0001")
        self.assertEqual(find_drive(found, "sdb").name, "sdb")

    def test_what_gives_no_drive_comes_first_and_empty_slots_are_a_line(self) -> None:
        """The device without power with its name and port; a reader's empty slots not among what is wrong."""
        found = self.surveyed(both(reader, lambda t: t.pci(f"{PCI}/0000:01:00.0", DRIVE, G4)))
        told = first(found.drives, found.adapters, found.refused)
        self.assertIn("0000:01:00.0: an NVMe drive without a driver", told[0])
        self.assertEqual([t[:4] for t in told], ["0000", "sda:", "sda:"])

    def test_two_units_share_a_cable(self) -> None:
        """The two bays of a dock are told to share."""
        found = self.surveyed(dock)
        self.assertIn("sda and sdb share one cable (USB 10 Gb/s): 1,100 MB/s at most between them", first(found.drives))

    def test_slots_of_a_reader_have_their_own_names(self) -> None:
        """Slots of one name share a line."""

        def build(t: Tree) -> None:
            device = t.usb(f"{t.bus(t.pci(f'{PCI}/0000:00:14.0', XHCI), 2, '10000')}/2-3", "5000")
            for unit, (disk, name) in enumerate((("sda", "SD"), ("sdb", "CF"), ("sdc", "CF"))):
                folder = t.files(
                    f"{device}/2-3:1.0/host0/target0:0:0/0:0:0:{unit}", state="running", model=f"Duo {name}"
                )
                t.disk(f"{folder}/block/{disk}", disk, device="../..", size="0", removable="1")

        lines = shown(self.surveyed(build))
        self.assertRegex(lines, r"sda +Duo SD, empty slot\n *sdb, sdc +Duo CF, empty slots")


class AtRest(FolderCase):
    """A link at rest is looked at again while data moves, before anything is accused or refused."""

    def linked(self, awake: str) -> Callable[[Path], bool]:
        """Make a machine whose drive's link rests; return what stands for reading it: its link runs at `awake` meanwhile."""
        nvme(G4, G4, "2.5 x4")(Tree(self.folder))
        speed = self.folder / f"{PCI}/0000:00:01.0/0000:01:00.0/current_link_speed"

        def read(_: Path) -> bool:
            resting = speed.read_text()
            speed.write_text(f"{awake} GT/s PCIe")
            time.sleep(0.5)
            speed.write_text(resting)
            return True

        return read

    def test_a_survey_wakes_it_where_the_drive_may_be_read(self) -> None:
        """Awake at full speed it is no fault; as slow under load it is the slot; not readable, it may be at rest."""
        self.enterContext(patch.object(linkwatch, "LOOK_EVERY", 0.02))
        for awake, link, fault in (("16.0", "PCIe 4.0 x4", ()), ("2.5", "PCIe 1.0 x4", ("try another slot",))):
            with self.subTest(awake), patch.object(linkwatch, "_read_for_a_moment", self.linked(awake)):
                (drive,) = machine.survey(root=self.folder).drives
                self.assertEqual((drive.link, len(drive.faults), drive.ceilings), (link, len(fault), ()))
                for words, sentence in zip(fault, drive.faults, strict=True):
                    self.assertIn(words, sentence)
            shutil.rmtree(self.folder / "sys")

    def test_the_read_that_wakes_a_drive(self) -> None:
        """A device is read for a moment, a small one too; one that is not there, or may not be read, is not."""
        self.enterContext(patch.object(linkwatch, "READ_FOR", 0.02))
        self.enterContext(patch.object(os, "O_DIRECT", 0))  # where the tests' folder is in memory
        for size in (4096, 8 * linkwatch.READ_BYTES):
            (self.folder / "disk").write_bytes(bytes(size))
            self.assertTrue(linkwatch._read_for_a_moment(self.folder / "disk"))
        self.assertFalse(linkwatch._read_for_a_moment(self.folder / "gone"))
        self.assertFalse(linkwatch._read_for_a_moment(self.folder))

    def test_a_link_that_cannot_be_read_is_no_faster_one(self) -> None:
        """A look at a moment when the kernel shows no speed counts for nothing."""
        self.linked("16.0")
        resting = drive_of("nvme0n1", self.folder).steps
        blind = tuple(replace(s, link=None) for s in resting)
        self.assertEqual(linkwatch._faster(resting, blind), resting)
        self.assertEqual(linkwatch._faster((), blind), ())

    def test_a_runs_document_has_the_link_under_load(self) -> None:
        """Target, warnings and what is unexpected are those of the link under load; what it showed at rest is gone."""
        read, expect = self.linked("8.0"), Expect(link="PCIe 4.0 x4")
        facts = as_target(drive_of("nvme0n1", self.folder), "/x", "device", "nvme0n1")
        run = simulate(self.review(), "direct", passes=1).run
        run = run.changed(target=facts, warnings=list(facts.ceilings))
        self.enterContext(patch.object(linkwatch, "LOOK_EVERY", 0.02))
        with linkwatch.watched(facts, self.folder) as linked:
            read(self.folder)
            opening = Opened(Mock(), [], facts, seed=1, header={}, linked=linked, expect=(expect,))
            kept = opening.with_links_under_load(run)
        self.assertEqual(kept.target.link, "PCIe 3.0 x4")
        self.assertFalse(set(facts.ceilings) & set(kept.warnings))
        self.assertEqual(len(kept.unexpected), 1)
        self.assertIn(kept.unexpected[0], kept.warnings)

    def test_a_run_refuses_nothing_and_records_the_link_under_load(self) -> None:
        """What a setup expects of the link is asked of it under load."""
        self.enterContext(patch.object(linkwatch, "LOOK_EVERY", 0.02))
        for awake, kept, unlike in (("16.0", "PCIe 4.0 x4", 0), ("8.0", "PCIe 3.0 x4", 1)):
            read, expect = self.linked(awake), Expect(link="PCIe 4.0 x4")
            facts = as_target(drive_of("nvme0n1", self.folder), "/x", "device", "nvme0n1")
            self.assertEqual((facts.link, unexpected(expect, facts)), ("PCIe 1.0 x4", []))
            with linkwatch.watched(facts, self.folder) as linked:
                read(self.folder)
            known = linked.known()
            self.assertEqual((known.link, len(unexpected(expect, known)), len(known.faults)), (kept, unlike, unlike))
            warnings = linkwatch.warnings_under_load(["first", *facts.ceilings], facts, known)
            self.assertEqual(warnings, ["first", *known.faults, *known.ceilings])
            shutil.rmtree(self.folder / "sys")


if __name__ == "__main__":
    unittest.main()
