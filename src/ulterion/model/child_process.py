"""Starting child processes that never outlive their parent, keep none of its streams, and leave a stop to it."""

from __future__ import annotations

import contextlib
import ctypes
import gc
import os
import signal
from collections.abc import Callable, Sequence

from ulterion.model.systems import STOPPING

PR_SET_PDEATHSIG = 1  # prctl(2)
PIECE = 2**20  # bytes read from a child at a time


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


def all_of(reader: int) -> bytes:
    """Return what a child writes to a pipe until it closes its end."""
    data = bytearray()
    while part := os.read(reader, PIECE):
        data += part
    return bytes(data)


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
