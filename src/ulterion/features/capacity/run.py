"""One run of `capacity`: a device, or the free room of a folder, written all over, read back and judged."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import field

from ulterion.core.capacity import KINDS, UNIT, Capacity, Tally, only_read, proven
from ulterion.core.errors import UsageError
from ulterion.core.facts.target import TargetFacts
from ulterion.core.records import dataclass
from ulterion.core.units import show_size
from ulterion.engine.capacity.proof import quick_units
from ulterion.engine.copies.batches import ProgressMeter
from ulterion.engine.copies.file_pool import JobRunner
from ulterion.features.capacity.media import DEVICE, QUICK, READ, CapacityRequest, Medium, medium
from ulterion.host.linkwatch import warnings_under_load, watched
from ulterion.model.runs.capacity import CapacityRecord, CapacityRun, Stretch
from ulterion.model.runs.header import State
from ulterion.run.observers import Kept, Observer
from ulterion.run.session import RunSession

CHUNK = 2**26 // UNIT  # units that are written or read between two looks
KEPT_EVERY = 10.0  # seconds between two times that what was written is forced onto the medium and noted
MAX_TOLD = 100
THROUGH_CACHE = "the file system refuses to bypass the system's cache: each file was dropped from it before it was read, as far as the system allows"


@dataclass
class _Looked:
    """The result so far.

    Attributes:
        written: units that are on the medium; `checked` those that were read back, with their `tally`.
        wrote, read: bytes of each second; `write_seconds`, `read_seconds` of all of it.
    """

    tally: Tally = field(default_factory=Tally)
    written: int = 0
    checked: int = 0
    wrote: list[int] = field(default_factory=list)
    read: list[int] = field(default_factory=list)
    write_seconds: float | None = None
    read_seconds: float | None = None
    found: Capacity | None = None
    doing: str = "the write"
    bypassed: bool = True


def prove(request: CapacityRequest, observer: Observer) -> Kept[CapacityRun]:
    """Prove a capacity and keep the run; a target that fails, or a stop by hand, is a run too.  Raises UsageError before anything is written."""
    with medium(request, observer) as found:
        before = _cut_off(request, found) if request.resume else None
        if before is not None:
            _check_same_medium(found, before)
        run, looked = _blank(request, found, before), _taken_up(before)
        with RunSession(request.review, run) as session:
            with found.pool() as pool, watched(run.target) as linked, session.guarded(lambda: looked.doing):
                _look(
                    pool,
                    found,
                    run.capacity.key,
                    looked=looked,
                    observer=observer,
                    keep=lambda: session.journal.proof(_record(run, looked)),
                )
            warnings = warnings_under_load(run.warnings, run.target, linked.known())
            run = run.changed(target=linked.known(), warnings=warnings)
            return session.finish(_filled(run, found, looked, session.state))


def _cut_off(request: CapacityRequest, found: Medium) -> CapacityRun:
    """Return the newest proof of this medium, which was cut off after something was written; raise UsageError where there is none."""
    mine = [s for s in request.review.summaries() if s.kind == "capacity" and s.setup == request.place.setup]
    for run in reversed(request.review.with_series(mine)):
        if not isinstance(run, CapacityRun) or not _same(run.target, found.facts):
            continue
        if run.capacity.method != DEVICE or run.capacity.claimed_bytes != found.size:
            continue
        if run.state.name != "complete" and run.capacity.written_bytes:
            return run
        break
    raise UsageError(f"no proof of {found.facts.path} that was cut off can be resumed; leave --resume out to begin one")


def _check_same_medium(found: Medium, before: CapacityRun) -> None:
    """Raise UsageError unless the medium holds what the proof that was cut off wrote, and nothing else; nothing is written."""
    written = before.capacity.written_bytes // UNIT
    with found.pool() as pool:
        for _, seen in pool.run(iter([("recognise", (found.what, found.size, before.capacity.key, written))])):
            if seen.ours and seen.foreign is None:
                return
    where = "" if seen.foreign is None else f" (from {show_size(seen.foreign * UNIT)} on)"
    why = (
        f"holds other data where the interrupted proof had written{where}"
        if seen.foreign is not None
        else "holds none of the data of the interrupted proof"
    )
    raise UsageError(
        f"{found.facts.path} {why}: it may be another medium, or has been used since. Nothing was written; "
        "insert the right medium, or run without --resume to start over, which overwrites everything"
    )


def _same(one: TargetFacts, other: TargetFacts) -> bool:
    """Return whether two targets are one device: by the serial number, and where it shows none by its path."""
    return one.serial == other.serial and (one.serial is not None or one.path == other.path)


def _blank(request: CapacityRequest, found: Medium, before: CapacityRun | None) -> CapacityRun:
    place = request.place
    return CapacityRun(
        id=found.identity,
        started=found.began,
        setup=place.setup,
        chain=place.chain,
        target=found.facts,
        bench=found.bench,
        cache_bypassed=True,
        warnings=list(found.warnings),
        state=State(name="interrupted", why="in progress"),
        capacity=CapacityRecord(
            method=found.method,
            key=before.capacity.key if before else found.key,
            goes_on_from=before.id if before else None,
            claimed_bytes=found.size,
            finding="stopped",
            summary="it was not finished",
        ),
    )


def _taken_up(before: CapacityRun | None) -> _Looked:
    """Return the result of an earlier part."""
    if before is None:
        return _Looked()
    one = before.capacity
    kinds = {kind: getattr(one, f"{kind}_bytes") // UNIT for kind in KINDS}
    tally = Tally(one.sound_bytes // UNIT, **kinds, repeated=one.repeated_reads, distance=one.distance_bytes // UNIT)
    tally.stretches = [(s.first // UNIT, s.bytes // UNIT, s.kind) for s in one.stretches]
    return _Looked(
        tally=tally,
        written=one.written_bytes // UNIT,
        checked=one.read_bytes // UNIT,
        wrote=list(one.wrote),
        read=list(one.read),
        write_seconds=one.write_seconds,
        read_seconds=one.read_seconds,
    )


def _look(
    pool: JobRunner, found: Medium, key: int, looked: _Looked, observer: Observer, *, keep: Callable[[], None]
) -> None:
    if found.method == READ:
        looked.doing = "the read"
        observer.stage("looking for repeats", 0)
        for _, seen in pool.run(iter([("compare", (found.what, found.size))])):
            looked.found = only_read(found.size, seen)
        return
    for _, bypassed in pool.run(iter([("medium", (found.what, found.size, key, looked.written))])):
        looked.bypassed = bypassed
    if found.method == QUICK:
        _quick_check(pool, found, looked, observer)
        return
    _write(pool, found, looked, observer, keep)
    _read(pool, found, looked, observer, keep)
    where = "it" if found.method == DEVICE else "the drive under it"
    looked.found = proven(looked.tally, found.size, found.size // UNIT, where=where)


def _quick_check(pool: JobRunner, found: Medium, looked: _Looked, observer: Observer) -> None:
    beginning, _ = quick_units(found.size)
    looked.doing = "the quick look"
    observer.stage("quick look", 3 * beginning * UNIT)
    pulse = ProgressMeter(pool, observer.tick)
    for _, seen in pool.run(iter([("quick_check", None)]), pulse):
        looked.found = seen
    looked.write_seconds = pulse.seconds


def _write(pool: JobRunner, found: Medium, looked: _Looked, observer: Observer, keep: Callable[[], None]) -> None:
    """Write what is not yet written, forced onto the medium and noted every few seconds."""
    units = found.size // UNIT
    if looked.written == units:
        return
    observer.stage("writing", (units - looked.written) * UNIT)
    pulse, earlier, seconds = ProgressMeter(pool, observer.tick), looked.wrote, looked.write_seconds or 0.0
    noted = pool.now()
    for first, count in _chunks(looked.written, units):
        list(pool.run(iter([("write_units", (first, count))]), pulse))
        if pool.now() - noted >= KEPT_EVERY or first + count == units:
            list(pool.run(iter([("flush_medium", None)]), pulse))
            looked.written, looked.write_seconds = first + count, seconds + pulse.seconds
            looked.wrote, noted = [*earlier, *pulse.intervals], pool.now()
            keep()
    looked.wrote = [*earlier, *pulse.end()]


def _read(pool: JobRunner, found: Medium, looked: _Looked, observer: Observer, keep: Callable[[], None]) -> None:
    """Read back the rest."""
    units = found.size // UNIT
    looked.doing = "the read-back"
    observer.stage("reading back", (units - looked.checked) * UNIT)
    pulse, earlier, seconds = ProgressMeter(pool, observer.tick), looked.read, looked.read_seconds or 0.0
    noted = pool.now()
    for first, count in _chunks(looked.checked, units):
        for _, tally in pool.run(iter([("read_units", (first, count))]), pulse):
            looked.tally.merge(tally)
            looked.checked, looked.read_seconds = first + count, seconds + pulse.seconds
            looked.read = [*earlier, *pulse.intervals]
        if pool.now() - noted >= KEPT_EVERY:
            noted = pool.now()
            keep()
    looked.read = [*earlier, *pulse.end()]


def _chunks(first: int, units: int) -> Iterator[tuple[int, int]]:
    return ((start, min(CHUNK, units - start)) for start in range(first, units, CHUNK))


def _record(run: CapacityRun, looked: _Looked) -> CapacityRecord:
    """Return the record of a proof as far as it came."""
    tally, found = looked.tally, looked.found
    changes: dict[str, object] = {
        "written_bytes": looked.written * UNIT,
        "read_bytes": looked.checked * UNIT,
        "sound_bytes": tally.sound * UNIT,
        "wrong_bytes": tally.wrong * UNIT,
        **{f"{kind}_bytes": getattr(tally, kind) * UNIT for kind in KINDS},
        "repeated_reads": tally.repeated,
        "distance_bytes": tally.distance * UNIT,
        "stretches": [Stretch(first=f * UNIT, bytes=c * UNIT, kind=k) for f, c, k in tally.stretches[:MAX_TOLD]],
        "write_seconds": looked.write_seconds,
        "read_seconds": looked.read_seconds,
        "wrote": looked.wrote,
        "read": looked.read,
    }
    if found is not None:
        changes |= {"finding": found.finding, "real_bytes": found.real, "summary": found.words}
    return run.capacity.changed(**changes)


def _filled(run: CapacityRun, found: Medium, looked: _Looked, state: State) -> CapacityRun:
    run = run if looked.bypassed else run.with_warnings(THROUGH_CACHE)
    facts = {
        "capacity": _record(run, looked),
        "state": state,
        "ended": found.now(),
        "cache_bypassed": looked.bypassed,
    }
    return run.changed(**facts)
