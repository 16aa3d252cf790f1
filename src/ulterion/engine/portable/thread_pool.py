"""Workers as threads of this process, where there is no fork: with the same slots, supervision and messages.

A request that is never answered cannot be ended: its thread is left behind, and ends with the program.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Sequence
from functools import partial

from ulterion.core.errors import TargetFailed
from ulterion.engine.workers.children import GRACE, Outcome, outcome, value_of
from ulterion.engine.workers.worker_pool import LOOK, Job, WorkerPool
from ulterion.engine.workers.worker_slot import PAUSES, START, STOP, WorkerSlot

STOOD_STILL = 3.0  # seconds between two looks that are LOOK apart: the program, or the machine, stood still


class ThreadPool(WorkerPool):
    """Threads at work; used as `ulterion.engine.workers.worker_pool.WorkerPool` is."""

    def _begin(self, jobs: Sequence[Job]) -> None:
        """Start every job."""
        self._ended: list[Outcome | None] = [None] * len(jobs)
        self._news = threading.Event()
        self._looked = time.monotonic()
        self._threads = [
            threading.Thread(target=self._work, args=(number, job), daemon=True) for number, job in enumerate(jobs)
        ]
        for thread in self._threads:
            thread.start()

    def _work(self, number: int, job: Job) -> None:
        ended = outcome(partial(job, WorkerSlot(self._cells, number)))
        if self._alike and ended[0] != "done":
            self._cells[STOP] = 1
        self._ended[number] = ended
        self._news.set()

    def _wait_for_news(self) -> list[bool]:
        self._news.wait(LOOK)
        self._news.clear()
        now = time.monotonic()
        if now - self._looked > STOOD_STILL:
            self._cells[PAUSES] += 1
        self._looked = now
        return [one is None for one in self._ended]

    def results(self) -> list[object]:
        """Return each worker's result, or the TargetFailed in its place, once all have ended.  Raises any other error of a worker."""
        return [_value(ended) for ended in self._ended]

    def abandon(self) -> None:
        """Ask all to end, and wait a moment; one that hangs in a request is left behind."""
        self._cells[STOP] = 1
        self._cells[START] = self._cells[START] or 1
        until = time.monotonic() + GRACE
        for thread in self._threads:
            if thread.ident is not None:
                thread.join(max(0.0, until - time.monotonic()))


def _value(ended: Outcome | None) -> object:
    assert ended is not None
    try:
        return value_of(ended)
    except TargetFailed as error:
        return error
