"""A machine under a folder, file by file as the kernel shows it, for tests of the survey.

Where an attribute's meaning comes from: PCI links, `removable`, device links: Documentation/ABI/testing/sysfs-bus-pci, sysfs-devices-removable,
sysfs-devices-supplier.  USB: ABI/stable and testing/sysfs-bus-usb.  Tunnels: testing/sysfs-bus-thunderbolt.  SATA: testing/sysfs-ata and
drivers/ata/libata-transport.c.  SAS, Fibre Channel, iSCSI: drivers/scsi/scsi_transport_*.c.  NVMe: drivers/nvme/host/sysfs.c and multipath.c.
Cards: drivers/mmc/core/debugfs.c, include/linux/mmc/host.h.  UFS: testing/sysfs-driver-ufs.
"""

from __future__ import annotations

import os
from pathlib import Path

PCI = "sys/devices/pci0000:00"
DRIVE, BRIDGE, XHCI, AHCI, SAS = "0x010802", "0x060400", "0x0c0330", "0x010601", "0x010700"


class Tree:
    """A machine's files under a folder; all paths are relative to it."""

    def __init__(self, root: Path) -> None:
        """Begin an empty machine."""
        self.root = root

    def file(self, path: str, text: str | bytes) -> None:
        """Write a file."""
        place = self.root / path
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(text if isinstance(text, bytes) else f"{text}\n".encode())

    def files(self, folder: str, **facts: str | bytes) -> str:
        """Write files of a folder; `__` stands for a slash.  Return the folder."""
        for name, text in facts.items():
            self.file(f"{folder}/{name.replace('__', '/')}", text)
        return folder

    def link(self, path: str, target: str) -> None:
        """Make a link by the way from where it stands."""
        place = self.root / path
        place.parent.mkdir(parents=True, exist_ok=True)
        place.symlink_to(os.path.relpath(self.root / target, place.parent.resolve()))

    def disk(self, folder: str, name: str, *, device: str = "..", **facts: str) -> None:
        """Make a disk in its folder, with its `device` beside it."""
        self.files(folder, **{"size": "2000000", "dev": f"8:{len(name) + sum(name.encode())}", **facts})
        self.link(f"{folder}/device", f"{folder}/{device}")
        for place in ("block", "class/block"):
            self.link(f"sys/{place}/{name}", folder)

    def pci(self, path: str, kind: str, most: str = "", runs: str = "", **facts: str) -> str:
        """Make a PCI device with its link at most and as it runs ('8.0 x4')."""
        self.files(path, **{"class": kind, **facts})
        for which, link in (("max", most), ("current", runs or most)):
            if link:
                speed, _, width = link.partition(" x")
                self.files(path, **{f"{which}_link_speed": f"{speed} GT/s PCIe", f"{which}_link_width": width})
        self.link(f"sys/bus/pci/devices/{path.rpartition('/')[2]}", path)
        return path

    def driver(self, path: str, name: str) -> str:
        """Bind a device to a driver."""
        self.link(f"{path}/driver", f"sys/bus/drivers/{name}")
        return path

    def nvme(self, pci: str, number: int = 0, *, state: str = "live", shown: bool = True, shared: bool = False) -> str:
        """Make an NVMe controller on a PCI device, with a namespace of its own, or a path to a shared one."""
        self.driver(pci, "nvme")
        folder = self.files(f"{pci}/nvme/nvme{number}", subsysnqn="nqn", state=state, transport="pcie", model="Reed 2")
        self.link(f"sys/class/nvme/nvme{number}", folder)
        if shown and not shared:
            self.disk(f"{folder}/nvme{number}n1", f"nvme{number}n1")
        if shared:
            self.hidden(folder, number)
        return folder

    def hidden(self, controller: str, number: int) -> None:
        """Make a controller's own, hidden disk of a shared namespace."""
        self.files(f"{controller}/nvme0c{number}n1", size="2000000")
        self.link(f"sys/block/nvme0c{number}n1", f"{controller}/nvme0c{number}n1")

    def shared(self, *controllers: str) -> None:
        """Make the one namespace that several controllers lead to."""
        top = self.files("sys/devices/virtual/nvme-subsystem/nvme-subsys0", model="Reed 2", serial="R-7")
        for controller in controllers:
            self.link(f"{top}/{controller.rpartition('/')[2]}", controller)
        self.disk(f"{top}/nvme0n1", "nvme0n1")

    def fabric(self, number: int, address: str, state: str = "live") -> str:
        """Make an NVMe controller on a network."""
        told = f"traddr={address},trsvcid=4420,src_addr=10.0.0.9"
        folder = self.files(f"sys/devices/virtual/nvme-fabrics/ctl/nvme{number}", subsysnqn="nqn", state=state,
                            transport="tcp", address=told, model="Reed 2")  # fmt: skip
        self.link(f"sys/class/nvme/nvme{number}", folder)
        self.hidden(folder, number)
        return folder

    def bus(self, top: str, number: int, speed: str) -> str:
        """Make a root hub."""
        folder = f"{top}/usb{number}"
        facts = {"speed": speed, "idVendor": "1d6b", "idProduct": "0003", "bDeviceClass": "09", "version": "3.10"}
        return self.files(folder, **facts)

    def usb(self, path: str, speed: str, *, hub: bool = False, configured: bool = True, **facts: str | bytes) -> str:
        """Make a USB device in its folder, with its interface of storage."""
        name = path.rpartition("/")[2]
        known: dict[str, str | bytes] = {"speed": speed, "version": "3.20", "rx_lanes": "1", "idVendor": "0f0f", "idProduct": "0001",
                                         "bDeviceClass": "09" if hub else "00", "authorized": "1",
                                         "bConfigurationValue": "1" if configured else ""}  # fmt: skip
        self.files(path, **{**known, **facts})
        self.link(f"sys/bus/usb/devices/{name}", path)
        return path

    def storage(self, usb: str, *disks: str, driver: str | None = "uas", **facts: str) -> None:
        """Give a USB device its interface, driver and disks: one for each unit."""
        interface = f"{usb}/{usb.rpartition('/')[2]}:1.0"
        self.file(f"{interface}/bInterfaceClass", "08")
        if driver:
            self.driver(interface, driver)
        for unit, disk in enumerate(disks):
            device = self.files(f"{interface}/host0/target0:0:0/0:0:0:{unit}", state="running")
            self.disk(f"{device}/block/{disk}", disk, device="../..", **facts)

    def ata(self, controller: str, number: int, spd: str, *, most: str = "6.0", allowed: str = "6.0", id76: int | None = 0b1110,
            down: int = 0, caps: str = "", disk: str = "", channel: int | None = None) -> str:  # fmt: skip
        """Make a SATA port with its link and drive, or one drive behind a port multiplier on it (`channel`)."""
        port = f"{controller}/ata{number}"
        link = f"link{number}" if channel is None else f"link{number}.{channel}"
        dev = f"dev{number}.{0 if channel is None else f'{channel}.0'}"
        told = {n: f"{v} Gbps" if v[0].isdigit() else v for n, v in
                (("sata_spd", spd), ("sata_spd_limit", allowed), ("hw_sata_spd_limit", most))}  # fmt: skip
        self.files(f"{port}/{link}/ata_link/{link}", **told)
        words = ["0000"] * 256
        words[76] = f"{id76 or 0:04x}"
        facts = {
            "spdn_cnt": str(down),
            "dma_mode": "XFER_UDMA_5",
            **({"id": " ".join(words)} if id76 is not None else {}),
        }
        self.files(f"{port}/{link}/{dev}/ata_device/{dev}", **facts)
        if caps:
            self.file(f"{port}/host0/scsi_host/host0/ahci_host_caps", caps)
        self.files(f"{port}/ata_port/ata{number}", port_no="1")
        if not (self.root / f"sys/class/ata_port/ata{number}").is_symlink():
            self.link(f"sys/class/ata_port/ata{number}", f"{port}/ata_port/ata{number}")
        if disk:
            device = self.files(f"{port}/host0/target0:{channel or 0}:0/0:{channel or 0}:0:0", state="running")
            self.disk(f"{device}/block/{disk}", disk, device="../..")
        return port

    def sas(self, way: str, rate: str, most: str, disk: str, protocols: str = "ssp") -> None:
        """Make a SAS end device with its lane; `way` is the port's folder."""
        number = way.rpartition("port-")[2]
        self.files(f"{way}/phy-{number}/sas_phy/phy-{number}", negotiated_linkrate=rate, maximum_linkrate_hw=most)
        end = f"{way}/end_device-{number}"
        self.files(f"{end}/sas_device/end_device-{number}", target_port_protocols=protocols, phy_identifier="3")
        device = self.files(f"{end}/target0:0:0/0:0:0:0", state="running")
        self.disk(f"{device}/block/{disk}", disk, device="../..")

    def card(self, host: str, kind: str, *, ios: tuple[int, int] | None = None, caps: str = "", caps2: str = "0x0", grade: str = "0",
             ext_csd: str = "") -> None:  # fmt: skip
        """Make a slot with a card: bus mode as (timing, width as a power of two)."""
        card = f"{host}/mmc_host/mmc0/mmc0:0001"
        status = f"{'0' * 28}{grade}{'0' * 99}"
        self.files(card, type=kind, name="CRUMB", serial="0x1", **({"ssr": status} if kind == "SD" else {}))
        self.link("sys/class/mmc_host/mmc0", f"{host}/mmc_host/mmc0")
        self.disk(f"{card}/block/mmcblk0", "mmcblk0", device="../..")
        if ios:
            self.file(
                "sys/kernel/debug/mmc0/ios", f"clock:\t\t5 Hz\nbus width:\t{ios[1]} (x)\ntiming spec:\t{ios[0]} (x)"
            )
        if caps:
            self.files("sys/kernel/debug/mmc0", caps=caps, caps2=caps2)
        if ext_csd:
            self.file("sys/kernel/debug/mmc0/mmc0:0001/ext_csd", f"{'00' * 196}{ext_csd}{'00' * 315}")

    def tunnel(self, nhi: str, *devices: tuple[str, str, str, str]) -> None:
        """Make tunnels of a controller: name, speed of a lane, lanes, generation; each hangs on the one before its last step."""
        for name, speed, lanes, generation in devices:
            domain = name.partition("-")[0]
            folder = f"{nhi}/domain{domain}/{domain}-0/{name}"
            self.files(folder, rx_speed=f"{speed} Gb/s", rx_lanes=lanes, generation=generation, device_name="Cask")
            self.link(f"sys/bus/thunderbolt/devices/{name}", folder)

    def tunnelled(
        self, port: str, depth: int = 1, *, removable: bool = True, own: str = "2.5 x4", inside: int = 0
    ) -> str:
        """Make so many devices of a tunnel, each a switch of two sides; return the last side.

        `own` is what the last side states; the box at the end has so many switches of its own lanes inside.
        """
        path, told = self.pci(f"{PCI}/{port}", BRIDGE, "2.5 x4"), {"removable": "removable"} if removable else {}
        for step in range(2 * depth):
            last = step == 2 * depth - 1 and not inside
            path = self.pci(f"{path}/0000:{1 + step:02x}:00.0", BRIDGE, own if last else "2.5 x4", **told)
        for step in range(2 * inside):
            path = self.pci(f"{path}/0000:{1 + 2 * depth + step:02x}:00.0", BRIDGE, "8.0 x4", **told)
        return path
