r"""Windows: drives from its management interface (CIM classes Win32_DiskDrive, MSFT_PhysicalDisk, MSFT_Disk, ...), asked through PowerShell.

The shapes are those of Microsoft's documentation of these classes; the texts that this is tested with are made up in them.  Never
tried on a real Windows.  The speed of a USB link is in none of them, and is missing.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace

from ulterion.core.facts.devices import Drive, Survey, Volume
from ulterion.core.facts.target import BenchFacts
from ulterion.core.links.chain import Step, ceilings, faults
from ulterion.host.other_systems import shapes
from ulterion.host.other_systems.shapes import Entry, entries, switch, text, whole

SCRIPT = r"""
$ErrorActionPreference = 'SilentlyContinue'
[Console]::OutputEncoding = [System.Text.Encoding]::UTF8
$storage = 'root/Microsoft/Windows/Storage'
$drives = @(Get-CimInstance Win32_DiskDrive | Select-Object Index, PNPDeviceID, Model, SerialNumber, FirmwareRevision, Size)
$devices = @{}
foreach ($drive in $drives) {
  $id = $drive.PNPDeviceID
  foreach ($step in 1..16) {
    if (-not $id -or $devices.ContainsKey($id)) { break }
    $keys = 'DEVPKEY_Device_Parent', 'DEVPKEY_Device_Service', 'DEVPKEY_Device_FriendlyName', 'DEVPKEY_Device_DeviceDesc'
    $found = @{}
    Get-PnpDeviceProperty -InstanceId $id -KeyName $keys | ForEach-Object { $found[$_.KeyName.Split('_')[-1]] = $_.Data }
    $devices[$id] = $found
    $id = $found['Parent']
  }
}
@{
  drives = $drives
  devices = $devices
  physical = @(Get-CimInstance -Namespace $storage MSFT_PhysicalDisk |
    Select-Object DeviceId, BusType, MediaType, LogicalSectorSize, PhysicalSectorSize, FirmwareVersion)
  disks = @(Get-CimInstance -Namespace $storage MSFT_Disk | Select-Object Number, IsSystem, IsBoot, IsReadOnly)
  partitions = @(Get-CimInstance -Namespace $storage MSFT_Partition |
    Select-Object DiskNumber, PartitionNumber, DriveLetter, Size, AccessPaths)
  volumes = @(Get-CimInstance -Namespace $storage MSFT_Volume | Select-Object DriveLetter, Path, FileSystem, Size, SizeRemaining)
  system = Get-CimInstance Win32_ComputerSystem | Select-Object Manufacturer, Model, TotalPhysicalMemory
  processor = Get-CimInstance Win32_Processor | Select-Object -First 1 Name
} | ConvertTo-Json -Depth 5 -Compress
"""
COMMAND = ("powershell.exe", "-NoProfile", "-NonInteractive", "-Command", SCRIPT)
BUSES = {
    3: "ATA",
    7: "USB",
    8: "RAID",
    9: "iSCSI",
    10: "SAS",
    11: "SATA",
    12: "SD",
    13: "eMMC",
    14: "virtual",
    15: "virtual",
    17: "NVMe",
}
"""BusType of MSFT_PhysicalDisk, as transports."""
HDD = 3  # MediaType of MSFT_PhysicalDisk
DRIVERS = {"uaspstor": "uas", "usbstor": "usb-storage", "stornvme": "nvme", "storahci": "ahci"}
"""Services that drive storage, by the names that the same drivers have here."""
MAX_STEPS = 16


def survey(said_text: str) -> Survey:
    """Return what the text shows; what it lacks is missing."""
    said = shapes.parsed(said_text)
    physical = {whole(e.get("DeviceId")): e for e in entries(said.get("physical"))}
    disks = {whole(e.get("Number")): e for e in entries(said.get("disks"))}
    volumes = list(_volumes(said))
    found = []
    for one in entries(said.get("drives")):
        index = whole(one.get("Index"))
        if index is not None:
            mine = tuple(v for at, v in volumes if at == index)
            found.append(
                _drive(index, one, physical.get(index, {}), disk=disks.get(index, {}), said=said, volumes=mine)
            )
    return Survey(_bench(said), tuple(sorted(found, key=lambda d: (len(d.name), d.name))))


def _drive(index: int, one: Entry, physical: Entry, disk: Entry, said: Entry, *, volumes: tuple[Volume, ...]) -> Drive:
    steps = _steps(text(one.get("PNPDeviceID")), shapes.entry(said.get("devices")))
    kind, driver = whole(physical.get("MediaType")), next((s.driver for s in reversed(steps) if s.driver), None)
    system = [switch(disk.get(key)) for key in ("IsSystem", "IsBoot")]
    return Drive(
        name=f"PhysicalDrive{index}",
        transport=BUSES.get(whole(physical.get("BusType")) or -1),
        model=_without_bus(text(one.get("Model"))),
        serial=_serial(text(one.get("SerialNumber"))),
        firmware=text(one.get("FirmwareRevision")) or text(physical.get("FirmwareVersion")),
        port=_port(steps),
        driver=driver,
        steps=steps,
        faults=tuple(faults(steps)),
        ceilings=tuple(ceilings(steps)),
        size=whole(one.get("Size")),
        logical_block=whole(physical.get("LogicalSectorSize")),
        physical_block=whole(physical.get("PhysicalSectorSize")),
        rotational=None if kind in (None, 0) else kind == HDD,
        read_only=switch(disk.get("IsReadOnly")),
        volumes=volumes,
        no_temperature="Windows shows a drive's temperature to administrators only; use --probe, or note it",
        system=any(s is True for s in system),
    )


def _without_bus(model: str | None) -> str | None:
    """Return a model without what Windows puts behind it."""
    return re.sub(r"\s+(USB|SCSI Disk|ATA|NVMe)?\s*Device$", "", model, flags=re.IGNORECASE) or None if model else None


def _serial(serial: str | None) -> str | None:
    """Return a serial number without the dot that stands behind those of NVMe drives, and without those that say nothing."""
    bare = (serial or "").rstrip(".").strip()
    return bare if bare.strip("0_ ") else None


def _steps(device: str | None, devices: Entry) -> tuple[Step, ...]:
    """Return the chain from the host's controller to the drive, as far as its devices' parents are told."""
    steps: list[Step] = []
    seen: set[str] = set()
    while device is not None and device not in seen and len(steps) < MAX_STEPS:
        seen.add(device)
        known = shapes.entry(devices.get(device))
        role = _role(device, known, first=not steps)
        if role is not None:
            service = (text(known.get("Service")) or "").casefold()
            title = text(known.get("FriendlyName")) or text(known.get("DeviceDesc"))
            driver = DRIVERS.get(service) if role in ("bridge", "drive", "controller") else None
            steps.append(Step(role, device, title=title, driver=driver))
        if role == "controller":
            break
        device = text(known.get("Parent"))
    return tuple(reversed(steps))


def _role(device: str, known: Entry, *, first: bool) -> str | None:
    """Return the role of a device by the beginning of its identifier; None where it has no part in the chain."""
    bus, _, rest = device.upper().partition("\\")
    if bus == "PCI":
        return "controller"
    if bus == "USB":
        service = (text(known.get("Service")) or "").casefold()
        return "root hub" if rest.startswith("ROOT_HUB") else "hub" if service.startswith("usbhub") else "bridge"
    return "drive" if first else None


def _port(steps: tuple[Step, ...]) -> str | None:
    """Return where a USB device is plugged in: what Windows puts behind its last backslash where it has no serial number, else nothing that is known."""
    bridge = next((s for s in steps if s.role == "bridge"), None)
    place = bridge.name.rpartition("\\")[2] if bridge is not None else ""
    return f"usb {place}" if "&" in place else None


def _volumes(said: Entry) -> Iterator[tuple[int | None, Volume]]:
    """Yield each partition with its disk's number: its letter, and what the volume on it says."""
    known = entries(said.get("volumes"))
    for one in entries(said.get("partitions")):
        disk, number, letter = (
            whole(one.get("DiskNumber")),
            whole(one.get("PartitionNumber")),
            _letter(one.get("DriveLetter")),
        )
        paths = one.get("AccessPaths")
        mine = {p for p in paths if isinstance(p, str)} if isinstance(paths, list) else set()
        volume: Entry = next(
            (v for v in known if (letter and _letter(v.get("DriveLetter")) == letter) or text(v.get("Path")) in mine),
            {},
        )
        place = f"{letter}:\\" if letter else min((p for p in mine if not p.startswith("\\\\?\\")), default=None)
        yield (
            disk,
            Volume(
                f"disk {disk} partition {number}",
                size=whole(one.get("Size")),
                filesystem=(text(volume.get("FileSystem")) or "").casefold() or None,
                mounted=place,
                free=whole(volume.get("SizeRemaining")),
            ),
        )


def _letter(found: object) -> str | None:
    """Return a drive's letter, which is written as a text, or as its number among the signs."""
    one = chr(found) if isinstance(found, int) and not isinstance(found, bool) and 0 < found < 128 else text(found)
    return one.upper() if one is not None and re.fullmatch("[A-Za-z]", one) else None


def _bench(said: Entry) -> BenchFacts:
    (system, *_), (processor, *_) = (entries(said.get(k)) or [{}] for k in ("system", "processor"))
    names = [text(system.get(k)) for k in ("Manufacturer", "Model")]
    return replace(
        BenchFacts("unknown"),
        cpu=text(processor.get("Name")),
        memory_bytes=whole(system.get("TotalPhysicalMemory")),
        model=" ".join(n for n in names if n) or None,
    )
