"""One copy of everything, timed from the first byte asked for to the last on the medium; and each end alone."""

from __future__ import annotations

import contextlib
import os
import stat
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import field

from ulterion.core.errors import TargetFailed
from ulterion.core.records import dataclass
from ulterion.core.transfers.copies import CLASSES, Classed, class_of
from ulterion.engine.copies.batches import ProgressMeter, batches
from ulterion.engine.copies.below import Below
from ulterion.engine.copies.file_pool import FileJob, FilePool
from ulterion.engine.copies.manifest import Line, Writer
from ulterion.engine.copies.onefile import TargetGoneError, of_target
from ulterion.engine.copies.walk import Entry, walk

MAX_TOLD = 100  # files whose fate is told by name
FolderTime = tuple[bytes, int]


@dataclass(frozen=True)
class Meters:
    """What the devices at both ends count: bytes that the source's has read, and the target's has written, so far; None for neither."""

    read: Callable[[], int] | None = None
    written: Callable[[], int] | None = None


NO_METERS = Meters()


@dataclass
class PassCopied:
    """The result of one copy.

    Attributes:
        seconds: with the flush; `flush_seconds` it alone.
        files, bytes, links: that were copied; `stored` the bytes that their files take on the medium, holes left out.
        folder_times: (path below the copy, nanoseconds since 1970) of the folders.
        classes: by size of the files: how many, bytes, and the seconds they took their workers.
        intervals: bytes moved in each second.
        arrived: bytes that reached the device in each second, by its own counter; empty where it has none.
        read: bytes that the source's device read, None where it has no counter.
        skipped: (name, why) of what was not copied, the first hundred; `skipped_count` of all.
    """

    seconds: float = 0.0
    flush_seconds: float = 0.0
    files: int = 0
    bytes: int = 0
    stored: int = 0
    links: int = 0
    folder_times: list[FolderTime] = field(default_factory=list)
    classes: dict[str, Classed] = field(default_factory=dict)
    intervals: list[int] = field(default_factory=list)
    arrived: list[int] = field(default_factory=list)
    read: int | None = None
    skipped: list[tuple[str, str]] = field(default_factory=list)
    skipped_count: int = 0

    @property
    def folders(self) -> int:
        """Folders that were copied."""
        return len(self.folder_times)

    def leave_out(self, entry: Entry, why: str) -> None:
        """Take down what was not copied."""
        self.skipped_count += 1
        if len(self.skipped) < MAX_TOLD:
            self.skipped.append((os.fsdecode(entry.name), why))


def copy_all(
    pool: FilePool,
    sources: Sequence[bytes],
    target: bytes,
    *,
    kernel: bool = False,
    manifest: Writer | None = None,
    told: Callable[[float, int], None] = lambda seconds, moved: None,
    meters: Meters = NO_METERS,
) -> PassCopied:
    """Copy everything below the sources into a folder that is there and empty; raise TargetFailed when it takes no more."""
    done = PassCopied()
    before = meters.read() if meters.read is not None else 0
    pulse, start = ProgressMeter(pool, told, meters.written), time.perf_counter()
    for job, answers in pool.run(_jobs(sources, target, done, kernel=kernel), pulse):
        for entry, (summed, why, seconds) in zip(job[1][2], answers, strict=True):
            if summed is None:
                done.leave_out(entry, why)
                continue
            done.files, done.bytes = done.files + 1, done.bytes + entry.size
            done.stored += min(entry.size, entry.allocated)
            done.classes.setdefault(class_of(entry.size), Classed()).add(entry.size, seconds)
            if manifest is not None:
                manifest.add(Line(entry.name, entry.size, entry.modified, summed))
    _give_times(done, target)
    for _, seconds in pool.run(iter([("flush", target)]), pulse):
        done.flush_seconds = seconds
    done.seconds, done.intervals, done.arrived = time.perf_counter() - start, pulse.end(), pulse.arrived
    done.read = meters.read() - before if meters.read is not None else None
    done.classes = {name: done.classes[name] for name in CLASSES if name in done.classes}
    return done


def _give_times(done: PassCopied, target: bytes) -> None:
    """Give the folders the times of their originals, once nothing more is written into them."""
    with Below(target) as below:
        for path, modified in reversed(done.folder_times):
            with contextlib.suppress(OSError):
                os.utime(below.folder(path), ns=(modified, modified))


def _jobs(sources: Sequence[bytes], target: bytes, done: PassCopied, *, kernel: bool) -> Iterator[FileJob]:
    """Yield what there is to copy in jobs: a large file alone, small ones together; folders and links are made on the way."""
    for batch in batches(_files_of(sources, target, done), lambda one: one.size):
        yield "copy", (kernel, target, batch)


