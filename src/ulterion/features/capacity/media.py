"""The medium of a capacity proof: a device with its permit, the free room of a folder, or a medium of the simulated bench."""

from __future__ import annotations

import datetime
import os
import secrets
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from dataclasses import field, replace
from pathlib import Path
from typing import Literal

from ulterion.core.capacity import UNIT
from ulterion.core.documents.moments import moment_text
from ulterion.core.errors import UsageError
from ulterion.core.facts.target import BenchFacts, TargetFacts
from ulterion.core.records import dataclass
from ulterion.core.units import show_size
from ulterion.core.version import __version__
from ulterion.engine.copies.file_pool import FilePool, JobRunner
from ulterion.engine.targets.device import is_device
from ulterion.features.capacity.simulated_workers import SimulatedPool
from ulterion.features.copy.scratch_folder import OwnFolder, pulse_under, sweep
from ulterion.host import facts as host
from ulterion.host.activity import pulse_of
from ulterion.host.loops import is_cached
from ulterion.model.runs.header import run_id
from ulterion.model.store import ReviewFolder
from ulterion.model.systems import linux_alone
from ulterion.run.observers import Observer
from ulterion.run.overwrite_guard import Overwrite, open_device
from ulterion.run.place import Place
from ulterion.run.targets.simulated import SimulatedTarget
from ulterion.sim.bench import load_bench
from ulterion.sim.target import SimTarget

LEFT_SHARE, LEFT_LEAST = 0.01, 16 * 2**20  # of a file system, which stays free: its own tables grow
MIN_BYTES = 2**24  # bytes
Method = Literal["whole device", "free room", "quick look", "only read"]
DEVICE: Method = "whole device"
ROOM: Method = "free room"
QUICK: Method = "quick look"
READ: Method = "only read"


@dataclass(frozen=True)
class CapacityRequest:
    """A request for a proof: the place (device, folder or simulated setup), the way, the permit, and whether to go on with a proof that was cut off."""

    place: Place
    overwrite: Overwrite = field(default_factory=Overwrite)
    quick: bool = False
    resume: bool = False
    stall: float = 60.0

    @property
    def review(self) -> ReviewFolder:
        """The review that it is kept in."""
        return self.place.review


def _now() -> datetime.datetime:
    return datetime.datetime.now(datetime.UTC)


@dataclass
class Medium:
    """The medium to be written all over.

    Attributes:
        what: an open device or a folder, as the workers take it up; `size` in bytes.
        method: how it is proven.
        facts, bench: what a document says of it and of the machine.
        pool: gives the workers.
        identity, key: of the run, and of what is written.
        began, now: when the run began, and the clock of its end.
    """

    what: int | bytes
    size: int
    method: Method
    facts: TargetFacts
    bench: BenchFacts
    pool: Callable[[], AbstractContextManager[JobRunner]]
    identity: str = field(default_factory=lambda: run_id(secrets.token_bytes(3)))
    key: int = field(default_factory=lambda: secrets.randbits(62) | 1)
    began: datetime.datetime = field(default_factory=_now)
    now: Callable[[], datetime.datetime] = _now
    warnings: tuple[str, ...] = ()


@contextmanager
def medium(request: CapacityRequest, observer: Observer) -> Iterator[Medium]:
    """Yield the medium of a request, and release it afterwards; raise UsageError."""
    if request.place.simulated:
        with _simulated(request) as found:
            yield found
        return
    linux_alone("proving a real capacity")
    path = request.place.path
    assert path is not None
    with _device(request, path) if is_device(path) else _room(request, path, observer) as found:
        yield found


def _bench(review: ReviewFolder) -> BenchFacts:
    words = review.review.bench
    bench = host.bench_facts({"ulterion": __version__}, words.room)
    return replace(bench, host=words.host or bench.host)


