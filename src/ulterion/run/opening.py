"""From a request to an open target and a document without results; nothing has been written to the target yet."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Literal, TypeVar

from ulterion.core.documents.moments import moment_text
from ulterion.core.documents.plain import Plain
from ulterion.core.errors import UsageError
from ulterion.core.facts.target import BenchFacts, TargetFacts
from ulterion.core.records import dataclass
from ulterion.core.units import show_size
from ulterion.core.workloads.workload import Workload, on_drive
from ulterion.engine.targets.base import RealTarget
from ulterion.engine.targets.device import is_device
from ulterion.engine.targets.plain_file import open_target
from ulterion.host.activity import pulse_of
from ulterion.host.linkwatch import LinkedFacts, warnings_under_load, watched
from ulterion.model.expect import Expect
from ulterion.model.runs.header import RunScope, State
from ulterion.model.runs.measure import Before, MeasureRun, Settings, WorkloadRecord
from ulterion.model.runs.soak import SoakRecord, SoakRun
from ulterion.model.systems import check_engine, is_portable
from ulterion.run.cache_freshness import recent_writes
from ulterion.run.expectations import check_expected, unexpected
from ulterion.run.observers import Observer
from ulterion.run.overwrite_guard import open_device
from ulterion.run.place import Place
from ulterion.run.requests import MeasureRequest, SoakRequest, TargetOptions
from ulterion.run.targets.host import HostTarget, uncompiled_words
from ulterion.run.targets.protocol import LoadTarget, Target

Run = TypeVar("Run", MeasureRun, SoakRun)
UNKNOWN = Before(recent_bytes=0)
NO_SOAK = "a soak is for drives; over a network take a longer pass: measure --network HOST --seconds 10m"
IN_PROGRESS = State(name="interrupted", why="in progress")


@dataclass(frozen=True)
class Opened:
    """An open target, the workloads settled for it, and what a document of any kind says of it."""

    target: Target
    workloads: list[Workload]
    facts: TargetFacts
    seed: int
    header: Plain
    linked: LinkedFacts
    expect: tuple[Expect, ...] = ()

    @property
    def load_target(self) -> LoadTarget:
        """The target as one that takes a soak; raises UsageError where it takes none."""
        if not isinstance(self.target, LoadTarget):
            raise UsageError(NO_SOAK)
        return self.target

    def with_links_under_load(self, run: Run) -> Run:
        """Return a run with the links of its target as they were while data moved, and what of them is not as expected."""
        was: TargetFacts = self.facts
        facts: TargetFacts = self.linked.known()
        if facts == was or run.target != was:
            return run
        unlike: list[str] = [
            f"under load not as the setup expects: {u}" for e in self.expect for u in unexpected(e, facts)
        ]
        warnings = warnings_under_load(run.warnings, was, facts)
        changed = {"target": facts, "warnings": warnings, "unexpected": [*run.unexpected, *unlike]}
        return run.changed(**changed).with_warnings(*unlike)

    def with_own_cost(self, run: Run) -> Run:
        """Return a run with what a request costs us, which may have become known after it was begun."""
        bench: BenchFacts = self.target.with_own_cost(run.bench)
        late = [] if run.bench.uncompiled is not None else uncompiled_words(bench)
        return run.changed(bench=bench).with_warnings(*late)


@contextmanager
def opened(
    place: Place,
    access: TargetOptions,
    workloads: Sequence[Workload],
    seconds: float,
    observer: Observer,
    *,
    late: bool = False,
) -> Iterator[Opened]:
    """Open a target and check every workload against it; close it at the end.  Raises UsageError, TargetFailed.

    With `late` the engine is made ready while the medium is laid down; what it costs is known only then (`Opened.with_own_cost`).
    """
    target = _open(place, access)
    try:
        settled = [w.settled(seconds, target.span_bytes) for w in workloads]
        for workload in settled:
            target.check(workload)
        target.make_ready(observer.preparing, late=late)
        with ExitStack() as stack:
            yield _opened(target, place, access, settled, stack)
    finally:
        target.close()


def _open(place: Place, access: TargetOptions) -> Target:
    if place.where is None:
        raise UsageError(f"setup '{place.setup}' has no target; name the folder: ulterion measure FOLDER --setup ...")
    if place.simulated:
        if place.setup is None:
            raise UsageError(f"{place.where} needs a setup that says which parts are connected; add --setup NAME")
        from ulterion.run.targets.simulated import SimulatedTarget
        from ulterion.sim.bench import load_bench
        from ulterion.sim.target import DEFAULT_SPAN, SimTarget

        bench = load_bench(place.bench_file).set_to(place.levels)
        span = access.span_bytes or DEFAULT_SPAN
        return SimulatedTarget(
            SimTarget(
                bench=bench,
                names=place.chain,
                setup=place.setup,
                path=place.where,
                span_bytes=span,
                workers=access.workers or 1,
            ),
            place.bench_file,
            access.waited,
        )
    if place.network:
        from ulterion.run.targets.network import NetworkTarget

        return NetworkTarget(place.where, access.code, access.stall)
    assert place.path is not None
    if not place.path.exists() and place.where in place.review.review.setups:
        raise UsageError(f"there is no file or folder '{place.where}' here; did you mean --setup {place.where}?")
    engine = _open_real(place.path, access)
    if engine.cache_bypassed:  # else the span has to be larger than the memory
        engine.laying = access.laying
    if not is_portable():
        engine.workers, engine.pulse = access.workers, pulse_of(engine.fd)
    return HostTarget(engine)


def _open_real(path: Path, access: TargetOptions) -> RealTarget:
    check_engine()
    if is_portable():
        return _open_portable(path, access)
    if is_device(path):
        return open_device(path, access.overwrite, access.span_bytes, access.stall)
    if access.overwrite.serial is not None:
        raise UsageError(f"--overwrite is for raw devices; {path} is none. A folder is tested in a file of its own")
    return open_target(path, access.span_bytes, access.stall)


def _open_portable(path: Path, access: TargetOptions) -> RealTarget:
    from ulterion.engine.portable.targets import open_portable

    if access.overwrite.serial is not None:
        raise UsageError(
            f"the portable engine writes to no raw device; name a folder on {path}, or leave --overwrite out"
        )
    if access.workers is not None:
        raise UsageError(
            "the portable engine has one worker, of as many threads as requests are in flight; leave --workers out"
        )
    return open_portable(path, access.span_bytes, access.stall)


def _opened(target: Target, place: Place, access: TargetOptions, workloads: list[Workload], stack: ExitStack) -> Opened:
    started = target.started(place.simulated_ends if place.simulated else [])
    facts, bench = target.facts(), target.bench_facts(place.review.review.bench)
    seed, identity = target.seed_and_id(access.seed, f"{access.seed}/{place.setup}/{moment_text(started)}")
    unlike = _expected(place, access, facts)
    header = {
        "id": identity,
        "started": started,
        "setup": place.setup,
        "chain": place.chain,
        "target": facts,
        "bench": bench,
        "cache_bypassed": target.cache_bypassed,
        "warnings": [*unlike, *target.cautions(facts, bench)],
        "unexpected": unlike,
        "state": IN_PROGRESS,
    }
    linked = stack.enter_context(watched(facts))
    return Opened(
        target=target,
        workloads=workloads,
        facts=facts,
        seed=seed,
        header=header,
        linked=linked,
        expect=tuple(_expectations(place, access)),
    )


def _expectations(place: Place, access: TargetOptions) -> list[Expect]:
    own = [place.entry.expect] if place.entry is not None and place.entry.expect is not None else []
    return [*own, *access.expect]


def _expected(place: Place, access: TargetOptions, facts: TargetFacts) -> list[str]:
    """Return warnings for what is not as the setup expects; raise UsageError unless that was accepted."""
    if access.unplugged is not None and facts.attachment == access.unplugged:
        raise UsageError(
            f"setup '{place.setup}' has not been unplugged since its last cell; unplug it, and plug it in again"
        )
    return [
        w
        for one in _expectations(place, access)
        for w in check_expected(place.setup or "", one, facts, accept=access.accept)
    ]


def blank_measure(opening: Opened, request: MeasureRequest) -> MeasureRun:
    """Return the document of a measurement as it is before the first pass."""
    records = []
    for workload in opening.workloads:
        engine, why = opening.target.engine_of(workload)
        records.append(WorkloadRecord(workload=workload, text=workload.text, engine=engine, engine_why=why))
    extras, workers = request.extras, request.access.workers
    settings = Settings(
        span_bytes=opening.target.span_bytes,
        seed=opening.seed,
        passes=request.passes,
        seconds=request.seconds,
        workers=workers,
        warm_up=extras.warm_up or None,
        rest_seconds=extras.rest or None,
        cool_to=extras.cool_to,
        relative_half_width=extras.sure.within if extras.sure else None,
        max_passes=extras.sure.max_passes if extras.sure else extras.max_passes,
        span_fitted=True if request.access.laying is not None and not request.place.simulated else None,
    )
    writes = any(w.writes for w in opening.workloads)
    known = recent_writes(request.place, opening.facts, opening.header["started"]) if writes else UNKNOWN
    kind: Literal["measure", "network"] = "network" if request.place.over_network else "measure"
    return MeasureRun(
        **opening.header,
        kind=kind,
        cell=request.cell,
        suite=request.suite,
        settings=settings,
        before=known,
        workloads=records,
    )


def blank_soak(opening: Opened, request: SoakRequest) -> SoakRun:
    """Return the document of a soak as it is before its first phase, or the one that is taken up again."""
    if request.previous is not None:
        return _taken_up(request.previous, opening)
    (workload,) = opening.workloads
    engine, why = opening.target.engine_of(workload)
    files = request.files
    record = SoakRecord(
        plan=request.plan,
        workload=on_drive(workload),
        text=workload.text if files is None else _files_text(files.low, files.high),
        files=None if files is None else (files.low, files.high),
        engine=engine,
        engine_why=why,
    )
    return SoakRun(
        **opening.header, settings=RunScope(span_bytes=opening.target.span_bytes, seed=opening.seed), soak=record
    )


def _files_text(low: int, high: int) -> str:
    sizes = show_size(low) if low == high else f"{show_size(low)} to {show_size(high)}"
    return f"files of {sizes}, written and deleted"


def _taken_up(previous: SoakRun, opening: Opened) -> SoakRun:
    """Return a soak that was cut off, to go on with, if this is the same drive; raise UsageError."""
    if previous.target.serial != opening.facts.serial:
        raise UsageError(
            f"the soak {previous.id} was on {previous.target.serial or 'a drive without a serial number'}, and here is "
            f"{opening.facts.serial or 'one without'}: plug the first in to go on, or start a new soak"
        )
    return previous.changed(state=IN_PROGRESS)
