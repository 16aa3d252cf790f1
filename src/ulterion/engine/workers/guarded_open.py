"""Opening files and devices that may not answer: by a child process, which hands the open file over and closes its own last.

A frozen file system, a dead network share or a device that hangs keeps whoever opens, closes or deletes something there, and
no signal helps.  The child is kept instead; the parent gives up after a while, or when it is asked to stop.
"""

from __future__ import annotations

import contextlib
import os
import pickle
import select
import signal
import socket
import struct
import time
from collections.abc import Callable
from functools import partial
from typing import TypeVar, cast

from ulterion.core.errors import TargetFailed
from ulterion.core.records import dataclass
from ulterion.engine.targets.test_file import OpenFile
from ulterion.engine.workers import children
from ulterion.model import child_process

About = TypeVar("About")
LENGTH = struct.Struct("<Q")


@dataclass
class _Holder:
    """The child that opened something, and the line to it."""

    line: socket.socket
    pid: int = 0

    def note(self, pid: int) -> None:
        self.pid = pid

    def let_go(self) -> None:
        """Tell it to close what it opened, and wait for that a moment; one that hangs is left to the kernel."""
        with contextlib.suppress(OSError):
            self.line.send(b".")
        self.line.close()
        until = time.monotonic() + children.GRACE
        while time.monotonic() < until:
            ended, _ = os.waitpid(self.pid, os.WNOHANG)
            if ended:
                return
            time.sleep(0.001)

    def drop(self) -> None:
        """End it whatever it does."""
        self.line.close()
        if self.pid:
            os.kill(self.pid, signal.SIGKILL)
            time.sleep(0.01)
            os.waitpid(self.pid, os.WNOHANG)


def opened(make: Callable[[], tuple[OpenFile, About]], name: str, seconds: float) -> tuple[OpenFile, About]:
    """Return what `make` opens in a child process, and what it says of it.

    Raises what `make` raises, and TargetFailed when there is no answer for `seconds`; `name` is for that message.
    """
    if not hasattr(os, "fork"):  # not a POSIX system
        return make()
    mine, its = socket.socketpair()
    holder = _Holder(mine)
    try:
        child_process.start(partial(_hold, make, its), holder.note, [mine.fileno()], dies=False)
        its.close()
        ended, fd = _answer(mine, name, seconds)
        direct, about = cast("tuple[bool, About]", children.value_of(ended))
    except BaseException:
        its.close()
        holder.drop()
        raise
    return OpenFile(fd, direct, let_go=holder.let_go), about


def _hold(make: Callable[[], tuple[OpenFile, About]], line: socket.socket) -> None:
    """In the child: open, hand over, wait until the parent no longer needs it or is gone, then close."""
    kept: list[OpenFile] = []

    def made() -> tuple[bool, object]:
        one, about = make()
        kept.append(one)
        return one.direct, about

    told = pickle.dumps(children.outcome(made))
    with contextlib.suppress(OSError):
        socket.send_fds(line, [LENGTH.pack(len(told)) + told], [one.fd for one in kept])
        line.recv(1)
    for one in kept:
        one.close()


def _answer(line: socket.socket, name: str, seconds: float) -> tuple[children.Outcome, int]:
    """Wait for the child's answer; return it with the descriptor, or -1 where it sent none."""
    data, fd, until = b"", -1, time.monotonic() + seconds
    while len(data) < LENGTH.size or len(data) < LENGTH.size + LENGTH.unpack_from(data)[0]:
        if not select.select([line], [], [], max(0.0, until - time.monotonic()))[0]:
            raise TargetFailed(
                f"{name} did not answer within {seconds:.0f} s of being opened: it is frozen, hangs, or is gone"
            )
        part, fds, _, _ = socket.recv_fds(line, 65536, 1)
        if not part:
            return ("broken", "it ended while it opened"), fd
        data += part
        fd = fds[0] if fds else fd
    ended: children.Outcome = pickle.loads(data[LENGTH.size :])
    return ended, fd
