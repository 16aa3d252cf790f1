"""Before a copy: whether it can be, what it is made of, and the document it begins with."""

from __future__ import annotations

import datetime
import os
import shutil
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.transfers.copies import Cost, cost_of
from ulterion.core.units import show_size
from ulterion.core.version import __version__
from ulterion.engine.copies import sets, walk
from ulterion.engine.targets.folder import reserve
from ulterion.features.copy.request import CopyRequest
from ulterion.features.copy.scratch_folder import OwnFolder
from ulterion.host import facts as host
from ulterion.model.runs.copied import CopyRecord, CopyRun
from ulterion.model.runs.header import State, counted
from ulterion.model.store import ReviewFolder
from ulterion.model.systems import linux_alone
from ulterion.run.observers import Observer

COPYING = ("ext2", "ext3", "ext4", "vfat", "exfat", "ntfs3", "tmpfs")
"""File systems on which the kernel's own copy is one; others may let two files share what they hold instead."""
PER_FILE = 4096  # bytes that a file takes beside what is in it


@contextmanager
def sources_of(request: CopyRequest, identity: str, observer: Observer) -> Iterator[tuple[bytes, ...]]:
    """Yield what is to be copied, a set made and removed again where one is asked for."""
    if request.made is None:
        yield tuple(os.fsencode(p) for p in request.sources)
        return
    made, (folder,) = request.made, request.sources
    total = sets.USUAL.get(made.name, 0) if made.total is None else made.total
    planned = sets.plan(made.name, made.total, made.seed)
    room = os.statvfs(folder)
    if total + reserve(room.f_blocks * room.f_frsize) > room.f_bavail * room.f_frsize:
        raise UsageError(
            f"{folder} has not the room for a set of {show_size(total)}; make a smaller one with --of SIZE"
        )
    own = OwnFolder(folder, "set", identity)
    try:
        top = own.files / made.name
        start, moved = time.perf_counter(), 0
        observer.stage(f"making the set '{made.name}'", total)

        def told(count: int) -> None:
            nonlocal moved
            moved += count
            observer.tick(time.perf_counter() - start, moved)

        try:
            sets.lay(os.fsencode(top), planned, told)
            os.sync()
        except OSError as error:
            raise UsageError(f"the set cannot be made in {folder}: {error.strerror}; name another folder") from error
        yield (os.fsencode(top),)
    finally:
        own.remove()


def check_places(request: CopyRequest) -> None:
    """Raise UsageError where a source is not there, the target no folder, or one inside the other."""
    linux_alone("copying files")
    target = request.target
    if not target.is_dir():
        raise UsageError(f"{target} is not a folder; name the folder on the drive that the copy is to go to")
    for source in request.sources:
        if not os.path.lexists(source):
            raise UsageError(f"{source} is not there, so nothing was copied; check its name")
        if target.resolve().is_relative_to(source.resolve()) and not request.made:
            raise UsageError(f"{target} lies in {source}: a copy into itself would never end; choose another folder")
    check_manifest(request.manifest)
    if request.opener and shutil.which(request.opener[0]) is None:
        raise UsageError(
            f"'{request.opener[0]}' is not a command that can be run; give --open one that takes a file as its last argument"
        )
    if request.made and (len(request.sources) != 1 or not request.sources[0].is_dir()):
        raise UsageError("a set is made in one folder; name it before the target")


def check_manifest(path: Path | None) -> None:
    """Raise UsageError where a manifest cannot be kept under a name."""
    if path is None:
        return
    if os.path.lexists(path):
        raise UsageError(f"{path} already exists, and nothing is overwritten; choose another name")
    if not os.access(path.parent, os.W_OK | os.X_OK):
        raise UsageError(f"{path} cannot be written: you may not write to {path.parent}; choose another folder")


def needed(count: walk.Count) -> int:
    """Return the bytes that a copy takes on disk, with the overhead of its files."""
    return count.bytes + count.files * PER_FILE


def has_room(folder: Path, count: walk.Count) -> bool:
    """Return whether so many bytes fit into a folder and the room that must stay free remains."""
    free, kept = _free(folder)
    return needed(count) + kept <= free


def _free(folder: Path) -> tuple[int, int]:
    """Return the bytes that are free in a folder, and those that are to stay free."""
    room = os.statvfs(folder)
    return room.f_bavail * room.f_frsize, reserve(room.f_blocks * room.f_frsize)


