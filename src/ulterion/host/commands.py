"""Running a command of the reviewer's: bounded in time and output, and gone with all its children when it is over.

The command runs in a session of its own, so that it and whatever it starts can be ended together.
"""

from __future__ import annotations

import contextlib
import ctypes
import os
import selectors
import signal
import subprocess
import threading
import time
from collections.abc import Sequence

from ulterion.core.records import dataclass

MAX_OUTPUT = 65536  # bytes; a probe prints one number
LOOK = 0.1  # seconds
PR_SET_PDEATHSIG = 1  # prctl(2)
_LIBC = ctypes.CDLL(None) if hasattr(os, "fork") else None
_running: set[int] = set()
_lock = threading.Lock()


class CommandError(Exception):
    """A command that could not be run, hung, or printed without end, and which."""


@dataclass(frozen=True)
class Done:
    """What a command that ended left: its exit status, and what it printed on both outputs."""

    status: int
    out: str
    err: str


def run(words: Sequence[str], seconds: float) -> Done:
    """Run a command without a shell and without input; raise CommandError when it does not end properly in time."""
    if not hasattr(os, "killpg"):
        return _run_alone(words, seconds)
    try:
        process = subprocess.Popen(
            words,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            start_new_session=True,
            preexec_fn=_die_with_parent,
        )
    except (OSError, ValueError, subprocess.SubprocessError) as error:
        raise CommandError(f"cannot be run: {getattr(error, 'strerror', None) or error}") from error
    with _lock:
        _running.add(process.pid)
    try:
        return _finished(process, time.monotonic() + seconds, seconds)
    finally:
        _end(process.pid)
        for pipe in (process.stdout, process.stderr):
            if pipe is not None:
                pipe.close()
        process.wait()
        with _lock:
            _running.discard(process.pid)


def _run_alone(words: Sequence[str], seconds: float) -> Done:
    """Run a command where there are no sessions of processes: only itself can be ended, not what it started."""
    try:
        done = subprocess.run(words, stdin=subprocess.DEVNULL, capture_output=True, timeout=seconds, check=False)
    except subprocess.TimeoutExpired as error:
        raise CommandError(f"gave no answer within {seconds:.0f} s") from error
    except (OSError, ValueError, subprocess.SubprocessError) as error:
        raise CommandError(f"cannot be run: {getattr(error, 'strerror', None) or error}") from error
    if max(len(done.stdout), len(done.stderr)) > MAX_OUTPUT:
        raise CommandError("never stops printing")
    out, err = (part.decode("utf-8", "replace") for part in (done.stdout, done.stderr))
    return Done(done.returncode, out, err)


def _die_with_parent() -> None:
    """In the command's process: end when we do, whatever ends us (Linux only)."""
    prctl = getattr(_LIBC, "prctl", None)
    if prctl is not None:
        prctl(PR_SET_PDEATHSIG, signal.SIGKILL, 0, 0, 0)


def _finished(process: subprocess.Popen[bytes], until: float, seconds: float) -> Done:
    """Read both outputs until the command has ended; its children may hold them open longer and are not waited for."""
    printed: dict[str, bytearray] = {"out": bytearray(), "err": bytearray()}
    with selectors.DefaultSelector() as pipes:
        for name, pipe in (("out", process.stdout), ("err", process.stderr)):
            assert pipe is not None
            os.set_blocking(pipe.fileno(), False)
            pipes.register(pipe, selectors.EVENT_READ, name)
        while True:
            ended = process.poll() is not None
            for key, _ in pipes.select(0 if ended else LOOK):
                part = os.read(key.fd, MAX_OUTPUT)
                printed[key.data] += part
                if not part:
                    pipes.unregister(key.fileobj)
                if len(printed[key.data]) > MAX_OUTPUT:
                    raise CommandError("never stops printing")
            if ended:
                out, err = (bytes(p).decode("utf-8", "replace") for p in printed.values())
                return Done(process.returncode, out, err)
            if time.monotonic() > until:
                raise CommandError(f"gave no answer within {seconds:.0f} s")
            if not pipes.get_map():
                time.sleep(LOOK / 10)


def _end(session: int) -> None:
    """End a command and all it started."""
    with contextlib.suppress(OSError):
        os.killpg(session, signal.SIGKILL)


def end_all() -> None:
    """End every command that is running now; for a process that is about to end."""
    with _lock:
        for session in _running:
            _end(session)
