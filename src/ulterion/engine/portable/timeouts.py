"""Calls that may never return, such as one to a hanging device, made by a thread that can be left behind."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from typing import Generic, TypeVar

from ulterion.core.errors import TargetFailed

LOOK = 0.05  # seconds between two looks at whether it has come back: where a Ctrl-C is heard
Made = TypeVar("Made")


class _Call(Generic[Made]):
    def __init__(self, work: Callable[[], Made]) -> None:
        self._work = work
        self.given: list[Made] = []
        self.raised: list[Exception] = []
        self.over = threading.Event()

    def run(self) -> None:
        try:
            self.given.append(self._work())
        except Exception as error:  # handed on to who waits
            self.raised.append(error)
        self.over.set()


def in_time(work: Callable[[], Made], name: str, seconds: float) -> Made:
    """Return the result of `work`, or raise its error; raise TargetFailed where it does not return within the time."""
    call = _Call(work)
    threading.Thread(target=call.run, daemon=True).start()
    until = time.monotonic() + seconds
    while not call.over.wait(LOOK):
        if time.monotonic() > until:
            raise TargetFailed(f"{name} did not answer within {seconds:.0f} s: it is frozen, hangs, or is gone")
    if call.raised:
        raise call.raised[0]
    return call.given[0]