def check_room(request: CopyRequest, count: walk.Count) -> None:
    """Raise UsageError where the target has not the room."""
    free, kept = _free(request.target)
    needs = needed(count)
    if needs + kept > free:
        raise UsageError(
            f"{request.target} has {show_size(free)} free, and the copy takes {show_size(needs)} beside {show_size(kept)} that stay free; "
            "copy less, or make room"
        )


def check_names(request: CopyRequest, sources: Sequence[bytes]) -> None:
    """With --keep: refuse where something of that name is at the target already."""
    for source in sources if request.keep else ():
        path = request.target / os.fsdecode(os.path.basename(source.rstrip(b"/")))  # noqa: PTH119 - bytes
        if os.path.lexists(path):
            raise UsageError(f"{path} already exists, and nothing is overwritten; move it away, or leave --keep out")


def blank(request: CopyRequest, sources: Sequence[bytes], count: walk.Count, identity: str) -> CopyRun:
    """Return the document of a copy as it is before the first pass, with what earlier copies let expect."""
    review, target = request.review.review, host.target_facts(request.target)
    first = request.sources[0].resolve()
    source = host.target_facts(first if first.is_dir() else first.parent)
    setup = request.to_setup or request.from_setup
    versions = {"ulterion": __version__}
    bench = host.bench_facts(versions, review.bench.room)
    cost = cost_between(request.review, request.from_setup, request.to_setup)
    cost = cost if cost is not None and cost.covers(count.files, count.bytes) else None
    low, high = cost.between(count.files, count.bytes) if cost else (None, None)
    made, kernel = request.made, moved_by_kernel(request, target.filesystem)
    return CopyRun(
        id=identity,
        started=datetime.datetime.now(datetime.UTC),
        setup=setup,
        chain=list(review.setup(setup).chain) if setup else [],
        target=target,
        bench=replace(bench, host=review.bench.host or bench.host),
        cache_bypassed=False,
        warnings=[*host.cautions(target), *_not_kept(count)],
        state=State(name="interrupted", why="in progress"),
        copied=CopyRecord(
            task=request.task or (f"set {made.name}, {show_size(count.bytes)}" if made else _task(request.sources)),
            sources=[str(p) for p in request.sources],
            source=source,
            from_setup=request.from_setup,
            set_name=made.name if made else None,
            seed=made.seed if made else None,
            method="copied by the kernel" if kernel else "read and write",
            workers=request.at_once,
            files=count.files,
            bytes=count.bytes,
            folders=count.folders,
            links=count.links,
            predicted_seconds=cost.seconds(count.files, count.bytes) if cost else None,
            predicted_low=low,
            predicted_high=high,
        ),
    )


def _not_kept(count: walk.Count) -> list[str]:
    """Return what a copy does not keep of the originals, in sentences."""
    told = []
    if count.more_names:
        told.append(f"{count.more_names} hard-linked names were copied as separate files")
    if count.attributed:
        told.append(
            f"the extended attributes or access lists (ACLs) of {count.attributed} files and folders are not copied"
        )
    return told


def moved_by_kernel(request: CopyRequest, filesystem: str | None) -> bool:
    """Return whether the kernel copies the bytes of large files itself: within one file system that does not share them instead."""
    if request.plain or filesystem not in COPYING or not hasattr(os, "copy_file_range"):
        return False
    return request.sources[0].resolve().stat().st_dev == request.target.stat().st_dev


def _task(sources: Sequence[Path]) -> str:
    names = [p.resolve().name or str(p) for p in sources]
    return names[0] if len(names) == 1 else f"{names[0]} and {len(names) - 1} more"


def cost_between(review: ReviewFolder, source: str | None, target: str | None) -> Cost | None:
    """Return what copying from one setup to another costs, by the copies that were kept; None from too few."""
    runs = review.with_series([s for s in review.summaries() if s.kind == "copy"])
    mine = counted(runs, CopyRun)
    between = [r.copied for r in mine if (r.copied.from_setup, r.setup) == (source, target or source)]
    return cost_of(
        [(p.files, p.bytes, p.seconds) for c in between for p in c.passes if p.files and p.bytes and not p.wrong_count]
    )
