"""One soak: the target and its sensors opened, the phases run; and taken up again when it was cut off."""

from __future__ import annotations

from dataclasses import replace

from ulterion.core.errors import UsageError
from ulterion.core.soak.trace import DRIVE
from ulterion.engine.targets.device import is_device
from ulterion.engine.targets.folder import largest_span
from ulterion.engine.targets.load import FileSizes
from ulterion.features.soak.phases import Soaking
from ulterion.host import safety
from ulterion.host.facts import device_facts, target_facts
from ulterion.model.runs.soak import SoakRun
from ulterion.run.observers import Kept, Observer
from ulterion.run.opening import NO_SOAK, Opened, blank_soak, opened
from ulterion.run.place import Place
from ulterion.run.requests import SoakRequest
from ulterion.run.targets.soak_sources import Bench, LoadSettings
from ulterion.sim.bench import load_bench

READ_SPAN = 4 * 2**30  # bytes that a reading soak goes over, unless told otherwise
SYSTEM_SHARE = 0.10  # of what is free on the system disk; others need room too


def soak(request: SoakRequest, observer: Observer) -> Kept[SoakRun]:
    """Run a soak and keep it; a target that fails, or a stop by hand, is a soak too.  Raises UsageError before it."""
    if request.place.over_network:
        raise UsageError(NO_SOAK)
    access = replace(request.access, span_bytes=_span(request))
    with opened(request.place, access, [request.workload], request.plan.load_seconds or 1.0, observer) as opening:
        target = opening.load_target
        if request.files is not None:
            target.check_files()
        run = blank_soak(opening, request)
        bench = target.bench(_load_settings(request, run, opening))
        try:
            run = _with_bench(run, opening, bench)
            observer.opened(run)
            return Soaking(request, opening, bench, run, observer).keep()
        finally:
            bench.close()


def _span(request: SoakRequest) -> int | None:
    """Return the span: what is asked for, else for writes all that may be used, so that no cache is spared."""
    path = request.place.path
    if request.access.span_bytes is not None or path is None or is_device(path) or not path.is_dir():
        return request.access.span_bytes
    most = largest_span(path)
    if target_facts(path).system_disk:
        most = int(most * SYSTEM_SHARE) // 2**20 * 2**20
    if request.workload.direction == "read":
        most = min(most, READ_SPAN)
    return most or None


def _load_settings(request: SoakRequest, run: SoakRun, opening: Opened) -> LoadSettings:
    since = opening.target.seconds_since(run.started) if request.previous is None else 0.0
    return LoadSettings(
        interval=request.plan.interval,
        seed=run.settings.seed,
        files=request.files,
        sensors=request.sensors,
        since=since,
        pace=request.pace,
    )


def _with_bench(run: SoakRun, opening: Opened, bench: Bench) -> SoakRun:
    """Return the run with its sensors and the drive's counters."""
    kept = run.soak.changed(
        sensors=bench.sensors or run.soak.sensors, counters_before=run.soak.counters_before or opening.target.counters()
    )
    run = run.changed(soak=kept)
    if any(s.name == DRIVE for s in bench.sensors):
        return run
    return run.with_warnings(f"no temperature of the drive{f': {bench.why}' if bench.why else ''}")


def capacity_of(place: Place) -> int | None:
    """Return the capacity (bytes) of the drive that is meant, None where it is unknown beforehand."""
    if place.simulated and place.entry is not None:
        return load_bench(place.bench_file).chain(place.chain, place.review.path)[-1].capacity
    path = place.path
    if path is None or not path.exists():
        return None
    if is_device(path):
        name = safety.name_behind(path)
        return device_facts(path, name).capacity_bytes if name else None
    return target_facts(path).capacity_bytes


def find_cut_off(place: Place) -> SoakRun:
    """Return the newest soak of a setup (or target) that was cut off; raise UsageError when there is none."""
    where = str(place.path.resolve()) if place.target and place.path else None
    mine = [
        s
        for s in place.review.summaries()
        if s.kind == "soak" and s.setup == place.setup and (place.setup is not None or s.target == where)
    ]
    for run in place.review.with_series(mine[-1:]):
        if run.state.name != "complete" and isinstance(run, SoakRun):
            return run
    raise UsageError(f"no soak of {place.setup or place.target} was cut off; leave --resume out to start one")


def request_again(request: SoakRequest, previous: SoakRun) -> SoakRequest:
    """Return a request that goes on with a soak that was cut off: the same load, span and seed."""
    record, settings = previous.soak, previous.settings
    return replace(
        request,
        workload=replace(record.workload, seconds=None, span_bytes=None),
        plan=record.plan,
        files=FileSizes(*record.files) if record.files else None,
        access=replace(request.access, span_bytes=settings.span_bytes, seed=settings.seed),
        previous=previous,
    )
