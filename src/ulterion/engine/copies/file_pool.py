"""Workers that move files while the parent only watches: a device that falls silent must not take the program with it."""

from __future__ import annotations

import contextlib
import mmap
import multiprocessing.connection
import os
import signal
import time
from collections.abc import Callable, Iterator, Sequence
from typing import Any, Protocol

import numpy as np

from ulterion.core.errors import TargetFailed
from ulterion.engine.copies import jobs
from ulterion.engine.workers import children
from ulterion.model import child_process

PULSE = 0.1  # seconds between two looks at how much was moved
PATIENCE = 10  # times as long, where nothing shows whether a flush goes on
SLOT = 8  # bytes

FileJob = tuple[str, Any]
Done = Iterator[tuple[FileJob, Any]]
"""The name of a function of `jobs`, and what it is given."""


class JobRunner(Protocol):
    """Runs jobs, real or simulated, among them those of a capacity proof."""

    @property
    def moved(self) -> int:
        """Bytes moved so far."""

    def now(self) -> float:
        """Return the time on its clock, seconds."""

    def run(self, work: Iterator[FileJob], watch: Callable[[], None] = ...) -> Done:
        """Run jobs; yield each with its result, and call `watch` now and then.  Raises TargetFailed."""


class FilePool:
    """Workers, each at one job at a time; used in a `with`.  `moved` is what all of them moved so far, bytes."""

    def __init__(self, count: int, stall: float, pulse: Callable[[], object] | None = None) -> None:
        self.stall, self._pulse = stall, pulse
        self._slots = np.frombuffer(mmap.mmap(-1, max(count, 1) * SLOT), dtype=np.int64)
        self._lines: list[multiprocessing.connection.Connection[Any, Any]] = []
        self._pids: list[int] = []
        for number in range(count):
            self._start(number)

    def _start(self, number: int) -> None:
        ours, theirs = multiprocessing.connection.Pipe()
        slots, near = self._slots, [line.fileno() for line in (*self._lines, ours)]

        def work() -> None:
            def moved(count: int) -> None:
                slots[number] += count

            jobs.serve(theirs, moved, number)

        child_process.start(work, self._pids.append, near)
        theirs.close()
        self._lines.append(ours)

    def __enter__(self) -> FilePool:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    @property
    def moved(self) -> int:
        """Bytes moved so far."""
        return int(self._slots.sum())

    def now(self) -> float:
        """Return the time on the machine's steadiest clock, seconds."""
        return time.perf_counter()

    def run(self, work: Iterator[FileJob], watch: Callable[[], None] = lambda: None) -> Done:
        """Run jobs, as many at a time as there are workers; yield each with its result.

        `watch` is called every tenth of a second.  Raises TargetFailed when nothing moves for `stall` seconds (a flush moves what the kernel
        counts; where it counts nothing it gets ten times as long), or a worker is lost.
        """
        busy: dict[int, FileJob] = {}
        idle, more = list(range(len(self._lines))), True
        seen, since = self._beat(), time.monotonic()
        patience = self.stall if self._pulse is not None else self.stall * PATIENCE
        while more or busy:
            while more and idle:
                job = next(work, None)
                if job is None:
                    more = False
                    break
                at = idle.pop()
                self._lines[at].send(job)
                busy[at] = job
            if not busy:
                break
            ready = multiprocessing.connection.wait([self._lines[at] for at in busy], PULSE)
            for at in [at for at in busy if self._lines[at] in ready]:
                answer = self._answer(at)
                idle.append(at)
                yield busy.pop(at), answer
            watch()
            if ready or self._beat() != seen:
                seen, since = self._beat(), time.monotonic()
            elif time.monotonic() - since > patience:
                raise TargetFailed(f"nothing moved for {patience:g} s: the device does not respond")

    def _beat(self) -> object:
        """Return values that change as long as data moves: our own bytes, and the kernel's counters of the device."""
        return self.moved, self._pulse() if self._pulse is not None else None

    def _answer(self, at: int) -> Any:
        try:
            ended = self._lines[at].recv()
        except (EOFError, OSError) as error:
            raise TargetFailed("a worker process was killed from outside") from error
        return children.value_of(ended)

    def all_of(self, work: Sequence[FileJob]) -> list[Any]:
        """Run a few jobs and return their results, in no particular order."""
        return [answer for _, answer in self.run(iter(work))]

    def close(self) -> None:
        """Let the workers go; one that does not answer is left behind, ended as soon as its device lets it."""
        for line in self._lines:
            line.close()
        until = time.monotonic() + children.GRACE / 5
        for pid in self._pids:
            ended = 0
            with contextlib.suppress(ChildProcessError):
                while not ended and time.monotonic() < until:
                    ended, _ = os.waitpid(pid, os.WNOHANG)
                    if not ended:
                        time.sleep(0.005)
                if not ended:
                    os.kill(pid, signal.SIGKILL)
                    os.waitpid(pid, os.WNOHANG)
        self._lines, self._pids = [], []