def _files_of(sources: Sequence[bytes], target: bytes, done: PassCopied) -> Iterator[Entry]:
    """Yield each file; create folders and links on the way."""
    with Below(target) as below:
        for entry in walk(sources):
            if entry.kind == "file":
                yield entry
            else:
                _make(entry, below, done)


def _make(entry: Entry, below: Below, done: PassCopied) -> None:
    """Make a folder or a link; take down what is neither."""
    try:
        if entry.kind == "folder":
            folder, name = below.of_file(entry.name)
            _make_folder(folder, name, entry.mode | 0o700)
            done.folder_times.append((entry.name, entry.modified))
        elif entry.kind == "link":
            folder, name = below.of_file(entry.name)
            os.symlink(os.readlink(entry.source), name, dir_fd=folder)
            done.links += 1
            with contextlib.suppress(OSError):
                os.utime(name, ns=(entry.modified, entry.modified), dir_fd=folder, follow_symlinks=False)
        else:
            done.leave_out(entry, entry.why)
    except OSError as error:
        failed = of_target(error)
        if isinstance(failed, TargetGoneError):
            raise TargetFailed(f"{os.fsdecode(entry.name)}: {failed}", code=failed.number) from error
        done.leave_out(entry, f"cannot be made there: {error.strerror}")


def _make_folder(folder: int, name: bytes, mode: int) -> None:
    """Make a folder with these rights; one that is there already is the same under another name.  Raises OSError."""
    try:
        os.mkdir(name, mode, dir_fd=folder)
    except FileExistsError:
        if not stat.S_ISDIR(os.stat(name, dir_fd=folder, follow_symlinks=False).st_mode):
            raise
        return
    with contextlib.suppress(OSError):  # file systems without rights; else what this process's mask took away
        os.chmod(name, mode, dir_fd=folder)


def _sized(entries: Iterator[tuple[bytes, int]], name: str) -> Iterator[FileJob]:
    return ((name, batch) for batch in batches(entries, lambda one: one[1]))


def _files(sources: Sequence[bytes]) -> Iterator[tuple[bytes, int]]:
    return ((e.source, e.size) for e in walk(sources) if e.kind == "file")


def drop_cache(pool: FilePool, sources: Sequence[bytes]) -> None:
    """Drop the sources from the system's cache; what was just written there is flushed first, as it would stay otherwise."""
    for folder in dict.fromkeys(s if os.path.isdir(s) else os.path.dirname(s.rstrip(b"/")) or b"." for s in sources):
        with contextlib.suppress(TargetFailed):
            for _ in pool.run(iter([("flush", folder)])):
                pass
    jobs = (("drop_cache", [path for path, _ in batch]) for _, batch in _sized(_files(sources), ""))
    for _ in pool.run(jobs):
        pass


def read_alone(pool: FilePool, sources: Sequence[bytes], told: Callable[[float, int], None]) -> tuple[int, float]:
    """Read everything and discard it; return the bytes and the seconds."""
    pulse, start = ProgressMeter(pool, told), time.perf_counter()
    total = sum(count for _, count in pool.run(_sized(_files(sources), "read"), pulse))
    return total, time.perf_counter() - start


def write_alone(
    pool: FilePool, sources: Sequence[bytes], target: bytes, told: Callable[[float, int], None]
) -> tuple[int, float]:
    """Write files of the same sizes from memory into an empty folder, all in one, with the flush; return the bytes and the seconds."""
    pulse, start = ProgressMeter(pool, told), time.perf_counter()
    named = ((b"%b/%d" % (target, number), size) for number, (_, size) in enumerate(_files(sources)))
    total = sum(count for _, count in pool.run(_sized(named, "write"), pulse))
    for _ in pool.run(iter([("flush", target)]), pulse):
        pass
    return total, time.perf_counter() - start


def sum_all(
    pool: FilePool, sources: Sequence[bytes], manifest: Writer, told: Callable[[float, int], None]
) -> list[str]:
    """Read everything below the sources and write its manifest; return the names of files that could not be read."""
    pulse, missed = ProgressMeter(pool, told), []
    entries = (e for e in walk(sources) if e.kind == "file")
    jobs = (("sums", [(e.source, e.size) for e in batch], batch) for batch in batches(entries, lambda e: e.size))
    waiting: dict[int, list[Entry]] = {}

    def given() -> Iterator[FileJob]:
        for name, files, batch in jobs:
            waiting[id(files)] = batch
            yield name, files

    for (_, files), sums in pool.run(given(), pulse):
        for entry, summed in zip(waiting.pop(id(files)), sums, strict=True):
            if summed is None:
                missed.append(os.fsdecode(entry.name))
            else:
                manifest.add(Line(entry.name, entry.size, entry.modified, summed))
    return missed
