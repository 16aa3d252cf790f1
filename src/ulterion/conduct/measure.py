"""One run of `measure`: open the target, take it through the suite, keep everything."""

from __future__ import annotations

import datetime
import hashlib
import secrets
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from ulterion import __version__
from ulterion.conduct.bystanders import Bystanders
from ulterion.conduct.expected import check_expected
from ulterion.conduct.permits import Overwrite, open_device
from ulterion.conduct.rest import Rest, real_sleep
from ulterion.core.errors import Interrupted, TargetFailed, UlterionError, UsageError
from ulterion.core.facts import BenchFacts, TargetFacts
from ulterion.core.passes import PassResult
from ulterion.core.plausible import impossible, sinking
from ulterion.core.stats import estimate
from ulterion.core.units import show_block, show_size
from ulterion.core.workload import Workload
from ulterion.engine import runner
from ulterion.engine.crew import STALL
from ulterion.engine.device import DeviceTarget, is_device
from ulterion.engine.target import FileTarget, FolderTarget, open_target
from ulterion.host import drives, inuse
from ulterion.host import facts as host
from ulterion.host.activity import pulse_of
from ulterion.judge.measured import estimate_as_data, seen_link
from ulterion.model.journal import Journal, with_passes
from ulterion.model.runs.document import PassRecord, RunDocument, Settings, State, WorkloadRecord
from ulterion.model.store import ReviewFolder, run_name
from ulterion.sim.bench import load_bench
from ulterion.sim.target import DEFAULT_SPAN, SimTarget

SIM = "sim:"
SWAP_SECONDS = 120  # virtual time between two simulated runs: a hand changes the cables


@dataclass(frozen=True)
class Extras:
    """How passes are repeated.

    Attributes:
        warm_up: run a first round that is kept but not counted.
        rest: seconds between passes.
        cool_to: temperature (C) to wait for between passes, or None.
        sure: repeat until sure, or None.
    """

    warm_up: bool = False
    rest: float = 0.0
    cool_to: float | None = None
    sure: runner.Sureness | None = None


AnyTarget = FolderTarget | FileTarget | DeviceTarget | SimTarget


@dataclass(frozen=True)
class Request:
    """What the reviewer asked for.

    Attributes:
        review: where the run is kept.
        target: folder, file or 'sim:FILE' given on the command line, or None for the hookup's.
        hookup: name of the hookup, or None.
        suite: name of the suite the workloads come from, or 'ad hoc'.
        workloads: what to run.
        passes: repetitions of each.
        seconds: length of a pass.
        span_bytes: stretch of the medium, or None for the default.
        seed: of offsets, data and simulated noise; None to draw one.
        lanes: worker processes that share each pass.
        stall: seconds without an answer after which a device counts as stalled.
        overwrite: the permit to write to a raw device.
        accept: go on with a drive, port or link other than the hookup expects.
        extras: warm-up, rests, and passes until sure.
    """

    review: ReviewFolder
    target: str | None
    hookup: str | None
    suite: str
    workloads: Sequence[Workload]
    passes: int
    seconds: float
    span_bytes: int | None
    seed: int | None = None
    lanes: int = 1
    stall: float = STALL
    overwrite: Overwrite = field(default_factory=Overwrite)
    accept: bool = False
    extras: Extras = field(default_factory=Extras)


class Observer(runner.Observer):
    """A runner's observer that also hears what is about to be tested."""

    def opened(self, run: RunDocument) -> None:
        """The target is open; nothing has been written to it yet."""


@dataclass(frozen=True)
class Finished:
    """A finished run: the document, where it is, and the failure that ended it, if any."""

    run: RunDocument
    path: Path
    failure: UlterionError | None


def measure(request: Request, observer: Observer) -> Finished:
    """Run the request and keep the run; a target that fails, or a stop by hand, is a run too (see `Finished.failure`).

    Raises UsageError before anything is measured.
    """
    target, run, workloads = open_run(request)
    try:
        observer.opened(run)
        return _keep(request, target, run, workloads, observer)
    finally:
        target.close()


def open_run(request: Request) -> tuple[AnyTarget, RunDocument, list[Workload]]:
    """Open the target and check every workload against it; return it with the empty run and the settled workloads.

    Nothing has been written to the target yet.  The caller closes it.
    """
    target, chain = _open(request)
    try:
        run, workloads = _blank(request, target, chain)
        for workload in workloads:
            target.check(workload)
    except BaseException:
        target.close()
        raise
    return target, run, workloads


