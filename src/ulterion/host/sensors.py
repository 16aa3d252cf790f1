"""Thermometers: those of the kernel's hardware monitoring, the drives' own logs, and commands of the reviewer's.

A sensor is read again and again while a load is on.  Reading one raises SensorError when it gives nothing now; what it
gives is in degrees Celsius, or watts for a sensor called 'power'.
"""

from __future__ import annotations

import shlex
from dataclasses import field
from pathlib import Path
from typing import Protocol

from ulterion.core.errors import UsageError, nearest
from ulterion.core.records import dataclass
from ulterion.core.soak.trace import DRIVE
from ulterion.core.text import visible
from ulterion.host import ata, commands, drives, nvme, tree
from ulterion.host.passthrough import LogError

PROBE_SECONDS = 5.0  # a probe that takes longer hangs
MAX_NAME_WIDTH = 60  # characters
PLAUSIBLE = (-60.0, 250.0)  # C; beyond it a number is no temperature


class SensorError(Exception):
    """A sensor gave nothing, and why."""


class Sensor(Protocol):
    """Something that can be read."""

    @property
    def name(self) -> str:
        """How it is called in a review."""

    @property
    def source(self) -> str:
        """Where it comes from."""

    @property
    def unit(self) -> str:
        """C or W."""

    @property
    def limit(self) -> float | None:
        """What it calls too hot, C."""

    def read(self) -> float:
        """Return the value now; raise SensorError."""


@dataclass(frozen=True)
class Hwmon:
    """A temperature of the kernel's hardware monitoring (kernel documentation, hwmon/sysfs-interface: millidegrees)."""

    name: str
    path: Path
    source: str
    unit: str = "C"
    limit: float | None = None

    def read(self) -> float:
        """Return degrees Celsius; raise SensorError."""
        millidegrees = tree.number(self.path)
        if millidegrees is None:
            raise SensorError("the kernel shows no value")
        return millidegrees / 1000.0


@dataclass(frozen=True)
class NvmeLog:
    """The composite temperature of an NVMe drive's health log, by ioctl; `number` 1 to 8 for one of its sensors."""

    name: str
    device: Path
    number: int = 0
    limit: float | None = None
    unit: str = "C"

    @property
    def source(self) -> str:
        """Where it comes from."""
        return f"health log of {self.device}" + (f", sensor {self.number}" if self.number else "")

    def read(self) -> float:
        """Return degrees Celsius; raise SensorError."""
        try:
            log = nvme.read_health(self.device)
        except LogError as error:
            raise SensorError(str(error)) from error
        value = log.sensors.get(self.number) if self.number else log.temperature
        if value is None:
            raise SensorError("the health log holds no such temperature")
        return value


@dataclass(frozen=True)
class AtaLog:
    """The current temperature of an ATA drive's own statistics, passed through SCSI commands."""

    name: str
    device: Path
    limit: float | None = None
    unit: str = "C"

    @property
    def source(self) -> str:
        """Where it comes from."""
        return f"device statistics of {self.device}"

    def read(self) -> float:
        """Return degrees Celsius; raise SensorError."""
        try:
            return ata.read_temperature(self.device).current
        except LogError as error:
            raise SensorError(str(error)) from error


@dataclass(frozen=True)
class Probe:
    """A command of the reviewer's that prints one number."""

    name: str
    words: tuple[str, ...]
    unit: str = "C"
    limit: float | None = None
    seconds: float = field(default=PROBE_SECONDS)

    @property
    def source(self) -> str:
        """The command."""
        return f"command {shlex.join(self.words)}"

    def read(self) -> float:
        """Run the command, without a shell; raise SensorError when it hangs, dies, or prints something else."""
        try:
            done = commands.run(self.words, self.seconds)
        except commands.CommandError as error:
            raise SensorError(str(error)) from error
        if done.status != 0:
            told = (done.err.strip().splitlines() or [""])[-1][:80]
            raise SensorError(f"ended with status {done.status}{': ' + told if told else ''}")
        return number_in(done.out, self.unit)


def number_in(text: str, unit: str) -> float:
    """Return the one number that a probe printed; raise SensorError where it is not a number, or the value is not plausible."""
    shown = " ".join(text.split())[:60]
    try:
        value = float(shown)
    except ValueError as error:
        raise SensorError(f"printed '{shown}' instead of one number") from error
    low, high = PLAUSIBLE if unit == "C" else (0.0, 1e5)
    if not low <= value <= high:
        raise SensorError(f"printed {shown}, which cannot be {unit}")
    return value


