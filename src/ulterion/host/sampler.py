"""Reading sensors again and again, in a process of its own, so that a slow or hanging one holds nothing up.

Each sensor has a thread; every interval one line of JSON with the newest values goes out.  A value older than `STALE`
intervals is no value.
"""

from __future__ import annotations

import json
import os
import threading
import time
from collections.abc import Sequence
from typing import Protocol

from ulterion.host import commands
from ulterion.host.sensors import Sensor, SensorError

STALE = 3.0  # intervals
MIN_STALE = 5.0  # seconds


class Stop(Protocol):
    """What tells to stop."""

    def is_set(self) -> bool:
        """Return whether to stop."""


class Watched:
    """A sensor, its newest value, and what it said last when it gave none."""

    def __init__(self, sensor: Sensor, interval: float) -> None:
        self.sensor, self._interval = sensor, interval
        self._value: tuple[float, float] | None = None
        self.trouble = ""

    def read_on(self, stop: Stop) -> None:
        """Read until told to stop."""
        while not stop.is_set():
            begin = time.monotonic()
            try:
                self._value, self.trouble = (self.sensor.read(), begin), ""
            except SensorError as error:
                self._value, self.trouble = None, str(error)
            time.sleep(max(0.05, self._interval - (time.monotonic() - begin)))

    def value(self, now: float) -> float | None:
        """Return the newest value, None when it is too old."""
        latest = self._value
        if latest is None or now - latest[1] > max(MIN_STALE, STALE * self._interval):
            return None
        return latest[0]


def sample(sensors: Sequence[Sensor], interval: float, out: int, stop: Stop) -> None:
    """Write a line {"at": monotonic seconds, "values": {...}, "trouble": {...}} to `out` every interval until told to stop."""
    watched = [Watched(s, interval) for s in sensors]
    for one in watched:
        threading.Thread(target=one.read_on, args=(stop,), daemon=True).start()
    try:
        _report(watched, interval, out, stop)
    finally:
        commands.end_all()


def _report(watched: Sequence[Watched], interval: float, out: int, stop: Stop) -> None:
    due = time.monotonic()
    while not stop.is_set():
        now = time.monotonic()
        if now >= due:
            values = {w.sensor.name: w.value(now) for w in watched}
            trouble = {w.sensor.name: w.trouble for w in watched if w.trouble}
            os.write(out, (json.dumps({"at": now, "values": values, "trouble": trouble}) + "\n").encode())
            due += interval
        time.sleep(0.05)
