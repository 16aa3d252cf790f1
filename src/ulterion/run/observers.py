"""What a run tells as it goes, and what came of it: all that a report may know of carrying runs out."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any, Generic, TypeVar

from ulterion.core.errors import UlterionError
from ulterion.core.records import dataclass
from ulterion.core.sharing import Sharing
from ulterion.core.soak.falls import Fall
from ulterion.core.soak.trace import TraceRow
from ulterion.engine import runner
from ulterion.model.runs.copied import CopyPass
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.notes import Note, Reading

Run = TypeVar("Run", bound=AnyRun)


class Observer(runner.Observer):
    """What a run of any kind tells as it goes.  Every method may be left as it is; a run tells what its kind has."""

    def preparing(self, words: str) -> None:
        """Something makes the reviewer wait before the target is touched."""

    def opened(self, run: Any) -> None:
        """The target is open, and it is known what will be run; nothing has been written to it yet."""

    def turn(self, run: Any) -> None:
        """Of several open targets, the next events belong to this one."""

    def stage(self, what: str, size: int) -> None:
        """A stage of a copy or a proof begins, in words, with its bytes; `tick` tells how far it is."""

    def copied(self, record: CopyPass) -> None:
        """A copy is finished."""

    def phase(self, name: str, until: str) -> None:
        """A phase of a soak begins; `until` says in words when it ends."""

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

    def close(self) -> None:
        """The run is over, however it ended."""


@dataclass(frozen=True)
class Kept(Generic[Run]):
    """A run that was kept: its document, where it is, and the failure or stop that ended it early, if any."""

    run: Run
    path: Path
    failure: UlterionError | None = None


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
