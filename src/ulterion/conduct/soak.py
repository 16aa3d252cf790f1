"""One soak: the target and its sensors opened, the phases run; and taken up again when it was cut off."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from ulterion.conduct.benches import Bench, RealBench, SimBenchSource
from ulterion.conduct.measure import SIM, AnyTarget, Request, open_run
from ulterion.conduct.phases import Soaking, drive_counters
from ulterion.conduct.soakrequest import Soaked, SoakObserver, SoakRequest, seconds_since
from ulterion.conduct.thermometers import Thermometers
from ulterion.core.errors import UsageError
from ulterion.core.soak.trace import DRIVE
from ulterion.core.units import show_size
from ulterion.core.workload import Workload
from ulterion.engine.device import is_device
from ulterion.engine.load import FileSizes
from ulterion.engine.target import FileTarget, FolderTarget, largest_span
from ulterion.host import inuse, safety, sensors
from ulterion.host.facts import device_facts, target_facts
from ulterion.model.runs.document import RunDocument, State
from ulterion.model.runs.soak import Sensor, SoakRecord
from ulterion.model.store import ReviewFolder
from ulterion.sim.bench import load_bench
from ulterion.sim.target import SimTarget

READ_SPAN = 4 * 2**30  # bytes that a reading soak goes over, unless told otherwise
SYSTEM_SHARE = 0.10  # of what is free on the system disk; others need room too


def soak(request: SoakRequest, observer: SoakObserver) -> Soaked:
    """Run a soak and keep it; a target that fails, or a stop by hand, is a soak too.  Raises UsageError before it."""
    target, run, workload = _open(request)
    try:
        bench, run = _bench(request, target, run)
        try:
            observer.opened(run)
            return Soaking(request, target, bench, run, workload, observer).keep()
        finally:
            bench.close()
    finally:
        target.close()


def _open(request: SoakRequest) -> tuple[AnyTarget, RunDocument, Workload]:
    asked = Request(
        review=request.review, target=request.target, hookup=request.hookup, suite="soak",
        workloads=[request.workload], passes=1, seconds=request.plan.load_seconds or 1.0,
        span_bytes=_span(request), seed=request.seed, stall=request.stall, overwrite=request.overwrite,
        accept=request.accept,
    )  # fmt: skip
    target, run, (workload,) = open_run(asked)
    try:
        if request.files is not None and not isinstance(target, FolderTarget | SimTarget):
            raise UsageError("--files writes files, which takes a folder; a device or a single file has none")
        if isinstance(target, FileTarget) and workload.direction != "read":
            raise UsageError(f"{target.path} is a file of yours and is only read; name a folder to write in")
        record = run.workloads[0]
        soaked = SoakRecord(plan=request.plan, workload=workload, text=_words(request, record.text),
                            files=(request.files.low, request.files.high) if request.files else None,
                            engine=record.engine, engine_why=record.engine_why)  # fmt: skip
        run = run.model_copy(update={"kind": "soak", "workloads": [], "soak": soaked})
        return target, _taken_up(request.previous, run), workload
    except BaseException:
        target.close()
        raise


def _words(request: SoakRequest, text: str) -> str:
    if request.files is None:
        return text
    low, high = show_size(request.files.low), show_size(request.files.high)
    return f"files of {low if low == high else f'{low} to {high}'}, written and deleted"


def _span(request: SoakRequest) -> int | None:
    """Return the span: what is asked for, else for writes all that may be used, so that no cache is spared."""
    hookup = request.review.review.hookup(request.hookup) if request.hookup else None
    where = request.target or (hookup.target if hookup else None)
    if request.span_bytes is not None or where is None or where.startswith(SIM):
        return request.span_bytes
    path = (Path.cwd() if request.target else request.review.path) / Path(where).expanduser()
    if is_device(path) or not path.is_dir():
        return None
    most = largest_span(path)
    if target_facts(path).system_disk:
        most = int(most * SYSTEM_SHARE) // 2**20 * 2**20
    if request.workload.direction == "read":
        most = min(most, READ_SPAN)
    return most or None


def _taken_up(previous: RunDocument | None, run: RunDocument) -> RunDocument:
    """Return the run to go on with: the new one, or a soak that was cut off, if this is the same drive."""
    if previous is None:
        return run
    if previous.target.serial != run.target.serial:
        raise UsageError(
            f"the soak {previous.id} was on {previous.target.serial or 'a drive without a serial number'}, and here is "
            f"{run.target.serial or 'one without'}: plug the first in to go on, or start a new soak"
        )
    return previous.model_copy(update={"state": State(name="interrupted", why="in progress")})


def _bench(request: SoakRequest, target: AnyTarget, run: RunDocument) -> tuple[Bench, RunDocument]:
    """Return what phases run on, and the run with its sensors and the drive's counters."""
    assert run.soak is not None
    seed, interval = run.settings.seed, request.plan.interval
    if isinstance(target, SimTarget):
        bench: Bench = SimBenchSource(target, interval, seed, request.pace)
        heat = target.chain[-1].heat
        found = [Sensor(name=n, source="simulated", limit=heat.limit if heat and n == DRIVE else None)
                 for n in target.state.sensors()]  # fmt: skip
        why = ""
    else:
        device = run.target.device
        own, why = sensors.of_disk(inuse.whole_disk(device)) if device else ([], "no block device lies under it")
        named = {s.name for s in request.sensors}  # what the reviewer names goes before what was found
        every = [*(s for s in own if s.name not in named), *request.sensors]
        bench = RealBench(target, Thermometers(every, interval), interval, seed, request.files,
                          seconds_since(run) if request.previous is None else 0.0)  # fmt: skip
        found = [Sensor(name=s.name, source=s.source, unit=s.unit, limit=s.limit) for s in every]
    warnings = [*run.warnings]
    if not any(s.name == DRIVE for s in found):
        warnings.append(f"no temperature of the drive{f': {why}' if why else ''}")
    kept = {"sensors": found or run.soak.sensors}
    if not run.soak.counters_before:
        kept["counters_before"] = drive_counters(bench, run)  # type: ignore[assignment]
    update = {"soak": run.soak.model_copy(update=kept), "warnings": list(dict.fromkeys(warnings))}
    return bench, run.model_copy(update=update)


