"""How many workers a workload needs, so that the drive is the limit and not one processor."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import replace

from ulterion.core.workloads.overhead import BUSY
from ulterion.core.workloads.passes import PassResult
from ulterion.core.workloads.workload import DriveWorkload

SHALLOW = 4  # requests in flight up to which there is one worker, and no trial
TRIAL = 0.2  # seconds of a trial
GAIN = 1.05  # what more workers must bring at least


def split(workload: DriveWorkload, count: int) -> list[DriveWorkload]:
    """Return a workload as each of several workers runs it: together they keep its depth in flight."""
    whole, over = divmod(workload.depth, count)
    return [replace(workload, depth=whole + (worker < over)) for worker in range(count)]


def processors() -> int:
    """Return how many processors this program may use."""
    if hasattr(os, "sched_getaffinity"):
        return len(os.sched_getaffinity(0))
    return os.cpu_count() or 1


def needed(workload: DriveWorkload, trial: Callable[[DriveWorkload, int], PassResult]) -> int:
    """Return how many workers to use: one, unless it is busy nearly all the time and more of them are faster.

    `trial` runs a short pass with so many workers.
    """
    if workload.depth <= SHALLOW:
        return 1
    short = replace(workload, seconds=min(TRIAL, workload.seconds or TRIAL))
    best, chosen = trial(short, 1), 1
    most = min(processors(), workload.depth)
    count = 2
    while count <= most and (best.busy or 0.0) >= BUSY:
        tried = trial(short, count)
        if tried.rate < best.rate * GAIN:
            break
        best, chosen, count = tried, count, count * 2
    return chosen
