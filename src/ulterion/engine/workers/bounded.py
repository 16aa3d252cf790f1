"""Work on data from strangers, done by a child process with a limit of memory."""

from __future__ import annotations

import contextlib
import gc
import os
import pickle
import signal
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar, cast

from ulterion.core.errors import UsageError
from ulterion.core.units import show_block
from ulterion.engine.workers import children
from ulterion.model import child_process

Value = TypeVar("Value")


def bounded(work: Callable[[], Value], most_bytes: int, what: str) -> Value:
    """Return the result of `work`, done by a child process that may take `most_bytes` of memory more than this process has.

    Raises what `work` raises, and UsageError, with `what` for the message, where the memory is not enough.  Where a system has
    no fork, or sets no limit, the work is done all the same.
    """
    if not hasattr(os, "fork"):
        return work()
    reader, writer = os.pipe()
    started: list[int] = []

    def in_child() -> None:
        gc.enable()
        _limit(most_bytes)
        ended = children.outcome(work)
        with os.fdopen(writer, "wb") as out:
            try:
                pickle.dump(ended, out)
            except MemoryError:
                pickle.dump(("scarce", None), out)

    try:
        child_process.start(in_child, started.append, [reader])
        os.close(writer)
        writer = -1
        data = child_process.all_of(reader)
    except BaseException:
        for pid in started:
            os.kill(pid, signal.SIGKILL)
        raise
    finally:
        for fd in (reader, writer):
            if fd >= 0:
                os.close(fd)
        status = os.waitpid(started[0], 0)[1] if started else 0
    if not data:
        raise children.lost(status)
    ended: children.Outcome = pickle.loads(data)
    if ended[0] == "scarce":
        raise UsageError(f"{what} takes more than {show_block(most_bytes)} of memory, more than any review needs")
    return cast("Value", children.value_of(ended))


def _limit(most_bytes: int) -> None:
    """Let this process take only so much address space more (setrlimit(2))."""
    with contextlib.suppress(ImportError, OSError, ValueError):
        import resource

        now = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
        _, hard = resource.getrlimit(resource.RLIMIT_AS)
        resource.setrlimit(resource.RLIMIT_AS, (now + most_bytes, hard))
