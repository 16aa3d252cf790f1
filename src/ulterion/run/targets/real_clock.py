"""What targets of this machine have in common: their time is real, and their seeds are drawn."""

from __future__ import annotations

import datetime
import secrets
import time
from collections.abc import Sequence

from ulterion.model.runs.header import run_id
from ulterion.run.targets.protocol import Identity


class RealTime:
    """The clock of a target that is no simulated one."""

    simulated = False

    def started(self, ends: Sequence[datetime.datetime]) -> datetime.datetime:
        """Return the present moment."""
        return datetime.datetime.now(datetime.UTC)

    def seconds_since(self, started: datetime.datetime) -> float:
        """Return how long ago that was."""
        return (datetime.datetime.now(datetime.UTC) - started).total_seconds()

    def resumed_at(self, last: float, started: datetime.datetime) -> float:
        """Return the present moment, seconds since the soak began."""
        return max(last, self.seconds_since(started))

    def seed_and_id(self, seed: int | None, told: str) -> Identity:
        """Return a seed, drawn unless one is given, and an id."""
        return Identity(secrets.randbits(31) if seed is None else seed, run_id(secrets.token_bytes(3)))

    def rest(self, seconds: float) -> None:
        """Let real time pass; signals end it by their handlers."""
        time.sleep(seconds)