def finish(run: RunDocument, target: AnyTarget, bystanders: Bystanders) -> RunDocument:
    """Return a run whose passes and state are known with its end, and with doubtful figures marked."""
    warnings = [*run.warnings, *bystanders.warnings(run.target)]
    return marked(run.model_copy(update={"ended": _end(run, target), "warnings": warnings}))


def _open(request: Request) -> tuple[AnyTarget, list[str]]:
    hookup = request.review.review.hookup(request.hookup) if request.hookup else None
    where = request.target or (hookup.target if hookup else None)
    chain = list(hookup.chain) if hookup else []
    if where is None:
        raise UsageError(
            f"hookup '{request.hookup}' has no target; name the folder: ulterion measure FOLDER --hookup ..."
        )
    if where.startswith(SIM):
        if not hookup:
            raise UsageError(f"{where} needs a hookup that says which parts are connected; add --hookup NAME")
        file = request.review.path / where.removeprefix(SIM)
        bench = load_bench(file)
        span = request.span_bytes or DEFAULT_SPAN
        return SimTarget(bench, chain, request.hookup, where, span, request.lanes), chain
    base = Path.cwd() if request.target else request.review.path
    target = _open_real(request, base / Path(where).expanduser())
    target.lanes, target.pulse = request.lanes, pulse_of(target.fd)
    return target, chain


def _open_real(request: Request, path: Path) -> FolderTarget | FileTarget | DeviceTarget:
    if is_device(path):
        return open_device(path, request.overwrite, request.span_bytes, request.stall)
    if request.overwrite.serial is not None:
        raise UsageError(f"--overwrite is for raw devices; {path} is none. A folder is tested in a file of its own")
    return open_target(path, request.span_bytes, request.stall)


def _facts(request: Request, target: AnyTarget) -> tuple[TargetFacts, BenchFacts]:
    versions = {"ulterion": __version__}
    if isinstance(target, SimTarget):
        return target.facts(), target.bench_facts(versions)
    import platform

    import numpy

    versions |= {"python": platform.python_version(), "numpy": numpy.__version__}
    about = request.review.review.bench
    bench = host.bench_facts(versions, about.room)
    return _real_facts(target), replace(bench, host=about.host or bench.host)


def _real_facts(target: FolderTarget | FileTarget | DeviceTarget) -> TargetFacts:
    """Return the facts of what was opened; raise UsageError when its name leads elsewhere by now."""
    if isinstance(target, DeviceTarget):
        return host.device_facts(target.path, target.name)
    facts = host.target_facts(target.path)
    if host.key_of(target.path) != target.key:
        raise UsageError(f"{target.path} was moved, or a link in it was changed, while it was looked at; try again")
    return facts


def _expected(request: Request, facts: TargetFacts) -> list[str]:
    """Return warnings for what is not as the hookup expects; raise UsageError unless that was accepted."""
    hookup = request.review.review.hookup(request.hookup) if request.hookup else None
    if hookup is None or hookup.expect is None:
        return []
    return check_expected(request.hookup or "", hookup.expect, facts, accept=request.accept)


def _start(request: Request, target: AnyTarget) -> datetime.datetime:
    """Return when the run starts: now, or for a simulated one when the last simulated run is over and cables changed."""
    if not isinstance(target, SimTarget):
        return datetime.datetime.now(datetime.UTC)
    ends = [s.ended for s in request.review.skims() if s.simulated and s.ended]
    epoch = target.bench.bench.epoch.astimezone(datetime.UTC)
    last = max((datetime.datetime.fromisoformat(e) for e in ends), default=epoch)
    return max(last, epoch) + datetime.timedelta(seconds=SWAP_SECONDS)


