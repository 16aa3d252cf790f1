"""Child processes: started with care, and what they say when they end.

A request to a device that does not answer cannot be interrupted, and neither can opening it.  So children do both, and the
parent only watches.
"""

from __future__ import annotations

import contextlib
import ctypes
import errno
import gc
import os
import signal
from collections.abc import Callable, Sequence
from typing import cast

from ulterion.core.errors import TargetFailed, UsageError, WorkerLost
from ulterion.model.systems import STOPPING

PR_SET_PDEATHSIG = 1  # prctl(2)
SCARCE = (errno.EMFILE, errno.ENFILE, errno.ENOMEM, errno.EAGAIN)  # what the system may run short of
GRACE = 5.0  # seconds that a child gets to end in order

Outcome = tuple[str, object]
"""How a child's work ended: a kind ('done', 'failed', 'refused', 'scarce', 'broken') and what belongs to it."""


def start(
    work: Callable[[], None], begun: Callable[[int], None], close: Sequence[int] = (), *, dies: bool = True
) -> None:
    """Run `work` in a child process, which closes the parent's descriptors in `close` first.

    `begun` is told the child's number before any signal can be raised, so that no child is forgotten.  With `dies` the child
    ends at once when the parent does.  Raises OSError when the system cannot start more processes.
    """
    parent = os.getpid()
    # a stop that arrived during the fork would be raised inside the interpreter's own fork hooks, and be lost there
    mask = signal.pthread_sigmask(signal.SIG_BLOCK, STOPPING)
    pid = -1
    try:
        pid = os.fork()
        if pid:
            begun(pid)
            return
    finally:
        if pid:
            signal.pthread_sigmask(signal.SIG_SETMASK, mask)
    try:  # the child: it leaves by _exit only, whatever happens
        for fd in close:
            with contextlib.suppress(OSError):
                os.close(fd)
        settle(parent, dies=dies)
        work()
    finally:
        os._exit(0)


def die_with_parent(number: int) -> None:
    """Ask the kernel to send this process a signal when its parent ends (prctl(2); Linux only)."""
    prctl = getattr(ctypes.CDLL(None), "prctl", None)
    if prctl is not None:
        prctl(PR_SET_PDEATHSIG, number, 0, 0, 0)


def settle(parent: int, *, dies: bool = True) -> None:
    """Die with the parent, and leave the stopping to it: a Ctrl-C reaches children too."""
    if dies:
        die_with_parent(signal.SIGKILL)
    if os.getppid() != parent:
        os._exit(1)
    _leave_streams()
    for number in STOPPING:
        signal.signal(number, signal.SIG_IGN)
    signal.pthread_sigmask(signal.SIG_UNBLOCK, STOPPING)
    gc.disable()


def _leave_streams() -> None:
    """Let go of the standard streams: a child that hangs in a device would else keep a pipe open, and its reader waiting."""
    nowhere = os.open(os.devnull, os.O_RDWR)
    for number in (0, 1, 2):
        os.dup2(nowhere, number)
    if nowhere > 2:
        os.close(nowhere)


def outcome(work: Callable[[], object]) -> Outcome:
    """Do work and return how it ended; it never raises, so that a parent can be told."""
    try:
        return "done", work()
    except TargetFailed as error:
        return "failed", (str(error), error.offset, error.moved, error.code)
    except UsageError as error:
        return "refused", str(error)
    except MemoryError:
        return "scarce", errno.ENOMEM
    except Exception as error:
        for one in (error, error.__cause__):
            if isinstance(one, OSError) and one.errno in SCARCE:
                return "scarce", one.errno
        return "broken", f"{type(error).__name__}: {error}"


def value_of(ended: Outcome) -> object:
    """Return what a child's work gave, or raise what it raised."""
    kind, value = ended
    if kind == "done":
        return value
    if kind == "failed":
        text, offset, moved, code = cast("tuple[str, int | None, int, int | None]", value)
        raise TargetFailed(text, offset=offset, moved=moved, code=code)
    if kind == "refused":
        raise UsageError(str(value))
    if kind == "scarce":
        number = cast(int, value)
        raise OSError(number, os.strerror(number))
    raise RuntimeError(f"a worker process failed: {value}")


def lost(status: int) -> WorkerLost:
    """Return the error for a child that ended without a word, by its wait status."""
    number = os.waitstatus_to_exitcode(status)
    how = f"ended by {signal.Signals(-number).name}" if number < 0 else f"ended with status {number}"
    why = "the system may have run short of memory" if number == -signal.SIGKILL else "it was killed from outside"
    return WorkerLost(f"a worker process was {how}: {why}; what was measured before is kept")
