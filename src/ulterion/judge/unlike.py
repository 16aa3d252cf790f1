"""What could not be kept alike over the cells of a plan, though it bears on the figures."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.comparability import FULLER, WARMER
from ulterion.model.planned import runs_of_plan
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.measure import MeasureRun

NOT_ALIKE = "not alike"  # how the warning of a run begins, that its conditions could not be had


def unlike(review: Review, runs: Sequence[AnyRun]) -> list[str]:
    """Return in words what differed between the cells of each medium besides their levels."""
    media: dict[str, list[MeasureRun]] = {}
    for run in runs_of_plan(review, runs):
        if run.chain:
            media.setdefault(run.chain[-1], []).append(run)
    told = []
    for medium, mine in media.items():
        name = review.label(medium)
        told += [f"{name}: {words}" for words in _spans(mine) + _kinds(mine)]
        told += [f"{r.hookup}: {w.partition(': ')[2]}" for r in mine for w in r.warnings if w.startswith(NOT_ALIKE)]
    return told


def _spans(runs: Sequence[MeasureRun]) -> list[str]:
    told = []
    for what, values, limit, scale, unit in (
        ("the drive's temperature at the start", [r.target.temperature for r in runs], WARMER, 1.0, "C"),
        ("the room", [r.bench.room_temperature for r in runs], WARMER, 1.0, "C"),
        ("how full it was", [r.target.fill for r in runs], FULLER, 100.0, "%"),
    ):
        known = [v for v in values if v is not None]
        if known and max(known) - min(known) > limit:
            told.append(f"{what} went from {min(known) * scale:.0f} to {max(known) * scale:.0f} {unit}")
    return told


def _kinds(runs: Sequence[MeasureRun]) -> list[str]:
    told = []
    for what, values in (
        ("the file system", {r.target.filesystem for r in runs}),
        ("the mount options", {r.target.mount_options for r in runs}),
        ("the version of Ulterion", {r.bench.versions.get("ulterion") for r in runs}),
        ("the system", {(r.bench.host, r.bench.system) for r in runs}),
    ):
        known = {v if isinstance(v, str) else " ".join(str(p) for p in v if p) for v in values if v}
        hosts = {r.bench.host for r in runs}
        if len(known) > (len(hosts) if what == "the system" else 1):
            told.append(f"{what} was not always the same: {', '.join(sorted(known))}")
    return told
