"""A workload as it is read from a document."""

from __future__ import annotations

from typing import Annotated, TypeVar

from ulterion.core.documents.fields import After, ToldBy
from ulterion.core.workloads.workload import DEEPEST, MAX_BLOCK, DriveWorkload, NetworkWorkload, Workload
from ulterion.model.quantities import MAX_COUNT

W = TypeVar("W", bound=Workload)


def checked_workload(workload: W) -> W:
    """Refuse a workload that cannot have been run: what is judged divides by its sizes.  Raises ValueError."""
    if not 1 <= workload.block_bytes <= MAX_BLOCK or not 1 <= workload.depth <= DEEPEST:
        raise ValueError("its request size or depth cannot be run")
    counts = [workload.concurrent_targets, workload.seconds or 0]
    if isinstance(workload, DriveWorkload):
        _check_drive(workload)
        counts += [workload.span_bytes or 0, workload.origin_bytes]
    if not all(0 <= value <= MAX_COUNT for value in counts):
        raise ValueError("it has an impossible size or length")
    return workload


def _check_drive(workload: DriveWorkload) -> None:
    share, place = workload.write_share, workload.place
    if (workload.direction == "mixed") != (share is not None) or (share is not None and not 0 <= share <= 1):
        raise ValueError("a mixed one, and only that, has a share of writes from 0 to 1")
    if place is not None and not 1 <= place[0] <= place[1] <= MAX_COUNT:
        raise ValueError("its place is none")


AnyWorkload = Annotated[Workload, ToldBy("pattern", (DriveWorkload, NetworkWorkload)), After(checked_workload)]
"""A workload of a drive or of a network; its pattern says which."""
