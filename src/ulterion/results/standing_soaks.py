"""Which soak stands for a setup: a short one does not take the place of a long one, which shows more."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.facts.differences import ROOM, START, RunFacts, differences
from ulterion.core.soak.trace import LOAD
from ulterion.model.runs.soak import SoakRun

ABOUT_AS_LONG = 0.9  # of the longest load


def standing_soak(soaks: Sequence[SoakRun]) -> SoakRun | None:
    """Return the newest of several soaks of a setup whose load lasted about as long as the longest; None where there is none.

    Those from before something known has changed (the drive, its driver, the machine, ...) are superseded by the newest.
    """
    if not soaks:
        return None
    ordered = sorted(soaks, key=lambda run: (run.started, run.id))
    now = _facts(ordered[-1])
    alike = [run for run in ordered if not differences(_facts(run), now, leaving_out=(START, ROOM))]
    longest = max(load_seconds(run) for run in alike)
    return [run for run in alike if load_seconds(run) >= ABOUT_AS_LONG * longest][-1]


def standing_soaks(soaks: Sequence[SoakRun]) -> list[SoakRun]:
    """Return the soak that stands for each setup and load, in no order."""
    groups: dict[tuple[str | None, str], list[SoakRun]] = {}
    for run in soaks:
        groups.setdefault((run.setup, run.soak.text), []).append(run)
    return [found for group in groups.values() if (found := standing_soak(group)) is not None]


def load_seconds(run: SoakRun) -> float:
    """Return for how many seconds a soak was under load."""
    return sum(phase.seconds for phase in run.soak.phases if phase.name == LOAD)


def _facts(run: SoakRun) -> RunFacts:
    """Return the circumstances of a soak; how long it lasted is none of them."""
    return RunFacts(
        target=run.target,
        bench=run.bench,
        chain=tuple(run.chain),
        seconds=0.0,
        span_bytes=None,
        cache_bypassed=run.cache_bypassed,
    )
