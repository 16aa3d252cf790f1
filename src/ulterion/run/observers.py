"""What a run tells as it goes, and what came of it: all that a report may know of carrying runs out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from ulterion.core.errors import UlterionError
from ulterion.core.sharing import Sharing
from ulterion.core.soak.falls import Fall
from ulterion.core.soak.trace import TraceRow
from ulterion.engine import runner
from ulterion.model.runs.measure import MeasureRun
from ulterion.model.runs.notes import Note, Reading
from ulterion.model.runs.soak import SoakRun


class Observer(runner.Observer):
    """A runner's observer that also hears what is about to be tested."""

    def preparing(self, words: str) -> None:
        """Something makes the reviewer wait before the target is touched."""

    def opened(self, run: MeasureRun) -> None:
        """The target is open; nothing has been written to it yet."""

    def turn(self, run: MeasureRun) -> None:
        """Of several targets that were opened, what follows is told of this one."""


class SoakObserver:
    """What a soak tells as it goes.  Every method may be left as it is."""

    def preparing(self, words: str) -> None:
        """Something makes the reviewer wait before the target is touched."""

    def opened(self, run: SoakRun) -> None:
        """The target is open; nothing has been written to it yet."""

    def prefilling(self, done: int, total: int) -> None:
        """`done` of `total` bytes of a file to be read are on the medium."""

    def phase(self, name: str, until: str) -> None:
        """A phase begins; `until` says in words when it ends."""

    def row(self, name: str, row: TraceRow, seconds: float, moved: int) -> None:
        """An interval of a phase is over; the phase took `seconds` and moved `moved` bytes so far."""

    def events(self, falls: Sequence[Fall], load_start: float) -> None:
        """What happened to the rate so far."""

    def trouble(self, sensors: dict[str, str]) -> None:
        """What sensors without a value say."""

    def typed(self) -> list[str]:
        """Return the lines that the reviewer typed since the last call."""
        return []

    def noted(self, record: Reading | Note) -> None:
        """A reading or remark was kept."""


@dataclass(frozen=True)
class MeasureOutcome:
    """A finished measurement: the document, where it is, and the failure that ended it, if any."""

    run: MeasureRun
    path: Path
    failure: UlterionError | None


@dataclass(frozen=True)
class Soaked:
    """A finished soak: the document, where it is, and the failure that ended it, if any."""

    run: SoakRun
    path: Path
    failure: UlterionError | None


@dataclass(frozen=True)
class Shared:
    """What came of several targets at once.

    Attributes:
        targets: as named.
        workloads: the sharing of each workload, by its words.
        paths: the run documents.
        failures: sentences on targets that failed.
        failure: the first failure, or None.
    """

    targets: tuple[str, ...]
    workloads: dict[str, Sharing]
    paths: tuple[Path, ...]
    failures: tuple[str, ...]
    failure: UlterionError | None
