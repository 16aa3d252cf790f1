"""Workers in processes of their own: started together and supervised, so that none is waited for in vain.

A request to a device that does not answer cannot be interrupted.  So requests are made by child processes, and the
parent, which keeps the journal and the screen, only watches: it counts what they report, stops them when asked to, and
leaves them behind when a device is silent for too long.  A child dies with its parent, whatever kills that.
"""

from __future__ import annotations

import mmap
import os
import pickle
import select
import signal
import time
from collections.abc import Callable, Sequence
from dataclasses import field
from functools import partial
from typing import TypeVar, cast

from ulterion.core.errors import TargetFailed
from ulterion.core.records import dataclass
from ulterion.core.workloads.passes import Tick
from ulterion.engine.workers.children import GRACE, lost, outcome, value_of
from ulterion.engine.workers.worker_slot import FIRST, FLUSHING, PAUSES, START, STOP, WorkerSlot
from ulterion.model.child_process import start

STALL = 60.0  # seconds without any completion after which a device counts as stalled
LOOK = 0.05  # seconds between two looks at the children
LEAD_NS = 2_000_000  # between the last child's being ready and the common start
FLUSH_PATIENCE = 3  # a flush reports nothing: so many times the patience where no counter shows that it goes on
ActivityCounter = Callable[[], object]
"""Something that changes as long as a target works: the kernel's counters of its device, or None where it has none."""


Result = TypeVar("Result")
Job = Callable[["WorkerSlot"], object]
"""What a child does; what it returns comes back to the parent."""


@dataclass
class _Child:
    pid: int
    pipe: int
    data: bytearray = field(default_factory=bytearray)
    open: bool = True


def run(
    jobs: Sequence[Callable[[WorkerSlot], Result]],
    tick: Tick | None = None,
    stall: float = STALL,
    pulse: ActivityCounter | None = None,
    pool: type[WorkerPool] | None = None,
) -> list[Result]:
    """Run each job in a child process (or by other `pool`), all started together; return their results in order.

    Raises TargetFailed with what the first failing child raised, or when none makes progress for `stall` seconds.
    """
    results = run_each(jobs, tick, stall, pulse, alike=True, pool=pool)
    raise_first(results)
    return cast("list[Result]", results)


def raise_first(results: Sequence[object]) -> None:
    """Raise the first TargetFailed among the results of children that worked on one target, with all bytes moved."""
    failure = next((r for r in results if isinstance(r, TargetFailed)), None)
    if failure is not None:
        failure.moved += sum(getattr(r, "moved", getattr(r, "bytes", 0)) for r in results if r is not failure)
        raise failure


def run_each(
    jobs: Sequence[Job],
    tick: Tick | None = None,
    stall: float = STALL,
    pulse: ActivityCounter | None = None,
    *,
    alike: bool = False,
    pool: type[WorkerPool] | None = None,
) -> list[object]:
    """Run jobs like `run`, but return the TargetFailed of a child in the place of its result.

    With `alike` a child that fails stops the others: they work on the same target.
    """
    workers = (pool or WorkerPool)(jobs, stall, pulse, alike=alike)
    try:
        while workers.look():
            if tick is not None and workers.begun:
                tick(time.monotonic() - workers.begun, workers.moved)
    except BaseException:
        workers.abandon()
        raise
    return workers.results()


