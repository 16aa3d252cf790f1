"""One run of `capacity`: a device, or what is free in a folder, written all over, read back, and told what it is worth."""

from __future__ import annotations

import datetime
import os
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Literal

from ulterion.conduct.copyplaces import OwnFolder, pulse_under, sweep
from ulterion.conduct.copyrequest import CopyObserver
from ulterion.conduct.keeping import open_journal
from ulterion.conduct.permits import Overwrite, open_device
from ulterion.core.capacity import UNIT, Capacity, Tally, only_read, proven
from ulterion.core.errors import Interrupted, TargetFailed, UlterionError, UsageError
from ulterion.core.facts import TargetFacts
from ulterion.core.units import show_size
from ulterion.core.version import __version__
from ulterion.engine.capacity.proof import quick_units
from ulterion.engine.copies.batches import Pulse
from ulterion.engine.copies.crew import Crew, Job
from ulterion.engine.device import is_device
from ulterion.host import facts as host
from ulterion.host.activity import pulse_of
from ulterion.host.loops import is_cached
from ulterion.model.runs.capacity import CapacityRecord, CapacityRun, Stretch
from ulterion.model.runs.header import State
from ulterion.model.store import ReviewFolder

CHUNK = 2**26 // UNIT  # units that are written or read between two looks
LEFT_SHARE, LEFT_LEAST = 0.01, 16 * 2**20  # of a file system, which stays free: its own tables grow
LEAST = 2**24  # bytes
MOST_TOLD = 100
THROUGH_CACHE = "the file system refuses to bypass the system's cache: it was emptied of each file before it was read, as far as the system does that"
Way = Literal["whole device", "free room", "quick look", "only read"]
DEVICE: Way = "whole device"
ROOM: Way = "free room"
QUICK: Way = "quick look"
READ: Way = "only read"


@dataclass(frozen=True)
class CapacityRequest:
    """What is to be proven: a path (device or folder) of a review's hookup or of none; how, and by which permit."""

    review: ReviewFolder
    path: Path
    hookup: str | None = None
    overwrite: Overwrite = field(default_factory=Overwrite)
    quick: bool = False
    stall: float = 60.0


@dataclass
class CapacityDone:
    """A proof that was kept."""

    run: CapacityRun
    path: Path
    failure: UlterionError | None = None


@dataclass
class _Medium:
    """What is written all over: an open device or a folder; bytes."""

    what: int | bytes
    size: int
    way: Way
    facts: TargetFacts
    pulse_folder: Path | None = None
    pulse_fd: int | None = None


@dataclass
class _Looked:
    """What came of it so far."""

    tally: Tally
    wrote: list[int]
    read: list[int]
    write_seconds: float | None = None
    read_seconds: float | None = None
    found: Capacity | None = None
    doing: str = "writing"
    bypassed: bool = True


def prove(request: CapacityRequest, observer: CopyObserver) -> CapacityDone:
    """Prove a capacity and keep the run; a target that fails, or a stop by hand, is a run too.  Raises UsageError before anything is written."""
    identity, key = secrets.token_hex(3), secrets.randbits(62) | 1
    with _medium(request, identity, observer) as medium:
        run = _blank(request, medium, identity, key)
        journal = open_journal(request.review, run)
        saved, failure = False, None
        looked, state = _Looked(Tally(), [], []), State(name="complete")
        try:
            pulse = (
                pulse_of(medium.pulse_fd)
                if medium.pulse_fd is not None
                else pulse_under(medium.pulse_folder or request.path)
            )
            with Crew(1, request.stall, pulse) as crew:
                try:
                    _look(crew, medium, key, looked, observer, quick=request.quick)
                except (TargetFailed, Interrupted, KeyboardInterrupt) as error:
                    failure, state = _failure(error, looked)
            done, path = request.review.finish(_filled(run, medium, looked, state), journal.path)
            saved = True
            assert isinstance(done, CapacityRun)
            return CapacityDone(done, path, failure)
        finally:
            journal.close(remove=saved)


