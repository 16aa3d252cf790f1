"""The runs of the last hours."""

from __future__ import annotations

import datetime
from collections.abc import Sequence

from ulterion.model.runs.document import AnyRun

LAST = 24 * 3600.0  # seconds before the newest run, where nothing else is asked for outside a review


def late(runs: Sequence[AnyRun], seconds: float) -> list[AnyRun]:
    """Return the newest run and those that began within so many seconds before it."""
    newest = max((r.started for r in runs), default=None)
    return [r for r in runs if newest is not None and newest - r.started <= datetime.timedelta(seconds=seconds)]
