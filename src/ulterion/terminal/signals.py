"""Being asked to stop: Ctrl-C, and the signals that end a session or a service."""

from __future__ import annotations

import contextlib
import signal
from collections.abc import Iterator
from types import FrameType

BY = {
    "SIGINT": "stopped by hand",
    "SIGTERM": "stopped by the system (SIGTERM)",
    "SIGHUP": "stopped because the terminal closed (SIGHUP)",
}


@contextlib.contextmanager
def stoppable() -> Iterator[None]:
    """Within the block the first of these signals raises Interrupted; later ones are ignored while things are saved."""
    from ulterion.core.errors import Interrupted
    from ulterion.model.systems import STOPPING

    # what the caller has ignored stays so: nohup, or a job that a script put into the background
    numbers = [number for number in STOPPING if signal.getsignal(number) != signal.SIG_IGN]

    def stop(number: int, frame: FrameType | None) -> None:
        for each in numbers:
            signal.signal(each, signal.SIG_IGN)
        raise Interrupted(BY[signal.Signals(number).name])

    before = {number: signal.signal(number, stop) for number in numbers}
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)