@contextmanager
def _device(request: CapacityRequest, path: Path) -> Iterator[Medium]:
    if request.overwrite.serial is None and (request.quick or request.resume):
        what = "a quick look" if request.quick else "a proof"
        raise UsageError(
            f"{path} is written by {what}, and what is there is lost: name its serial number with --overwrite SERIAL"
        )
    target = open_device(path, request.overwrite, None, request.stall)
    try:
        facts = host.device_facts(path, target.device_name or path.name)
        method = READ if request.overwrite.serial is None else QUICK if request.quick else DEVICE
        pulse = pulse_of(target.fd)
        yield Medium(
            what=target.fd,
            size=target.size // UNIT * UNIT,
            method=method,
            facts=facts,
            bench=_bench(request.review),
            pool=lambda: FilePool(1, request.stall, pulse),
            warnings=(*host.cautions(facts), *_cached(facts)),
        )
    finally:
        target.close()


def _cached(facts: TargetFacts) -> list[str]:
    if facts.device is None or not is_cached(facts.device):
        return []
    return [
        f"{facts.device} is read from the system's memory, which proves nothing about the device under it; set it up with --direct-io=on"
    ]


@contextmanager
def _room(request: CapacityRequest, path: Path, observer: Observer) -> Iterator[Medium]:
    """Yield a folder of ours that is removed again."""
    _check_room_way(request, path)
    for left in sweep(path):
        observer.remark(f"{left} was left behind by an interrupted run and has been removed")
    facts, room = host.target_facts(path), os.statvfs(path)
    kept = max(LEFT_LEAST, round(room.f_blocks * room.f_frsize * LEFT_SHARE))
    size = (room.f_bavail * room.f_frsize - kept) // (2**20) * 2**20
    if size < MIN_BYTES:
        raise UsageError(
            f"{path} has {show_size(room.f_bavail * room.f_frsize)} free, too little to prove anything; make room"
        )
    identity = run_id(secrets.token_bytes(3))
    own = OwnFolder(path, "proof", identity)
    try:
        pulse = pulse_under(own.path)
        yield Medium(
            what=os.fsencode(own.files),
            size=size,
            method=ROOM,
            facts=facts,
            bench=_bench(request.review),
            pool=lambda: FilePool(1, request.stall, pulse),
            identity=identity,
            warnings=(*host.cautions(facts), *_cached(facts)),
        )
    finally:
        own.remove()


def _check_room_way(request: CapacityRequest, path: Path) -> None:
    """Raise UsageError for options that are not possible with files."""
    if request.overwrite.serial is not None:
        raise UsageError(f"--overwrite is for raw devices; {path} is none. A folder is proven in files of its own")
    if not path.is_dir():
        raise UsageError(
            f"{path} is neither a folder nor a device; name the folder where the drive is mounted, or its device"
        )
    if request.quick:
        raise UsageError(
            "the quick look needs the raw device: where a file lies cannot be chosen; leave --quick out, or name the device"
        )
    if request.resume:
        raise UsageError(
            f"the files of a proof that was cut off were removed, so that {path} is not left full: leave --resume out and begin anew"
        )


@contextmanager
def _simulated(request: CapacityRequest) -> Iterator[Medium]:
    place = request.place
    if place.setup is None:
        raise UsageError(f"{place.where} needs a setup that says which parts are connected; add --setup NAME")
    if request.overwrite.serial is not None:
        raise UsageError(f"--overwrite is for raw devices; setup '{place.setup}' is on the simulated bench")
    bench = load_bench(place.bench_file).set_to(place.levels)
    capacity = bench.chain(place.chain, place.bench_file)[-1].capacity
    if capacity is None:
        raise UsageError(
            f"{place.bench_file}: '{place.chain[-1]}' states no capacity that could be proven; give it one"
        )
    chain = SimTarget(bench, place.chain, place.setup, place.where or "", capacity)
    target = SimulatedTarget(chain, place.bench_file)
    try:
        chain.recognised()
        began = target.started(place.simulated_ends)
        key, identity = target.seed_and_id(None, f"capacity/{place.setup}/{moment_text(began)}")
        yield Medium(
            what=0,
            size=capacity // UNIT * UNIT,
            method=QUICK if request.quick else DEVICE,
            facts=target.facts(),
            bench=target.bench_facts(request.review.review.bench),
            pool=lambda: SimulatedPool(chain),
            identity=identity,
            key=key | 1,
            began=began,
            now=lambda: began + datetime.timedelta(seconds=chain.elapsed),
        )
    finally:
        target.close()
