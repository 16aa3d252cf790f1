"""Disks of the kernel's SCSI layer and others that hang on no USB, NVMe, SATA or card bus: how each is attached, by the folders above it.

Names as the kernel's transports give them: 'end_device-H:C' and 'phy-H:N' of SAS, 'rport-' of Fibre Channel, 'sessionN' of iSCSI (drivers/scsi/
scsi_transport_*.c), 'virtioN', 'vbd-N' of paravirtual machines; UFS by the folders its driver makes (Documentation/ABI/testing/sysfs-driver-ufs).
"""

from __future__ import annotations

import re
from pathlib import Path

from ulterion.core.links.chain import Step
from ulterion.core.links.standards import Link, known_link
from ulterion.core.patterns import pattern
from ulterion.core.records import dataclass
from ulterion.host import pcie, tree

SAS_RATES = {
    "1.5 Gbit": "SATA 1.5 Gb/s",
    "3.0 Gbit": "SAS 3 Gb/s",
    "6.0 Gbit": "SAS 6 Gb/s",
    "12.0 Gbit": "SAS 12 Gb/s",
    "22.5 Gbit": "SAS 22.5 Gb/s",
}
TUNNELLED = {"SAS 3 Gb/s": "SATA 3 Gb/s", "SAS 6 Gb/s": "SATA 6 Gb/s"}  # of SATA drives on SAS ports
VIRTUAL = pattern(r"virtio\d+|vbd-\d+|adapter\d+|nbd\d*|[0-9a-f]{8}-(?:[0-9a-f]{4}-){3}[0-9a-f]{12}")
"""Devices of a hypervisor's buses (the last: channels of VMBus), of the SCSI layer's own test driver, and such."""
ELSEWHERE = {
    r"session\d+": "iSCSI",
    r"rport-[\d:-]+": "Fibre Channel",
    r"fw\d+\.\d+": "FireWire",
    r"ndbus\d+": "persistent memory",
    r"vmbus.*": "virtual",
}

RAID = "0x0104"  # PCI class of RAID controllers (PCI Code and ID Assignment 1.11, 1.2)


@dataclass(frozen=True)
class Attached:
    """How a disk is attached: its transport, its link where one is shown, and its driver."""

    transport: str
    link: Link | None = None
    driver: str | None = None


def is_virtual(folder: Path) -> bool:
    """Return whether a folder is a device that stands for no hardware."""
    return VIRTUAL.fullmatch(folder.name) is not None or folder.name == "virtual"


def look(folder: Path) -> Attached | None:
    """Return how a disk is attached if this folder above it tells, else None."""
    if is_virtual(folder):
        return Attached("virtual", None, tree.name_of_link(folder / "driver"))
    if re.fullmatch(r"end_device-[\d:]+", folder.name):
        return Attached("SAS", sas_link(folder), tree.driver_above(folder))
    gear = ufs_link(folder)
    if gear is not None or is_ufs(folder):
        return Attached("UFS", gear, tree.name_of_link(folder / "driver"))
    transport = next((t for pattern, t in ELSEWHERE.items() if re.fullmatch(pattern, folder.name)), None)
    return Attached(transport, None, tree.driver_above(folder)) if transport is not None else None


def look_again(host: Path) -> Attached | None:
    """Return how a disk is attached on whose way nothing tells: by its SCSI host alone, as a RAID controller's volume, or an old bus."""
    owner = host.parent
    if not re.fullmatch(r"host\d+", host.name):
        return None
    driver, kind = tree.name_of_link(owner / "driver"), tree.text(owner / "class") or ""
    told = driver is not None or kind.startswith("0x")
    return Attached("RAID" if kind.startswith(RAID) else "SCSI", None, driver) if told else None


def sas_step(folder: Path) -> Step | None:
    """Return the link of a SAS or SATA drive on a SAS port, or the expander before it; None when the folder is neither."""
    if not re.fullmatch(r"(end_device|expander)-[\d:]+", folder.name):
        return None
    expander = folder.name.startswith("expander")
    port = _port_capable(folder)
    return Step(
        role="hub" if expander else "bridge",
        name=folder.name,
        title="SAS expander" if expander else "SAS port",
        driver=None,
        link=sas_link(folder),
        capable=None,
        port_capable=port,
    )


def sas_link(folder: Path) -> Link | None:
    """Return what the first lane to a SAS device runs at; a SATA drive's is that of SATA."""
    rate = next((tree.text(p / "negotiated_linkrate") for p in _phys(folder)), None)
    name = SAS_RATES.get(rate or "")
    protocols = tree.text(folder / "sas_device" / folder.name / "target_port_protocols") or ""
    if name is not None and "sata" in protocols.lower():
        name = TUNNELLED.get(name, name)
    return known_link(name)


def _port_capable(folder: Path) -> Link | None:
    rate = next((tree.text(p / "maximum_linkrate_hw") for p in _phys(folder)), None)
    return known_link(SAS_RATES.get(rate or ""))


def _phys(folder: Path) -> list[Path]:
    """Return the lanes of the port that a SAS device hangs on: links of the port's folder."""
    return [p / "sas_phy" / p.name for p in sorted(folder.parent.glob("phy-*"))]


def is_ufs(folder: Path) -> bool:
    """Return whether a folder is a UFS host controller: on the chip by its name, on PCI by its driver, or by what the driver makes."""
    if folder.name.endswith((".ufs", ".ufshc")):
        return True
    if pcie.ADDRESS.fullmatch(folder.name):
        return (tree.name_of_link(folder / "driver") or "").startswith("ufshcd")
    return (folder / "device_descriptor").is_dir()


def ufs_link(folder: Path) -> Link | None:
    """Return the link of a UFS host: its gear over its lanes at rate series B."""
    power = folder / "power_info"
    gear = re.fullmatch(r"(?:HS_)?GEAR(\d)", tree.text(power / "gear") or "")
    lanes, rate = tree.number(power / "lane"), tree.text(power / "rate")
    return known_link(f"UFS HS-G{gear[1]} x{lanes}") if gear and rate == "HS_RATE_B" else None


def ufs_step(folder: Path) -> Step | None:
    """Return a UFS host with its link, or None where the folder is not one."""
    return (
        Step("slot", folder.name, "UFS", tree.name_of_link(folder / "driver"), ufs_link(folder))
        if is_ufs(folder)
        else None
    )


def is_boot_unit(block: Path) -> bool:
    """Return whether a disk is a boot unit of a UFS device (unit_descriptor/boot_lun_id: 0 for those that are none)."""
    return (tree.number(block / "device/unit_descriptor/boot_lun_id") or 0) > 0