class WorkerPool:
    """Children at work.

    Call `look` again and again until it returns False, then `results`; `abandon` on every other way out.

    Attributes:
        begun: when they were started together (`time.monotonic`), 0.0 before.
    """

    def __init__(
        self, jobs: Sequence[Job], stall: float = STALL, pulse: ActivityCounter | None = None, *, alike: bool = False
    ) -> None:
        self._cells = memoryview(mmap.mmap(-1, mmap.PAGESIZE)).cast("q")
        self._count = len(jobs)
        self._stall, self._pulse, self._alike = stall, pulse, alike
        self._seen: tuple[object, ...] = ()
        self._beat: object = None
        self._since, self.begun = time.monotonic(), 0.0
        try:
            self._begin(jobs)
        except BaseException:
            self.abandon()
            raise

    def _begin(self, jobs: Sequence[Job]) -> None:
        """Start every job."""
        self._children: list[_Child] = []
        for number, job in enumerate(jobs):
            _start(job, WorkerSlot(self._cells, number), self._children)

    def _wait_for_news(self) -> list[bool]:
        """Wait a moment for messages of workers; return for each whether it is still at work."""
        _read(self._children, self._cells, self._alike)
        return [c.open for c in self._children]

    @property
    def moved(self) -> int:
        """Bytes that all children have reported."""
        return sum(self._cells[FIRST + 2 * i + 1] for i in range(self._count))

    @property
    def pauses(self) -> int:
        """How often a child was stopped from outside and continued."""
        return int(self._cells[PAUSES])

    @property
    def silent(self) -> float:
        """Seconds since any child reported something new."""
        return time.monotonic() - self._since

    def look(self) -> bool:
        """Look once, waiting at most `LOOK` seconds for news; return whether any child is still at work.

        Gives the start when all are ready.  Raises TargetFailed when none made progress for too long.
        """
        cells, at_work = self._cells, self._wait_for_news()
        now = time.monotonic()
        if not cells[START] and all(cells[FIRST + 2 * i] or not on for i, on in enumerate(at_work)):
            cells[START] = time.perf_counter_ns() + LEAD_NS
            self.begun = self._since = now
        stages = [cells[FIRST + 2 * i] for i in range(len(at_work))]
        news = (self.moved, *stages, *at_work)
        flushing = any(stage == FLUSHING for stage, on in zip(stages, at_work, strict=True) if on)
        if news != self._seen:
            self._seen, self._since = news, now
            self._beat = self._pulse() if flushing and self._pulse is not None else None
        if now - self._since > self._stall:
            self._look_closer(now, flushing)
        return any(at_work)

    def _look_closer(self, now: float, flushing: bool) -> None:
        """Raise TargetFailed for a target that was silent for too long, unless it flushes and its device still works."""
        beat = self._pulse() if flushing and self._pulse is not None else None
        if beat is not None and beat != self._beat:
            self._beat, self._since = beat, now
            return
        silent = now - self._since
        if flushing and beat is None and silent <= self._stall * FLUSH_PATIENCE:
            return
        what = "the flush has not ended, and nothing moved" if flushing else "no request was answered"
        raise TargetFailed(f"{what} for {silent:.0f} s: the device is stalled", moved=self.moved)

    def stop(self) -> None:
        """Ask all children to end their work in order."""
        self._cells[STOP] = 1

    def results(self) -> list[object]:
        """Return each child's result, or the TargetFailed in its place, once all have ended."""
        self._close()
        return [_result(child) for child in self._children]

    def abandon(self) -> None:
        """End the children whatever they do."""
        _stop(self._children, self._cells)
        self._close()

    def _close(self) -> None:
        for child in self._children:
            if child.pipe >= 0:
                os.close(child.pipe)
                child.pipe = -1


def _start(job: Job, slot: WorkerSlot, others: list[_Child]) -> None:
    """Start a job in a child process and add it to the others."""
    reader, writer = os.pipe()

    def work() -> None:
        signal.signal(signal.SIGCONT, slot.continued)
        with os.fdopen(writer, "wb") as out:
            pickle.dump(outcome(partial(job, slot)), out)

    before = [c.pipe for c in others]
    try:
        start(work, lambda pid: others.append(_Child(pid, reader)), [reader, *before])
    except OSError:
        os.close(reader)
        raise
    finally:
        os.close(writer)


def _read(children: Sequence[_Child], cells: memoryview[int], alike: bool = True) -> None:
    """Take what children have written; with `alike` one that failed puts the stop sign up for the others."""
    ready, _, _ = select.select([c.pipe for c in children if c.open], [], [], LOOK)
    for child in children:
        if child.pipe in ready:
            part = os.read(child.pipe, 1 << 20)
            child.data += part
            if not part:
                child.open = False
                if alike and (not child.data or pickle.loads(bytes(child.data))[0] != "done"):
                    cells[STOP] = 1


def _stop(children: Sequence[_Child], cells: memoryview[int]) -> None:
    """Ask the children to stop, then end them; one that hangs in a request is left to the kernel."""
    cells[STOP] = 1
    cells[START] = cells[START] or 1
    until = time.monotonic() + GRACE
    while any(c.open for c in children) and time.monotonic() < until:
        _read(children, cells)
    for child in children:
        if child.open:
            os.kill(child.pid, signal.SIGKILL)
        os.waitpid(child.pid, os.WNOHANG)


def _result(child: _Child) -> object:
    """Return the result of a child that has ended, or its TargetFailed.  Raises any other error of the child."""
    _, status = os.waitpid(child.pid, 0)
    if not child.data:
        raise lost(status)
    try:
        return value_of(pickle.loads(bytes(child.data)))
    except TargetFailed as error:
        return error


__all__ = [
    "LOOK",
    "STALL",
    "ActivityCounter",
    "Job",
    "Result",
    "WorkerPool",
    "WorkerSlot",
    "raise_first",
    "run",
    "run_each",
]
