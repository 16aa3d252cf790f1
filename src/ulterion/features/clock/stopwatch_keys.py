"""The stopwatch at a terminal: single keys in, one line out."""

from __future__ import annotations

import contextlib
import os
import select
import sys
import time
from collections.abc import Iterator
from importlib.util import find_spec
from typing import TYPE_CHECKING

from ulterion.terminal.environment import Environment

if TYPE_CHECKING:
    from ulterion.core.transfers.timings import Timing
    from ulterion.features.clock.stopwatch import Stopwatch

PULSE = 0.1  # seconds between two looks at the line
WIDEST = 400


def timed_live(env: Environment, size: str | None, reaction_seconds: float) -> Timing:
    """Run a stopwatch at the terminal and return what it timed; raise UsageError where there is no terminal, Interrupted on Ctrl-C."""
    from ulterion.core.errors import Interrupted, UsageError
    from ulterion.core.transfers.timings import read_size
    from ulterion.features.clock.stopwatch import Stopwatch
    from ulterion.terminal.signals import stoppable

    if sys.stdin is None or not sys.stdin.isatty() or not env.err.isatty() or find_spec("termios") is None:
        raise UsageError(
            "a stopwatch needs a terminal; type the timing instead: ulterion clock --setup NAME '4.2 GB in 1m12s'"
        )
    watch = Stopwatch(read_size(size) if size else None, reaction_seconds)
    with stoppable():
        try:
            _work(watch, env)
            return _asked(watch, env)
        except Interrupted as error:
            env.err.write("\n")
            raise Interrupted(f"{error}; the stopwatch was not stopped, so nothing was kept") from error


def _work(watch: Stopwatch, env: Environment) -> None:
    fd = sys.stdin.fileno()
    with _single_keys(fd):
        while watch.state != "over":
            env.err.write(f"\r\x1b[2K{_cut(watch.line(time.monotonic()))}")
            env.err.flush()
            if select.select([fd], [], [], PULSE)[0]:
                at = time.monotonic()  # when the key was there, before it is read
                for key in os.read(fd, 64).decode("utf-8", "ignore"):
                    watch.press(key, at)
    env.err.write(f"\r\x1b[2K{_cut(watch.line(time.monotonic()).partition(' | ')[0])}\n")
    env.err.flush()


def _cut(line: str) -> str:
    with contextlib.suppress(OSError):
        return line[: (os.get_terminal_size(2).columns or WIDEST) - 1]
    return line[:WIDEST]


@contextlib.contextmanager
def _single_keys(fd: int) -> Iterator[None]:
    """Let the terminal pass on each key at once without showing it, within the block."""
    import termios
    import tty

    before = termios.tcgetattr(fd)
    try:
        tty.setcbreak(fd)
        yield
    finally:
        termios.tcsetattr(fd, termios.TCSADRAIN, before)


def _asked(watch: Stopwatch, env: Environment) -> Timing:
    """Ask for the sizes that are not known, as the device shows them."""
    whole = watch.size or _ask(env, "How much in total, as the device shows it? ")
    assert whole is not None
    over = None
    if watch.broke_off and not watch.laps:
        over = _ask(env, "How much was transferred when it stopped (Enter: unknown)? ", must=False)
    return watch.timing(whole, over)


def _ask(env: Environment, question: str, *, must: bool = True) -> tuple[float, float] | None:
    from ulterion.core.errors import Interrupted, UsageError
    from ulterion.core.transfers.timings import read_size

    while True:
        env.err.write(question)
        env.err.flush()
        line = sys.stdin.readline()
        if not line:
            raise Interrupted("no answer")
        if not line.strip() and not must:
            return None
        try:
            return read_size(line.strip())
        except UsageError as error:
            env.err.write(f"{error}\n")
