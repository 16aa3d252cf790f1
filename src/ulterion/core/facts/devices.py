"""What a survey of a machine finds, as plain facts; unknown values are None."""

from __future__ import annotations

from dataclasses import field

from ulterion.core.errors import UsageError
from ulterion.core.facts.target import BenchFacts, TargetFacts
from ulterion.core.links.chain import Step
from ulterion.core.links.standards import known_link
from ulterion.core.records import dataclass
from ulterion.core.units import show_rate


@dataclass(frozen=True)
class Volume:
    """A partition, or a file system on the whole drive.

    Attributes:
        name: the kernel's name.
        size: bytes.
        filesystem, mounted, options: of its mount, None when it is not mounted.
        free: bytes free for a user.
        part_of: what it is a part of, or used as, where it is not mounted itself.
    """

    name: str
    size: int | None = None
    filesystem: str | None = None
    mounted: str | None = None
    options: str | None = None
    free: int | None = None
    part_of: tuple[str, ...] = ()


@dataclass(frozen=True)
class Drive:
    """One storage device.

    Attributes:
        name: the kernel's name.
        transport: USB, NVMe, SATA, SD, eMMC, virtual, ...
        port: where it is plugged in, by controller and port, the same after a restart.
        steps: the chain from the host's controller to the drive.
        faults: what is wrong with the chain, in words.
        ceilings: what holds it below what it could do elsewhere though nothing is wrong, in words.
        size, logical_block, physical_block: bytes.
        queue_depth: commands that the kernel sends at once.
        write_cache: 'write back' or 'write through', as the drive states it.
        temperature: C; `no_temperature` why there is none.
        health: what its own log counts.
        system: whether the running system lives on it.
        paths: of one that several controllers lead to, each in words.
        empty: whether it is a slot without a medium.
    """

    name: str
    transport: str | None = None
    model: str | None = None
    serial: str | None = None
    firmware: str | None = None
    port: str | None = None
    link: str | None = None
    driver: str | None = None
    steps: tuple[Step, ...] = ()
    faults: tuple[str, ...] = ()
    ceilings: tuple[str, ...] = ()
    size: int | None = None
    logical_block: int | None = None
    physical_block: int | None = None
    rotational: bool | None = None
    removable: bool | None = None
    read_only: bool | None = None
    queue_depth: int | None = None
    write_cache: str | None = None
    volumes: tuple[Volume, ...] = ()
    temperature: float | None = None
    no_temperature: str = ""
    health: dict[str, float] = field(default_factory=dict)
    system: bool = False
    paths: tuple[str, ...] = ()
    empty: bool = False


def as_target(
    drive: Drive | None,
    path: str,
    kind: str,
    device: str | None,
    *,
    filesystem: str | None = None,
    mount_options: str | None = None,
    filesystem_bytes: int | None = None,
    free_bytes: int | None = None,
    serial: str | None = None,
    attachment: str | None = None,
) -> TargetFacts:
    """Return the facts of a target on a drive (None: on none that is known); `serial` where it is not the drive's own."""
    one = drive or Drive("")
    return TargetFacts(
        path=path,
        kind=kind,
        device=device,
        model=one.model,
        serial=serial or one.serial,
        firmware=one.firmware,
        transport=one.transport,
        link=one.link,
        driver=one.driver,
        capacity_bytes=one.size,
        filesystem=filesystem,
        mount_options=mount_options,
        filesystem_bytes=filesystem_bytes,
        free_bytes=free_bytes,
        logical_block=one.logical_block,
        physical_block=one.physical_block,
        rotational=one.rotational,
        system_disk=one.system if drive else None,
        temperature=one.temperature,
        port=one.port,
        steps=one.steps,
        faults=one.faults,
        ceilings=one.ceilings,
        attachment=attachment,
    )


