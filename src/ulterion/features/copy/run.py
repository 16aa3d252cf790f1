"""One run of `copy`: everything copied, timed, proven, several times over; each end alone; all of it kept."""

from __future__ import annotations

import datetime
import os
import secrets
import subprocess
import time
from collections.abc import Iterator
from dataclasses import field
from typing import BinaryIO

from ulterion.core.errors import TargetFailed
from ulterion.core.records import dataclass
from ulterion.core.units import show_size
from ulterion.engine.copies import batches, manifest, onepass, proof, walk
from ulterion.engine.copies.file_pool import FilePool
from ulterion.engine.copies.naming import name_anew
from ulterion.features.copy.preflight import blank, check_names, check_places, check_room, has_room, sources_of
from ulterion.features.copy.request import CopyRequest
from ulterion.features.copy.scratch_folder import OwnFolder, meters_of, pulse_under, sweep
from ulterion.features.copy.settle import removed
from ulterion.host.linkwatch import LinkedFacts, warnings_under_load, watched
from ulterion.model.files import sync_folder
from ulterion.model.runs.copied import ClassRecord, CopyPass, CopyRun, EndAlone, Remark
from ulterion.model.runs.header import run_id
from ulterion.run.observers import Kept, Observer
from ulterion.run.session import RunSession

MAX_OPENING = 600.0  # seconds that the reviewer's command may take over a file
NO_ROOM = "writing alone was not timed, for lack of room beside the kept copy"
BY_KERNEL = "copied by the kernel"


@dataclass
class _Work:
    """A copy under way."""

    request: CopyRequest
    observer: Observer
    sources: tuple[bytes, ...]
    count: walk.Count
    run: CopyRun
    session: RunSession[CopyRun]
    own: OwnFolder
    linked: tuple[LinkedFacts, LinkedFacts]
    passes: list[CopyPass] = field(default_factory=list)
    doing: str = "the first copy"


def copy(request: CopyRequest, observer: Observer) -> Kept[CopyRun]:
    """Copy, prove, and keep the run; a target that fails, or a stop by hand, is a run too (see `Kept.failure`).

    Raises UsageError before anything is copied.
    """
    check_places(request)
    for folder in dict.fromkeys([request.target, *(request.sources if request.made else ())]):
        for path in sweep(folder):
            observer.remark(f"{path} was left behind by an interrupted run and has been removed")
    identity = run_id(secrets.token_bytes(3))
    with sources_of(request, identity, observer) as sources:
        count = walk.count(sources)
        check_room(request, count)
        check_names(request, sources)
        run = blank(request, sources, count, identity)
        observer.opened(run)
        own = OwnFolder(request.target, "copy", identity)
        try:
            with (
                RunSession(request.review, run) as session,
                watched(run.target) as target,
                watched(run.copied.source or run.target) as source,
            ):
                return _keep(
                    _Work(
                        request=request,
                        observer=observer,
                        sources=sources,
                        count=count,
                        run=run,
                        session=session,
                        own=own,
                        linked=(source, target),
                    )
                )
        finally:
            own.remove()


def _keep(work: _Work) -> Kept[CopyRun]:
    """Copy with a journal, then write the document whatever happened."""
    pool = FilePool(work.request.at_once, work.request.stall, pulse_under(work.own.path))
    with pool, work.session.guarded(lambda: work.doing, also=OSError):
        _copies(work, pool)
    ended = datetime.datetime.now(datetime.UTC)
    source, target = (linked.known() for linked in work.linked)
    run = work.run.with_copied(passes=work.passes, source=work.run.copied.source and source)
    warnings = warnings_under_load(run.warnings, run.target, target)
    state = work.session.state
    return work.session.finish(run.changed(state=state, ended=ended, target=target, warnings=warnings))


def _copies(work: _Work, pool: FilePool) -> None:
    request, after = work.request, ""
    for number in range(1, request.passes + 1):
        last = number == request.passes
        record = _one_copy(work, pool, number, last=last).changed(after=after)
        work.session.journal.copied(record)
        work.passes.append(record)
        work.observer.copied(record)
        if not last or not request.keep:
            work.doing = f"the removal of copy {number}"
            after = removed(
                work.own,
                pool,
                0.0 if last else request.rest,
                trims=not work.run.target.system_disk,
                more=not last or request.ends,
            )
    if request.keep:  # what was proven gets its place first: whatever fails afterwards undoes nothing
        _stay(work)
    if request.ends:
        _ends(work, pool)