def timestamp(moment: datetime.datetime) -> str:
    """Return a moment as RFC 3339 in UTC, to the millisecond."""
    return moment.astimezone(datetime.UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def _seed_and_id(request: Request, target: AnyTarget, started: str) -> tuple[int, str]:
    """Return the seed and the id; both follow from the bench's seed and the virtual time on a simulated bench."""
    if not isinstance(target, SimTarget):
        return (request.seed if request.seed is not None else secrets.randbits(31)), secrets.token_hex(3)
    told = f"{target.bench.bench.seed}/{request.seed}/{request.hookup}/{started}"
    digest = hashlib.sha256(told.encode()).digest()
    return (request.seed if request.seed is not None else int.from_bytes(digest[:4], "big") >> 1), digest[4:7].hex()


def _blank(request: Request, target: AnyTarget, chain: list[str]) -> tuple[RunDocument, list[Workload]]:
    """Return the document as it is before the first pass, and the settled workloads."""
    workloads = [w.settled(request.seconds, target.span_bytes) for w in request.workloads]
    started = timestamp(_start(request, target))
    seed, identity = _seed_and_id(request, target, started)
    target_facts, bench_facts = _facts(request, target)
    warnings = [*_expected(request, target_facts), *_warnings(target, target_facts, bench_facts)]
    records = []
    for workload in workloads:
        engine, why = target.engine_of(workload)
        records.append(WorkloadRecord(workload=workload, text=workload.text, engine=engine, engine_why=why))
    run = RunDocument(
        id=identity,
        started=started,
        kind="measure",
        hookup=request.hookup,
        chain=chain,
        target=target_facts,
        bench=bench_facts,
        suite=request.suite,
        settings=_settings(request, target, seed),
        cache_bypassed=target.cache_bypassed,
        workloads=records,
        warnings=warnings,
        state=State(name="interrupted", why="in progress"),
    )
    return run, workloads


def _settings(request: Request, target: AnyTarget, seed: int) -> Settings:
    extras = request.extras
    return Settings(
        passes=request.passes,
        seconds=request.seconds,
        span_bytes=target.span_bytes,
        seed=seed,
        lanes=request.lanes if request.lanes > 1 else None,
        warm_up=extras.warm_up or None,
        rest_seconds=extras.rest or None,
        cool_to=extras.cool_to,
        sure_within=extras.sure.within if extras.sure else None,
    )


def _rest(request: Request, target: AnyTarget, run: RunDocument, observer: Observer) -> Rest:
    """Return the rest between passes; raise UsageError when it cannot be kept."""
    device = run.target.device
    real = not isinstance(target, SimTarget)
    rest = Rest(
        seconds=request.extras.rest,
        cool_to=request.extras.cool_to,
        thermometer=lambda: drives.temperature(inuse.whole_disk(device)) if real and device else None,
        sleep=target.rest if isinstance(target, SimTarget) else real_sleep,
        tell=observer.resting,
    )
    rest.check()
    return rest


def marked(run: RunDocument) -> RunDocument:
    """Mark the workloads whose figures cannot be the drive's, and warn of them."""
    link, marked, warnings = seen_link(run), [], list(run.warnings)
    for record in run.workloads:
        why = None
        if record.counted and run.target.kind != "simulated":
            rate = estimate([p.rate for p in record.counted]).rate
            why = impossible(record.workload, rate, link, cache_bypassed=run.cache_bypassed,
                             memory_bytes=run.bench.memory_bytes)  # fmt: skip
        marked.append(record.model_copy(update={"suspect": why}))
        if why:
            warnings.append(f"{record.workload.name}: {why}")
        if sinking([p.rate for p in record.counted]) and record.workload.direction != "read":
            warnings.append(f"{record.workload.name}: later passes were slower: a write cache ran out, or heat; use "
                            "--rest or shorter passes, and look at it with 'ulterion soak'")  # fmt: skip
    return run.model_copy(update={"workloads": marked, "warnings": warnings})


def _warnings(target: AnyTarget, facts: TargetFacts, bench: BenchFacts) -> list[str]:
    found = host.cautions(facts)
    if not target.cache_bypassed:
        found.append("the file system refuses to bypass the system's cache: reads may come from memory")
        memory = bench.memory_bytes or 0
        if target.span_bytes < 2 * memory:
            found.append(f"use a --span above {show_block(2 * memory)}, twice the memory, to measure the drive")
    if isinstance(target, FileTarget) and target.holes:
        found.append(f"{target.path.name} has holes: reading them measures memory, not the drive")
    return found


class _Recorder(runner.Observer):
    """Passes every step on to the reviewer's observer, and every finished pass to the journal."""

    def __init__(self, observer: Observer, journal: Journal) -> None:
        self._observer, self._journal = observer, journal
        self.passes: list[tuple[int, PassRecord]] = []
        self.reasons: dict[int, str] = {}
        self.dropped: list[str] = []
        self.unfinished = 0
        self.doing = "laying the test file down"

    def laying(self, done: int, total: int) -> None:
        self._observer.laying(done, total)

    def begin(self, index: int, workload: Workload, number: int) -> None:
        self.unfinished, self.doing = 0, f"{workload.name}, pass {number}"
        self._observer.begin(index, workload, number)

    def tick(self, seconds: float, moved: int) -> None:
        self.unfinished = moved
        self._observer.tick(seconds, moved)

    def end(self, index: int, workload: Workload, number: int, result: PassResult) -> None:
        record = PassRecord.of(number, result)
        self._journal.add(index, record)
        self.passes.append((index, record))
        self.unfinished = 0
        self._observer.end(index, workload, number, result)

    def spoiled(self, index: int, workload: Workload, number: int, why: str) -> None:
        self.dropped.append(f"pass {number} of {workload.name} was dropped and run again: {why}")
        self._observer.spoiled(index, workload, number, why)

    def ended(self, index: int, why: str) -> None:
        self.reasons[index] = why
        self._observer.ended(index, why)


def _keep(request: Request, target: AnyTarget, run: RunDocument, workloads: list[Workload],
          observer: Observer) -> Finished:  # fmt: skip
    """Run the suite with a journal, then write the document whatever happened."""
    schedule = runner.Schedule(
        workloads, request.passes, run.settings.seed, request.extras.warm_up, request.extras.sure,
        _rest(request, target, run, observer),
    )  # fmt: skip
    folder = request.review.make_runs_folder()
    journal = Journal(folder / f"{run_name(run)}.journal", run)
    recorder, bystanders = _Recorder(observer, journal), Bystanders()
    failure: UlterionError | None = None
    saved = False
    try:
        state = State(name="complete")
        try:
            runner.run(target, schedule, recorder)
        except (TargetFailed, Interrupted, KeyboardInterrupt) as error:
            failure, state = _ended_early(error, recorder, run.target)
        run = run.model_copy(update={"warnings": [*run.warnings, *recorder.dropped]})
        done = finish(_with_reasons(with_passes(run, recorder.passes, state), recorder.reasons), target, bystanders)
        done, path = request.review.finish(done, journal.path)
        saved = True
        return Finished(done, path, failure)
    finally:
        journal.close(remove=saved or not recorder.passes)


def _with_reasons(run: RunDocument, reasons: dict[int, str]) -> RunDocument:
    records = [r.model_copy(update={"ended": reasons.get(i)}) for i, r in enumerate(run.workloads)]
    return run.model_copy(update={"workloads": records})


def _ended_early(error: BaseException, recorder: _Recorder, target: TargetFacts) -> tuple[UlterionError, State]:
    failure, state = failure_of(error, recorder.doing, target)
    if isinstance(failure, Interrupted):
        state = state.model_copy(update={"unfinished_bytes": recorder.unfinished or None})
    return failure, state


def failure_of(error: BaseException, doing: str, target: TargetFacts) -> tuple[UlterionError, State]:
    """Return what to raise and how the run ended, when a target failed or a stop was asked for while `doing`."""
    if isinstance(error, TargetFailed):
        where = "" if target.kind == "simulated" else f"{target.path}: "
        if target.kind != "simulated" and target.device and drives.is_gone(target.device):
            where += "the device is gone (pulled out, or its link was lost): "
        after = f", after {show_size(error.moved)}" if error.moved else ""
        why = f"{where}{error} (during {doing}{after})"
        told: UlterionError = TargetFailed(why, offset=error.offset, moved=error.moved)
        return told, State(name="failed", why=why, offset=error.offset, unfinished_bytes=error.moved or None)
    why = f"{str(error) or 'stopped by hand'} during {doing}"
    return Interrupted(why), State(name="interrupted", why=why)


def _end(run: RunDocument, target: AnyTarget) -> str:
    if not isinstance(target, SimTarget):
        return timestamp(datetime.datetime.now(datetime.UTC))
    return timestamp(datetime.datetime.fromisoformat(run.started) + datetime.timedelta(seconds=target.elapsed))


def finished_as_data(finished: Finished) -> dict[str, object]:
    """Return a finished run as plain data for JSON: where it is kept, its estimates, and the whole document."""
    records = [r for r in finished.run.workloads if r.counted]
    return {
        "kept_in": str(finished.path),
        "state": finished.run.state.name,
        "estimates": [
            {"workload": r.workload.name, "text": r.text} | estimate_as_data(estimate([p.rate for p in r.counted]))
            for r in records
        ],
        "run": finished.run.model_dump(mode="json", by_alias=True, exclude_none=True),
    }
