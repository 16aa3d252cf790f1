"""What moving bytes draws: energy per gigabyte, from soaks in which power was logged."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ulterion.core.ceilings import Direction
from ulterion.core.soak.trace import IDLE, LOAD, POWER, Trace
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.soak import SoakRun

LEAST_LOGGED = 0.8  # share of a load's time in which power must be known


@dataclass(frozen=True)
class Energy:
    """What a soak's load drew.

    Attributes:
        hookup, run: which soak; `direction` what it did.
        watts: mean under the load; `peak` the most of any interval.
        idle: mean W at rest before it, None where there was no rest.
        moved: bytes; `seconds` of the load.
        joules: over the load, intervals without a value taken as its mean.
    """

    hookup: str
    run: str
    direction: Direction
    watts: float
    peak: float
    idle: float | None
    moved: float
    seconds: float

    @property
    def joules(self) -> float:
        """Energy of the load."""
        return self.watts * self.seconds

    @property
    def per_gigabyte(self) -> float:
        """J per GB (1e9 bytes), all that was drawn meanwhile."""
        return self.joules / (self.moved / 1e9)

    @property
    def above_rest(self) -> float | None:
        """J per GB beyond what is drawn at rest in the same time, None where that is not known."""
        return None if self.idle is None else (self.watts - self.idle) * self.seconds / (self.moved / 1e9)


def energies(runs: Sequence[AnyRun], hookups: Sequence[str] = ()) -> list[Energy]:
    """Return what the newest soak of each hookup and direction drew, where its power was logged."""
    newest: dict[tuple[str, str], Energy] = {}
    for run in sorted(runs, key=lambda r: r.started):
        if isinstance(run, SoakRun) and not run.left_out and (not hookups or run.hookup in hookups):
            found = _energy(run)
            if found is not None:
                newest[found.hookup, found.direction] = found
    return sorted(newest.values(), key=lambda e: (e.direction, e.per_gigabyte))


def power_logged(run: AnyRun) -> tuple[float, float] | None:
    """Return mean and most W of a soak's load, None where they were not logged."""
    found = _energy(run) if isinstance(run, SoakRun) and not run.left_out else None
    return None if found is None else (found.watts, found.peak)


def _energy(run: SoakRun) -> Energy | None:
    if not any(s.name == POWER for s in run.soak.sensors):
        return None
    trace = run.trace()
    load, rest = trace.phase(LOAD), trace.phase(IDLE)
    loaded = None if load is None else trace.during(load)
    drawn = None if loaded is None else _mean(loaded)
    if loaded is None or drawn is None or not float((loaded.rate * loaded.seconds).sum()):
        return None
    direction: Direction = "read" if run.soak.workload.direction == "read" else "write"
    values = loaded.sensors[POWER]
    return Energy(
        run.hookup or run.target.model or run.id,
        run.id,
        direction,
        drawn,
        float(np.nanmax(values)),
        _mean(trace.during(rest)) if rest is not None else None,
        float((loaded.rate * loaded.seconds).sum()),
        float(loaded.seconds.sum()),
    )


def _mean(part: Trace) -> float | None:
    """Return the mean W over time of a part of a trace, None where too little of it was logged."""
    values = part.sensors.get(POWER)
    if values is None or not values.size:
        return None
    known = np.isfinite(values)
    if float(part.seconds[known].sum()) < LEAST_LOGGED * float(part.seconds.sum()):
        return None
    return float(np.average(values[known], weights=part.seconds[known]))