@contextmanager
def _medium(request: CapacityRequest, identity: str, observer: CopyObserver) -> Iterator[_Medium]:
    """Yield what is to be written: the device, with its permit, or a folder of ours that is removed again."""
    path = request.path
    if is_device(path):
        if request.overwrite.serial is None and request.quick:
            raise UsageError(
                f"{path} is written in places by a quick look, and what is there is lost: name its serial number with --overwrite SERIAL"
            )
        target = open_device(path, request.overwrite, None, request.stall)
        try:
            facts = host.device_facts(path, target.device_name or path.name)
            way = READ if request.overwrite.serial is None else DEVICE
            yield _Medium(target.fd, target.size // UNIT * UNIT, way, facts, None, target.fd)
        finally:
            target.close()
        return
    if request.overwrite.serial is not None:
        raise UsageError(f"--overwrite is for raw devices; {path} is none. A folder is proven in files of its own")
    if not path.is_dir():
        raise UsageError(
            f"{path} is neither a folder nor a device; name the folder where the drive is mounted, or its device"
        )
    if request.quick:
        raise UsageError(
            "the quick look needs the raw device: files do not choose where they lie; leave --quick out, or name the device"
        )
    for left in sweep(path):
        observer.remark(f"{left} was left by a run that was ended; it was removed")
    facts, room = host.target_facts(path), os.statvfs(path)
    kept = max(LEFT_LEAST, round(room.f_blocks * room.f_frsize * LEFT_SHARE))
    size = (room.f_bavail * room.f_frsize - kept) // (2**20) * 2**20
    if size < LEAST:
        raise UsageError(
            f"{path} has {show_size(room.f_bavail * room.f_frsize)} free, too little to prove anything; make room"
        )
    own = OwnFolder(path, "proof", identity)
    try:
        yield _Medium(os.fsencode(own.files), size, ROOM, facts, own.path)
    finally:
        own.remove()


def _blank(request: CapacityRequest, medium: _Medium, identity: str, key: int) -> CapacityRun:
    review = request.review.review
    bench = host.bench_facts({"ulterion": __version__}, review.bench.room)
    return CapacityRun(
        id=identity,
        started=datetime.datetime.now(datetime.UTC),
        hookup=request.hookup,
        chain=list(review.hookup(request.hookup).chain) if request.hookup else [],
        target=medium.facts,
        bench=replace(bench, host=review.bench.host or bench.host),
        cache_bypassed=True,
        warnings=[*host.cautions(medium.facts), *_cached(medium.facts)],
        state=State(name="interrupted", why="in progress"),
        capacity=CapacityRecord(
            way=QUICK if request.quick else medium.way,
            key=key,
            claimed_bytes=medium.size,
            finding="stopped",
            words="it was not finished",
        ),
    )


def _cached(facts: TargetFacts) -> list[str]:
    if facts.device is None or not is_cached(facts.device):
        return []
    return [
        f"{facts.device} answers from the system's memory: nothing is proven of what lies under it; set it up with --direct-io=on"
    ]


def _look(crew: Crew, medium: _Medium, key: int, looked: _Looked, observer: CopyObserver, *, quick: bool) -> None:
    if medium.way == READ:
        looked.doing = "reading"
        observer.begin("looking for repeats", 0)
        for _, found in crew.run(iter([("compare", (medium.what, medium.size))])):
            looked.found = only_read(medium.size, found)
        return
    (looked.bypassed,) = crew.all_of([("medium", (medium.what, medium.size, key))])
    if quick:
        beginning, _ = quick_units(medium.size)
        looked.doing = "the quick look"
        observer.begin("quick look", 3 * beginning * UNIT)
        pulse = Pulse(crew, observer.tick)
        for _, found in crew.run(iter([("glance", None)]), pulse):
            looked.found = found
        looked.write_seconds = pulse.seconds
        return
    units = medium.size // UNIT
    observer.begin("writing", medium.size)
    pulse = Pulse(crew, observer.tick)
    looked.wrote = pulse.intervals
    for _ in crew.run(_chunks("scribble", units), pulse):
        looked.write_seconds = pulse.seconds
    for _ in crew.run(iter([("settle", None)]), pulse):
        looked.write_seconds = pulse.seconds
    looked.doing = "reading back"
    observer.begin("reading back", medium.size)
    pulse = Pulse(crew, observer.tick)
    looked.read = pulse.intervals
    for _, tally in crew.run(_chunks("recall", units), pulse):
        looked.tally.merge(tally)
        looked.read_seconds = pulse.seconds
    where = "it" if medium.way == DEVICE else "the drive under it"
    looked.found = proven(looked.tally, medium.size, units, where=where)


def _chunks(name: str, units: int) -> Iterator[Job]:
    return ((name, (first, min(CHUNK, units - first))) for first in range(0, units, CHUNK))


def _failure(error: BaseException, looked: _Looked) -> tuple[UlterionError, State]:
    if isinstance(error, TargetFailed):
        why = f"{error} (during {looked.doing})"
        return TargetFailed(why, code=error.code), State(name="failed", why=why)
    why = f"{str(error) or 'stopped by hand'} during {looked.doing}"
    return Interrupted(why), State(name="interrupted", why=why)


def _filled(run: CapacityRun, medium: _Medium, looked: _Looked, state: State) -> CapacityRun:
    tally, found = looked.tally, looked.found
    read = (tally.sound + tally.wrong) * UNIT
    changes: dict[str, object] = {
        "written_bytes": medium.size if looked.read_seconds is not None else sum(looked.wrote),
        "read_bytes": read,
        "sound_bytes": tally.sound * UNIT,
        "wrong_bytes": tally.wrong * UNIT,
        "stretches": [Stretch(first=f * UNIT, bytes=c * UNIT, kind=k) for f, c, k in tally.stretches[:MOST_TOLD]],
        "write_seconds": looked.write_seconds,
        "read_seconds": looked.read_seconds,
        "wrote": looked.wrote,
        "read": looked.read,
    }
    if found is not None:
        changes |= {"finding": found.finding, "real_bytes": found.real, "words": found.words}
    capacity = run.capacity.model_copy(update=changes)
    ended = datetime.datetime.now(datetime.UTC)
    run = run if looked.bypassed else run.with_warnings(THROUGH_CACHE)
    facts = {"capacity": capacity, "state": state, "ended": ended, "cache_bypassed": looked.bypassed}
    return run.model_copy(update=facts)
