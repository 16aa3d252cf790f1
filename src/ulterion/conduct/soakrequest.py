"""What a soak is asked for, whom it tells, and what comes of it."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

from ulterion.conduct.permits import Overwrite
from ulterion.core.errors import UlterionError
from ulterion.core.soak.falls import Fall
from ulterion.core.soak.trace import Row
from ulterion.core.workload import Workload
from ulterion.engine.crew import STALL
from ulterion.engine.load import FileSizes
from ulterion.host import sensors
from ulterion.model.runs.document import Note, Reading, RunDocument
from ulterion.model.runs.soak import SoakPlan
from ulterion.model.store import ReviewFolder


@dataclass(frozen=True)
class SoakRequest:
    """What the reviewer asked for.

    Attributes:
        review: where the run is kept.
        target: folder or device given on the command line, or None for the hookup's.
        hookup: name of the hookup, or None.
        workload: the load.
        plan: phases and when they end.
        files: sizes of the files of a write-delete load, or None for a load on one file.
        span_bytes: stretch of the medium, or None for the default.
        seed: of offsets, data and simulated noise; None to draw one.
        stall: seconds without an answer after which a device counts as stalled.
        overwrite: the permit to write to a raw device.
        accept: go on with a drive, port or link other than the hookup expects.
        sensors: further sensors, tried already.
        pace: virtual seconds for each real one on the simulated bench; None: as fast as it goes.
        previous: a soak that was cut off and is taken up again, or None.
    """

    review: ReviewFolder
    target: str | None
    hookup: str | None
    workload: Workload
    plan: SoakPlan
    files: FileSizes | None = None
    span_bytes: int | None = None
    seed: int | None = None
    stall: float = STALL
    overwrite: Overwrite = field(default_factory=Overwrite)
    accept: bool = False
    sensors: Sequence[sensors.Sensor] = ()
    pace: float | None = None
    previous: RunDocument | None = None


class SoakObserver:
    """What a soak tells as it goes.  Every method may be left as it is."""

    def opened(self, run: RunDocument) -> None:
        """The target is open; nothing has been written to it yet."""

    def laying(self, done: int, total: int) -> None:
        """`done` of `total` bytes of a file to be read are on the medium."""

    def phase(self, name: str, until: str) -> None:
        """A phase begins; `until` says in words when it ends."""

    def row(self, name: str, row: Row, seconds: float, moved: int) -> None:
        """An interval of a phase is over; the phase took `seconds` and moved `moved` bytes so far."""

    def events(self, found: Sequence[Fall], load_start: float) -> None:
        """What happened to the rate so far."""

    def trouble(self, sensors: dict[str, str]) -> None:
        """What sensors without a value say."""

    def typed(self) -> list[str]:
        """Return the lines that the reviewer typed since the last call."""
        return []

    def noted(self, record: Reading | Note) -> None:
        """A reading or remark was kept."""


@dataclass(frozen=True)
class Soaked:
    """A finished soak: the document, where it is, and the failure that ended it, if any."""

    run: RunDocument
    path: Path
    failure: UlterionError | None


def seconds_since(run: RunDocument) -> float:
    """Return how many seconds ago a run was said to have started."""
    return (datetime.datetime.now(datetime.UTC) - datetime.datetime.fromisoformat(run.started)).total_seconds()
