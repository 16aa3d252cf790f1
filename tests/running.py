"""The program in a process of its own, without a second for starting Python each time: forked from the tests, warm.

What starting itself proves is proven with the installed program (`FolderCase.installed`); signals, terminals and two
programs at once need a process, but not a fresh one.
"""

from __future__ import annotations

import contextlib
import os
import signal
import sys
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import IO

LONGEST = 120.0  # seconds that any program started by a test may take
MAX_DESCRIPTORS = 1024


def heed_signals() -> None:
    """Let a child heed the signals that the tests send, also where the tests run as a background job that ignores them."""
    signal.signal(signal.SIGINT, signal.default_int_handler)
    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, signal.SIG_DFL)


class Running:
    """A command line at work in a forked process; used as one uses a started program."""

    def __init__(
        self, arguments: Sequence[str], folder: Path, environment: Mapping[str, str], *, stdin: int | None = None,
        stdout: int | None = None, stderr: int | None = None, prepare: Callable[[], None] = heed_signals,
        session: bool = False,
    ) -> None:  # fmt: skip
        """Start it: streams are descriptors, or None for a pipe (`stdout`, `stderr`: text files here) or nothing (input)."""
        ours: list[IO[str] | None] = []
        theirs: list[int] = [os.open(os.devnull, os.O_RDONLY) if stdin is None else stdin]
        for given in (stdout, stderr):
            reading, writing = os.pipe() if given is None else (-1, given)
            ours.append(os.fdopen(reading, errors="surrogateescape") if given is None else None)
            theirs.append(writing)
        self.stdout, self.stderr = ours
        self.returncode: int | None = None
        self.pid = os.fork()
        if not self.pid:
            _be_the_program(arguments, folder, environment, theirs, prepare, session=session)
        for ends, given in zip(theirs, (stdin, stdout, stderr), strict=True):
            if given is None:
                os.close(ends)

    def __enter__(self) -> Running:
        return self

    def __exit__(self, *_: object) -> None:
        self.end()

    def poll(self) -> int | None:
        """Return the exit status, or None while it runs."""
        if self.returncode is None:
            pid, status = os.waitpid(self.pid, os.WNOHANG)
            if pid:
                self.returncode = os.waitstatus_to_exitcode(status)
        return self.returncode

    def wait(self, timeout: float = LONGEST) -> int:
        """Wait for its end; it is killed, and TimeoutError raised, when it takes too long."""
        until = time.monotonic() + timeout
        while self.poll() is None:
            if time.monotonic() > until:
                self.end()
                raise TimeoutError(f"the program was not over after {timeout:.0f} s")
            time.sleep(0.005)
        assert self.returncode is not None
        return self.returncode

    def communicate(self, timeout: float = LONGEST) -> tuple[str, str]:
        """Return what it says until its end."""
        said = ["", ""]

        def read(at: int, stream: IO[str]) -> None:
            said[at] = stream.read()

        readers = [threading.Thread(target=read, args=(at, s), daemon=True)
                   for at, s in enumerate((self.stdout, self.stderr)) if s is not None]  # fmt: skip
        for reader in readers:
            reader.start()
        self.wait(timeout)
        for reader in readers:
            reader.join(timeout)
        return said[0], said[1]

    def send_signal(self, number: int) -> None:
        """Send it a signal, unless it is over."""
        if self.poll() is None:
            os.kill(self.pid, number)

    def kill(self) -> None:
        """End it at once."""
        self.send_signal(signal.SIGKILL)

    def end(self) -> None:
        """Be rid of it, whatever it does."""
        self.kill()
        if self.returncode is None:
            self.wait()
        for stream in (self.stdout, self.stderr):
            if stream is not None:
                stream.close()


def _be_the_program(
    arguments: Sequence[str], folder: Path, environment: Mapping[str, str], streams: Sequence[int],
    prepare: Callable[[], None], *, session: bool,
) -> None:  # fmt: skip
    """In the child: become what a shell would have started, and leave by _exit only."""
    status = 99
    try:
        if session:
            os.setsid()
        for at, descriptor in enumerate(streams):
            os.dup2(descriptor, at)
        os.closerange(3, MAX_DESCRIPTORS)
        sys.stdin, sys.stdout = os.fdopen(0, closefd=False), os.fdopen(1, "w", closefd=False)
        sys.stderr = os.fdopen(2, "w", errors="backslashreplace", closefd=False)
        os.chdir(folder)
        os.environ.clear()
        os.environ.update(environment)
        prepare()
        sys.argv = ["ulterion", *arguments]
        from ulterion.__main__ import main

        status = main()
    except SystemExit as asked:
        status = int(asked.code or 0)
    finally:
        for stream in (sys.stdout, sys.stderr):
            with contextlib.suppress(OSError, ValueError):
                stream.flush()
        os._exit(status)
