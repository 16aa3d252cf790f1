"""What was really there when a run was done: the target and the bench.  A fact that is not known stays None."""

from __future__ import annotations

from dataclasses import field

from ulterion.core.links.chain import Step
from ulterion.core.records import dataclass
from ulterion.core.text import AnyName

NETWORK_FILESYSTEMS = ("nfs", "nfs4", "cifs", "smb3", "9p", "fuse.sshfs", "afs", "ceph", "virtiofs")


@dataclass(frozen=True)
class NetworkEnd:
    """One end of a network: a machine and the adapter it uses.

    Attributes:
        host: name of the machine; `address` that it has there.
        adapter: the kernel's name of the adapter; `driver` its driver.
        link: negotiated rate, named as in `ulterion.core.links.standards`.
        duplex: 'full' or 'half'.
        mtu: bytes of the largest packet.
        radio: whether it is one without a cable.
        made_up: whether the adapter is not hardware (a bridge, a tunnel, one of a pair).
    """

    host: str | None = None
    address: str | None = None
    adapter: str | None = None
    driver: str | None = None
    link: str | None = None
    duplex: str | None = None
    mtu: int | None = None
    radio: bool | None = None
    made_up: bool | None = None


@dataclass(frozen=True)
class NetworkFacts:
    """A network between two benches: this end, and the peer's as it says itself."""

    here: NetworkEnd = NetworkEnd()
    there: NetworkEnd = NetworkEnd()


@dataclass(frozen=True)
class TargetFacts:
    """What was tested.

    Attributes:
        path: as given by the reviewer, made absolute.
        kind: 'folder', 'file', 'device', 'network' or 'simulated'.
        device: kernel name of the disk, such as 'sda'.
        model, serial, firmware: as the device states them.
        transport: 'USB', 'NVMe', 'SATA', 'SD', 'virtual', ...
        link: negotiated link, named as in `ulterion.core.links.standards`.
        driver: kernel driver of the bridge or device.
        capacity_bytes: of the disk.
        filesystem: type of the file system, and `mount_options` those that bear on a measurement.
        filesystem_bytes, free_bytes: size of the file system, and what was free before the run.
        logical_block, physical_block: bytes.
        rotational: whether the kernel takes it for a spinning disk.
        system_disk: whether the running system lives on it.
        temperature: degrees Celsius inside the drive at the start.
        port: where it is plugged in, by controller and port.
        steps: the chain from the host's controller to the drive.
        faults: what is wrong with that chain, in words; `ceilings` what holds the drive back in it though nothing is wrong.
        attachment: which connection this was: equal for two runs between which the drive was not taken away.
        network: both ends of a network; `link`, `driver` and `steps` are then those of the adapter here.
    """

    path: AnyName | str
    kind: str
    device: str | None = None
    model: str | None = None
    serial: str | None = None
    firmware: str | None = None
    transport: str | None = None
    link: str | None = None
    driver: str | None = None
    capacity_bytes: int | None = None
    filesystem: str | None = None
    mount_options: str | None = None
    filesystem_bytes: int | None = None
    free_bytes: int | None = None
    logical_block: int | None = None
    physical_block: int | None = None
    rotational: bool | None = None
    system_disk: bool | None = None
    temperature: float | None = None
    port: str | None = None
    steps: tuple[Step, ...] = ()
    faults: tuple[str, ...] = ()
    attachment: str | None = None
    ceilings: tuple[str, ...] = ()
    network: NetworkFacts | None = None

    @property
    def fill(self) -> float | None:
        """Share of the file system in use before the run."""
        if not self.filesystem_bytes or self.free_bytes is None:
            return None
        return 1 - self.free_bytes / self.filesystem_bytes


BY_HAND = "by hand"
"""The kind of a target that no program ran on, and the bench of transfers timed with a stopwatch."""


@dataclass(frozen=True)
class BenchFacts:
    """The host and the room.

    Attributes:
        host: name of the machine.
        system: operating system and kernel release.
        cpu: processor model.
        cores: logical processors.
        memory_bytes: main memory.
        versions: versions of Ulterion, Python and NumPy.
        room_temperature: degrees Celsius, as the review states it.
        model: maker and model of the host.
        governor: how the processor's clock is governed.
        power: 'mains' or 'battery'.
        drivers: versions of the storage drivers that state one.
        request_cost: what a request costs the program itself, one at a time, seconds; `request_cost_deep` with many in flight.
        uncompiled: why the timed loops ran uncompiled, None where they were compiled.
    """

    host: str
    system: str | None = None
    cpu: str | None = None
    cores: int | None = None
    memory_bytes: int | None = None
    versions: dict[str, str] = field(default_factory=dict)
    room_temperature: float | None = None
    model: str | None = None
    governor: str | None = None
    power: str | None = None
    drivers: dict[str, str] = field(default_factory=dict)
    request_cost: float | None = None
    request_cost_deep: float | None = None
    uncompiled: str | None = None