def parse_probe(text: str) -> Probe:
    """Read 'NAME=COMMAND'; raise UsageError.  A probe called 'power' gives watts."""
    name, equals, command = text.partition("=")
    try:
        words = tuple(shlex.split(command))
    except ValueError as error:
        raise UsageError(f"--probe '{text}': {error}; write it like --probe 'case=my-thermometer --celsius'") from error
    _check_name("--probe", name)
    if not equals or not name.strip() or not words:
        raise UsageError(f"--probe '{text}' is not NAME=COMMAND; write it like --probe 'case=my-thermometer --celsius'")
    return Probe(name.strip(), words, "W" if name.strip() == "power" else "C")


def _check_name(option: str, name: str) -> None:
    if len(name) > MAX_NAME_WIDTH or visible(name) != name:
        raise UsageError(
            f"{option}: a sensor's name has at most {MAX_NAME_WIDTH} printable characters, unlike '{name}'"
        )


def tried(sensor: Sensor) -> Sensor:
    """Read a sensor once, so that a wrong one is told before anything starts; raise UsageError."""
    try:
        sensor.read()
    except SensorError as error:
        raise UsageError(f"sensor '{sensor.name}' ({sensor.source}) {error}; correct it, or leave it out") from error
    return sensor


def hwmon_sensors(root: Path = Path("/")) -> dict[str, Hwmon]:
    """Return every temperature the kernel's hardware monitoring shows, by 'chip/label'."""
    by_name: dict[str, Hwmon] = {}
    for folder in sorted((root / "sys/class/hwmon").glob("hwmon*")):
        chip = tree.text(folder / "name") or folder.name
        for path in sorted(folder.glob("temp*_input")):
            label = tree.text(folder / path.name.replace("_input", "_label")) or path.name.removesuffix("_input")
            key = f"{chip}/{label}"
            if key in by_name:
                key = f"{chip}/{label} ({folder.name})"
            by_name[key] = Hwmon(key, path, f"hwmon {key}", limit=_limit(path))
    return by_name


def _limit(path: Path) -> float | None:
    """Return the temperature above which the chip warns, C."""
    for ending in ("_max", "_crit"):
        value = tree.number(path.with_name(path.name.replace("_input", ending)))
        if value is not None and 0 < value < 200_000:
            return value / 1000.0
    return None


def parse_sensor(text: str, root: Path = Path("/")) -> Hwmon:
    """Read 'NAME=CHIP/LABEL', one of `hwmon_sensors`; raise UsageError with the near name."""
    name, equals, wanted = text.partition("=")
    _check_name("--sensor", name)
    known = hwmon_sensors(root)
    if not equals or not name.strip():
        raise UsageError(f"--sensor '{text}' is not NAME=CHIP/LABEL; this machine has: {', '.join(known) or 'none'}")
    if wanted not in known:
        near = nearest(wanted, known)
        hint = f"did you mean '{near}'?" if near else f"this machine has: {', '.join(known) or 'none'}"
        raise UsageError(f"--sensor '{text}': no sensor '{wanted}'; {hint}")
    sensor = known[wanted]
    return Hwmon(name.strip(), sensor.path, sensor.source, limit=sensor.limit)


def of_disk(disk: str, root: Path = Path("/")) -> tuple[list[Sensor], str]:
    """Return the sensors of a disk, its main one called 'drive', or none and why, in words.

    The kernel's hardware monitoring first; then the drive's own log, which only root may ask for.
    """
    sensors: list[Sensor] = []
    for folder in drives.hwmon_folders(disk, root):
        chip = tree.text(folder / "name") or folder.name
        for path in sorted(folder.glob("temp*_input")):
            label = tree.text(folder / path.name.replace("_input", "_label")) or path.name.removesuffix("_input")
            name = DRIVE if not sensors else f"{DRIVE} {label.casefold()}"
            sensors.append(Hwmon(name, path, f"hwmon {chip}/{label}", limit=_limit(path)))
    if sensors:
        return sensors, ""
    device = root / "dev" / disk
    own: Sensor
    if disk.startswith("nvme"):
        own = NvmeLog(DRIVE, device, limit=nvme.read_limit(device))
    else:
        own = AtaLog(DRIVE, device, limit=ata.read_limit(device))
    try:
        own.read()
    except SensorError as error:
        return [], f"the kernel ties no thermometer to {disk}, and its own log could not be read: {error}"
    return [own], ""


def counters_of(disk: str, root: Path = Path("/")) -> dict[str, float]:
    """Return what a drive counts itself (throttling, time too hot, bytes written); empty when it cannot be asked."""
    device = root / "dev" / disk
    try:
        return nvme.read_health(device).counters if disk.startswith("nvme") else ata.read_counters(device)
    except LogError:
        return {}
