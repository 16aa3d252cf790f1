"""Makes the engine ready before any clock starts, and measures its own cost: the tool's share of a request."""

from __future__ import annotations

import functools
import os
import time
from collections.abc import Callable

from ulterion.core.records import dataclass
from ulterion.core.workloads.workload import DriveWorkload, parse_workload
from ulterion.engine.portable.turns import on
from ulterion.engine.requests import compiler, loops, uring
from ulterion.engine.requests.compiler import words_of
from ulterion.engine.requests.io_methods import Positional, Threads, WorkerTask
from ulterion.engine.requests.request_loop import RequestRecorder
from ulterion.engine.requests.ring_loop import RingLoop
from ulterion.model.systems import is_portable, system

SECONDS = 0.02  # of each trial; with the compiled loops loaded, all takes a tenth of a second
TRIALS = 3  # of each kind, of which the least counts: whatever else the machine does only ever adds
BLOCK, SPAN, DEPTH = 4096, 1 << 22, 32
LOOKS = 2000  # at the clock, to know what one costs


@dataclass(frozen=True)
class RequestCost:
    """Our own cost of a request, seconds.

    Attributes:
        one: with one request at a time, what is added to each turn: counting, the next offset, looks at the clock.
        deep: on a ring with 32 in flight, a request's whole way through loop and kernel when it does nothing; None without a ring.
            By threads the same, of 32 threads that take turns in one interpreter.
        uncompiled: why the loops run as they are written, None where they are compiled.
    """

    one: float
    deep: float | None
    uncompiled: str | None


def _trial(depth: int) -> DriveWorkload:
    return parse_workload(f"random read 4 KiB depth {depth}").settled(SECONDS, SPAN)


def _one_at_a_time() -> float:
    """Return the time of a turn over memory that is not in the request, and a look at the clock, seconds."""
    memory = os.memfd_create("ulterion-calibration")
    try:
        os.ftruncate(memory, SPAN)
        os.pwrite(memory, bytes(SPAN), 0)
        moved = Positional().move(WorkerTask(memory, _trial(1), 1))
    finally:
        os.close(memory)
    (recorder,) = moved.recorders
    room = words_of(memoryview(bytearray(16)), "q")
    looks = loops.clock_cost(room, LOOKS) / LOOKS / 1e9
    turn = (moved.last_ns - moved.start_ns) / recorder.requests / 1e9
    return max(0.0, turn - recorder.latency.mean) + looks


class _Nothing:
    """A file on which a request does nothing but let the other threads run, as a request to the system does."""

    direct, sector = True, 1

    def __init__(self) -> None:
        self._nowhere = os.open(os.devnull, os.O_RDONLY)

    def read(self, address: int, size: int, offset: int) -> int:
        """Pretend to read; return that all was moved."""
        os.read(self._nowhere, 1)
        return size

    write = read

    def preallocate(self, size: int) -> bool:
        """Return that nothing was set aside."""
        return False

    def flush(self) -> None:
        """Do nothing."""

    def close(self) -> None:
        """Let go."""
        os.close(self._nowhere)


def _by_threads(depth: int) -> float:
    """Return the time of a turn by threads that do nothing, and wait for each other's turns, seconds."""
    nothing = _Nothing()
    try:
        io_method = Positional() if depth == 1 else Threads()
        moved = io_method.move(on(WorkerTask(-1, _trial(depth), 1), nothing))
    finally:
        nothing.close()
    return (moved.last_ns - moved.start_ns) / max(1, sum(r.requests for r in moved.recorders)) / 1e9


def _threads_cost() -> RequestCost:
    """Return the cost of the portable engine."""
    one = _least(lambda: _by_threads(1))
    # on a completion port one thread has all requests: what many threads cost says nothing of it
    many = None if system() == "windows" else _least(lambda: _by_threads(DEPTH))
    return RequestCost(one, many, compiler.WHY_NOT)


def _least(trial: Callable[[], float]) -> float:
    return min(trial() for _ in range(TRIALS))


def _deep() -> float:
    """Return the time of a request that does nothing, on a ring that is kept full, seconds."""
    loop = RingLoop(0, _trial(DEPTH), 1, nothing=True, recorder=RequestRecorder(BLOCK))
    start = time.perf_counter_ns()
    loop.run(start, start + round(SECONDS * 1e9))
    return (loop.recorder.last_ns - start) / loop.recorder.requests / 1e9


@functools.cache
def own_cost() -> RequestCost:
    """Make the engine ready and return its cost; once in a process, so that its children inherit the compiled code."""
    if is_portable():
        return _threads_cost()
    ring = uring.available() is None
    _one_at_a_time()  # the first time compiles, or loads what was compiled
    if ring:
        _deep()
    return RequestCost(_least(_one_at_a_time), _least(_deep) if ring else None, compiler.WHY_NOT)