@dataclass(frozen=True)
class Adapter:
    """A network adapter.

    Attributes:
        name: the kernel's name.
        link: negotiated rate as a link name.
        driver: its driver.
        state: 'up', 'switched off', 'no carrier' or None.
        steps: the chain when it sits on a bus.
        radio: whether it is one without a cable.
        half: whether it sends and receives in turns only (half duplex).
        faults: what is wrong with its chain, or may be, in words.
    """

    name: str
    link: str | None = None
    driver: str | None = None
    state: str | None = None
    steps: tuple[Step, ...] = ()
    radio: bool = False
    half: bool = False
    faults: tuple[str, ...] = ()

    @property
    def held(self) -> str | None:
        """What carries less than its own link, in words, or None: an adapter of 1 Gb/s on a bus of 480 Mb/s."""
        link, bus = known_link(self.link), next((s for s in reversed(self.steps) if s.link is not None), None)
        if link is None or bus is None or bus.link is None or bus.link.practical_high >= link.practical_low:
            return None
        return f"linked at {link}, on a bus of {bus.link}: {show_rate(bus.link.practical_high)} at most in practice"


@dataclass(frozen=True)
class Tunnel:
    """A Thunderbolt or USB4 device: its name, and speed and lanes of its link as the kernel shows them."""

    name: str
    title: str | None = None
    speed: str | None = None
    lanes: int | None = None


@dataclass(frozen=True)
class Refused:
    """Something that is plugged in and gives no drive: its name, why in words, what it is, where."""

    name: str
    words: str
    title: str | None = None
    port: str | None = None


@dataclass(frozen=True)
class Survey:
    """A machine: its facts, drives, network adapters and tunnels, what root would add, what gives no drive, slots without a card, and doubts about all of it."""

    bench: BenchFacts
    drives: tuple[Drive, ...] = ()
    adapters: tuple[Adapter, ...] = ()
    tunnels: tuple[Tunnel, ...] = ()
    root_would_add: tuple[str, ...] = ()
    refused: tuple[Refused, ...] = ()
    empty_slots: tuple[str, ...] = ()
    doubts: tuple[str, ...] = ()

    def drive_called(self, name: str) -> Drive | None:
        """Return the drive of a kernel name or serial number, or None; raise UsageError where two show that serial number."""
        bare = name.removeprefix("/dev/")
        matching = [d for d in self.drives if bare in (d.name, d.serial)]
        if len(matching) > 1:
            names = " and ".join(d.name for d in matching)
            raise UsageError(f"{names} both show the serial {bare}; name the drive you mean by its kernel name")
        return next(iter(matching), None)


@dataclass(frozen=True)
class Change:
    """What happened to a drive between two surveys: 'came', 'went' or 'changed', and what changed in words."""

    what: str
    drive: Drive
    words: str = ""


def changes(before: Survey, after: Survey) -> list[Change]:
    """Return which drives came and went and what changed, by their kernel names."""
    old, new = {d.name: d for d in before.drives}, {d.name: d for d in after.drives}
    all_changes = [Change("went", d) for n, d in old.items() if n not in new or new[n].serial != d.serial]
    all_changes += [Change("came", d) for n, d in new.items() if n not in old or old[n].serial != d.serial]
    for name, drive in new.items():
        if name in old and old[name].serial == drive.serial:
            words = _differences(old[name], drive)
            if words:
                all_changes.append(Change("changed", drive, words))
    return all_changes


def _differences(old: Drive, new: Drive) -> str:
    said = []
    for what in ("link", "driver", "port", "size", "firmware"):
        one, other = getattr(old, what), getattr(new, what)
        if one != other:
            said.append(f"{what}: {other} (was {one})")
    mounts = [{v.mounted for v in d.volumes if v.mounted} for d in (old, new)]
    said += [f"mounted on {m}" for m in sorted(mounts[1] - mounts[0])]
    said += [f"no longer mounted on {m}" for m in sorted(mounts[0] - mounts[1])]
    return ", ".join(said)
