"""What moving bytes draws: energy per gigabyte, from soaks in which power was logged."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.arrays import np
from ulterion.core.links.ceilings import Direction
from ulterion.core.records import dataclass
from ulterion.core.soak.findings import energy_of
from ulterion.core.soak.trace import IDLE, LOAD, POWER, Trace
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.soak import SoakRun


@dataclass(frozen=True)
class Energy:
    """What a soak's load drew.

    Attributes:
        setup, run: which soak; `direction` what it did.
        joules: drawn over the load; `peak` the most W of any interval.
        idle: mean W at rest before it, None where there was no rest.
        moved: bytes; `seconds` of the load.
    """

    setup: str
    run: str
    direction: Direction
    joules: float
    peak: float
    idle: float | None
    moved: float
    seconds: float

    @property
    def watts(self) -> float:
        """Mean under the load."""
        return self.joules / self.seconds

    @property
    def per_gigabyte(self) -> float:
        """J per GB (1e9 bytes), all that was drawn meanwhile."""
        return self.joules / (self.moved / 1e9)

    @property
    def above_rest(self) -> float | None:
        """J per GB beyond what is drawn at rest in the same time, None where that is not known."""
        return None if self.idle is None else (self.watts - self.idle) * self.seconds / (self.moved / 1e9)


def energies(runs: Sequence[AnyRun], setups: Sequence[str] = ()) -> list[Energy]:
    """Return what the newest soak of each setup and direction drew, where its power was logged."""
    newest: dict[tuple[str, str], Energy] = {}
    for run in sorted(runs, key=lambda r: r.started):
        if isinstance(run, SoakRun) and not run.excluded and (not setups or run.setup in setups):
            found = _energy(run)
            if found is not None:
                newest[found.setup, found.direction] = found
    return sorted(newest.values(), key=lambda e: (e.direction, e.per_gigabyte))


def power_logged(run: AnyRun) -> tuple[float, float] | None:
    """Return mean and most W of a soak's load, None where they were not logged."""
    found = _energy(run) if isinstance(run, SoakRun) and not run.excluded else None
    return None if found is None else (found.watts, found.peak)


def _energy(run: SoakRun) -> Energy | None:
    trace = run.trace()
    load, rest = trace.phase(LOAD), trace.phase(IDLE)
    loaded = None if load is None else trace.during(load)
    joules = None if loaded is None else energy_of(loaded)
    if loaded is None or joules is None or not float((loaded.rate * loaded.seconds).sum()):
        return None
    return Energy(
        setup=run.setup or run.target.model or run.id,
        run=run.id,
        direction="read" if run.soak.workload.direction == "read" else "write",
        joules=joules,
        peak=float(np.nanmax(loaded.sensors[POWER])),
        idle=None if rest is None else _mean(trace.during(rest)),
        moved=float((loaded.rate * loaded.seconds).sum()),
        seconds=float(loaded.seconds.sum()),
    )


def _mean(part: Trace) -> float | None:
    """Return the mean W of a part of a trace, None where too little of it was logged."""
    joules, seconds = energy_of(part), float(part.seconds.sum())
    return None if joules is None or not seconds else joules / seconds
