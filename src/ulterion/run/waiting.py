"""Waiting until a hand has plugged something in: looking again whenever the system reports a change, and every second."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TypeVar

from ulterion.core.errors import UsageError
from ulterion.host.uevents import Uevents

SETTLED = 2.0  # seconds that what was found must stay as it is
STEP = 1.0  # seconds between two looks; mounting sends no message

Found = TypeVar("Found")


def wait_until(look: Callable[[], Found | None], seconds: float, late: Callable[[], str]) -> Found:
    """Return what `look` finds once it finds it twice, two seconds apart; raise UsageError with `late()` when the time is up."""
    events, until = Uevents(), time.monotonic() + seconds
    try:
        while True:
            if look() is not None:
                time.sleep(SETTLED)
                settled = look()
                if settled is not None:
                    return settled
                continue
            left = until - time.monotonic()
            if left <= 0:
                raise UsageError(late())
            events.wait(min(left, STEP))
    finally:
        events.close()