def _one_copy(work: _Work, pool: FilePool, number: int, *, last: bool) -> CopyPass:
    """Copy everything once and prove it; the sums of the last copy are kept where that is asked for."""
    request = work.request
    work.doing = f"copy {number}"
    onepass.drop_cache(pool, work.sources)
    work.observer.stage(f"copy {number} of {request.passes}", work.count.bytes)
    folder = request.review.make_runs_folder()
    out = manifest.scratch_in(folder)
    try:
        writer = manifest.Writer(out, folder)
        done = onepass.copy_all(
            pool,
            work.sources,
            os.fsencode(work.own.files),
            kernel=work.run.copied.method == BY_KERNEL,
            manifest=writer,
            told=work.observer.tick,
            meters=meters_of(work.sources, work.own.path),
        )
        writer.end()
        record = _proven(work, pool, number, done, out)
        if record.from_memory:
            size = show_size(record.from_memory_bytes or 0)
            sentence = (
                f"copy {number}: {size} of {show_size(record.bytes)} came from memory instead of the source, so this copy does not count; "
                "close programs that use these files, or copy others"
            )
            work.run = work.run.with_warnings(sentence)
            work.observer.remark(sentence)
        if last and request.manifest is not None:
            manifest.keep(out, request.manifest)
        return record
    finally:
        manifest.close(out)


def _proven(work: _Work, pool: FilePool, number: int, done: onepass.PassCopied, out: BinaryIO) -> CopyPass:
    """Return the record of a copy, read back and held against its manifest where that is asked for."""
    record = _record(number, done)
    if not work.request.prove:
        return record
    work.doing = f"the read-back of copy {number}"
    work.observer.stage(f"reading copy {number} back", done.bytes)
    start, first = time.perf_counter(), pool.moved
    folder = os.fsencode(work.own.files)

    def lines() -> Iterator[manifest.Line]:
        out.seek(0)
        return manifest.read(out, "the manifest")

    def watch() -> None:
        work.observer.tick(time.perf_counter() - start, pool.moved - first)

    found = proof.prove(pool, lines(), folder, proof.all_names(work.sources), watch)
    for name in proof.extra(folder, lines):
        found.tell(os.fsdecode(name), "is in the copy, but not in the source")
    if work.request.opener:
        _open_each(work, (line.path for line in lines()), found)
    return record.changed(
        proven_files=found.files,
        proven_bytes=found.bytes,
        prove_seconds=time.perf_counter() - start,
        wrong=[Remark(name=n, what=w) for n, w in found.wrong],
        wrong_count=found.wrong_count,
    )


def _open_each(work: _Work, names: Iterator[bytes], found: proof.Proof) -> None:
    """Run the reviewer's own command on every file of the copy, and tell which it does not take."""
    work.doing = f"'{work.request.opener[0]}' on the copy"
    work.observer.stage(work.doing, work.count.bytes)
    for name in names:
        path = b"%b/%b" % (os.fsencode(work.own.files), name)
        try:
            done = subprocess.run(
                [*work.request.opener, path], stdin=subprocess.DEVNULL, capture_output=True, timeout=MAX_OPENING
            )
        except subprocess.TimeoutExpired:
            found.tell(os.fsdecode(name), f"'{work.request.opener[0]}' did not finish with it within {MAX_OPENING:g} s")
            continue
        if done.returncode:
            found.tell(os.fsdecode(name), f"'{work.request.opener[0]}' rejects it (status {done.returncode})")


def _record(number: int, done: onepass.PassCopied) -> CopyPass:
    return CopyPass(
        number=number,
        seconds=done.seconds,
        flush_seconds=done.flush_seconds,
        files=done.files,
        bytes=done.bytes,
        folders=done.folders,
        links=done.links,
        classes=[ClassRecord(name=n, files=c.files, bytes=c.bytes, seconds=c.seconds) for n, c in done.classes.items()],
        interval=batches.INTERVAL,
        moved=done.intervals,
        arrived=done.arrived,
        from_memory_bytes=None if done.read is None else max(0, done.stored - done.read),
        skipped=[Remark(name=n, what=w) for n, w in done.skipped],
        skipped_count=done.skipped_count,
    )


def _ends(work: _Work, pool: FilePool) -> None:
    """Time each end alone: the source read, the target written."""
    work.doing = "the read of the source alone"
    onepass.drop_cache(pool, work.sources)
    work.observer.stage("reading the source alone", work.count.bytes)
    size, seconds = onepass.read_alone(pool, work.sources, work.observer.tick)
    work.run = work.run.with_copied(source_alone=EndAlone(bytes=size, seconds=seconds))
    work.doing = "the write to the target alone"
    if work.request.keep and not has_room(work.request.target, work.count):
        work.run = work.run.with_warnings(NO_ROOM)
        work.observer.remark(NO_ROOM)
        return
    alone = work.own.path / "alone"
    alone.mkdir()
    work.observer.stage("writing the target alone", work.count.bytes)
    size, seconds = onepass.write_alone(pool, work.sources, os.fsencode(alone), work.observer.tick)
    work.run = work.run.with_copied(target_alone=EndAlone(bytes=size, seconds=seconds))


def _stay(work: _Work) -> None:
    """Move the last copy to where it is to stay; never in the place of anything."""
    work.doing = "the renaming of the copy"
    taken = []
    for path in sorted(work.own.files.iterdir()):
        try:
            name_anew(os.fsencode(path), os.fsencode(work.request.target / path.name))
        except FileExistsError:
            taken.append(path.name)
    sync_folder(work.request.target)
    if taken:
        raise TargetFailed(
            f"{', '.join(taken)} appeared in {work.request.target} during the copy; nothing was overwritten, so the copy was not kept there"
        )