def capacity_of(review: ReviewFolder, target: str | None, hookup: str | None) -> int | None:
    """Return the capacity (bytes) of the drive that is meant, None where it cannot be told beforehand."""
    known = review.review.hookup(hookup) if hookup else None
    where = target or (known.target if known else None)
    if where is None:
        return None
    if where.startswith(SIM) and known is not None:
        bench = load_bench(review.path / where.removeprefix(SIM))
        capacity: int | None = bench.chain(known.chain, review.path)[-1].capacity
        return capacity
    path = (Path.cwd() if target else review.path) / Path(where).expanduser()
    if is_device(path):
        name = safety.name_behind(path)
        return device_facts(path, name).capacity_bytes if name else None
    return target_facts(path).capacity_bytes if path.exists() else None


def find_cut_off(review: ReviewFolder, hookup: str | None, target: str | None) -> RunDocument:
    """Return the newest soak of a hookup (or target) that was cut off; raise UsageError when there is none."""
    where = str((Path.cwd() / Path(target).expanduser()).resolve()) if target else None
    mine = [s for s in review.skims()
            if s.kind == "soak" and s.hookup == hookup and (hookup is not None or s.target == where)]  # fmt: skip
    for run in review.whole(mine[-1:]):
        if run.state.name != "complete" and run.soak is not None:
            return run
    raise UsageError(f"no soak of {hookup or target} was cut off; leave --resume out to start one")


def request_again(request: SoakRequest, previous: RunDocument) -> SoakRequest:
    """Return a request that goes on with a soak that was cut off: the same load, span and seed."""
    assert previous.soak is not None
    return replace(
        request, workload=replace(previous.soak.workload, seconds=None, span_bytes=None), plan=previous.soak.plan,
        files=FileSizes(*previous.soak.files) if previous.soak.files else None,
        span_bytes=previous.settings.span_bytes, seed=previous.settings.seed, previous=previous,
    )  # fmt: skip
