"""Work that a child process does while this process does other work."""

from __future__ import annotations

import contextlib
import os
import pickle
import signal
import threading
from collections.abc import Callable, Iterator
from typing import TypeVar, cast

from ulterion.model import child_process

Value = TypeVar("Value")


@contextlib.contextmanager
def beside(work: Callable[[], Value]) -> Iterator[Callable[[], Value | None]]:
    """Do `work` in a child process while the block runs.

    Yields a function that waits for the value of the work. It returns None where there is none: the child could not be started, or failed.
    The value must be one that can be pickled. The child is gone when the block ends.
    """
    if not can_do_two():
        yield lambda: None
        return
    started: list[int] = []
    reader, writer = os.pipe()

    def in_child() -> None:
        with os.fdopen(writer, "wb") as out:
            pickle.dump(work(), out)

    try:
        try:
            with contextlib.suppress(OSError):  # too many processes: the work is then left to this one
                child_process.start(in_child, started.append, [reader])
        finally:
            os.close(writer)
        yield lambda: _value(reader)
    finally:
        os.close(reader)
        for pid in started:
            os.kill(pid, signal.SIGKILL)
            os.waitpid(pid, 0)


def can_do_two() -> bool:
    """Return whether a child process would gain time, and may be started: a fork copies one thread only, and the locks of all."""
    return hasattr(os, "fork") and (os.cpu_count() or 1) > 1 and threading.active_count() == 1


def _value(reader: int) -> Value | None:
    """Return what a child has sent until it closed its end; None where that is not whole."""
    try:
        return cast("Value", pickle.loads(child_process.all_of(reader)))
    except (EOFError, pickle.UnpicklingError):
        return None
