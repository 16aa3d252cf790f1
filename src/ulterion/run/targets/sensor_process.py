"""The sensors of a soak at work: read in a process of their own, the newest values here."""

from __future__ import annotations

import contextlib
import json
import os
import select
import signal
import threading
import time
from collections.abc import Sequence
from functools import partial
from types import FrameType
from typing import Any

from ulterion.core.errors import TargetFailed
from ulterion.engine.workers.worker_pool import WorkerPool
from ulterion.engine.workers.worker_slot import WorkerSlot
from ulterion.host import commands
from ulterion.host.sampler import Watched, sample
from ulterion.host.sensors import Sensor
from ulterion.model.child_process import die_with_parent
from ulterion.model.systems import is_portable

NEVER = 1e12  # seconds: nobody gives up on a sampler that is silent


class Thermometers:
    """Sensors being read.  `values` are the newest, `trouble` what those that gave none said."""

    def __init__(self, sensors: Sequence[Sensor], interval: float) -> None:
        self.names = [s.name for s in sensors]
        self.values: dict[str, float | None] = dict.fromkeys(self.names)
        self.trouble: dict[str, str] = {}
        self._text = b""
        self._workers: WorkerPool | None = None
        self._near: list[Watched] = []
        self._over = threading.Event()
        if is_portable():  # no process can be split off: they are read by threads, and one that hangs is left behind
            self._near = [Watched(s, interval) for s in sensors]
            for one in self._near:
                threading.Thread(target=one.read_on, args=(self._over,), daemon=True).start()
        elif sensors:
            self._reader, writer = os.pipe()
            self._workers = WorkerPool([partial(_sample, sensors, interval, writer)], NEVER)
            os.close(writer)
            os.set_blocking(self._reader, False)

    def look(self) -> None:
        """Take in what the sensors gave since the last look; never waits."""
        if self._near:
            now = time.monotonic()
            self.values = {w.sensor.name: w.value(now) for w in self._near}
            self.trouble = {w.sensor.name: w.trouble for w in self._near if w.trouble}
        if self._workers is None:
            return
        with contextlib.suppress(TargetFailed):
            if not self._workers.begun:
                self._workers.look()
        while select.select([self._reader], [], [], 0)[0]:
            part = os.read(self._reader, 65536)
            if not part:
                self.values = dict.fromkeys(self.names)
                return
            self._text += part
        *lines, self._text = self._text.split(b"\n")
        for line in lines:
            data: dict[str, Any] = json.loads(line)
            self.values, self.trouble = data["values"], data["trouble"]

    def close(self) -> None:
        """Stop reading."""
        self._over.set()
        if self._near:
            commands.end_all()
        if self._workers is not None:
            self._workers.abandon()
            os.close(self._reader)
            self._workers = None


def _end_with_commands(number: int, frame: FrameType | None) -> None:
    commands.end_all()
    os._exit(1)


def _sample(sensors: Sequence[Sensor], interval: float, out: int, seat: WorkerSlot) -> None:
    # when the parent is killed the commands that are being asked must be ended too, so not at once
    signal.signal(signal.SIGUSR1, _end_with_commands)
    die_with_parent(signal.SIGUSR1)
    seat.wait_for_start()
    with contextlib.suppress(BrokenPipeError):
        sample(sensors, interval, out, seat.stop)
