"""Whether a setup takes a recording, and what so long a one fills and takes to be emptied."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence

from ulterion.core.errors import UsageError
from ulterion.core.estimates.transfer_time import Recording, Work, recording, work
from ulterion.core.records import dataclass
from ulterion.core.soak.classes import SPEED_CLASSES
from ulterion.core.units import parse_rate
from ulterion.features.claims.capacity_proofs import holds
from ulterion.features.estimate.transfer_time import NORMAL, end_of, soak_on
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun


@dataclass(frozen=True)
class Recorded:
    """A recording on a setup.

    Attributes:
        setup: which.
        recording: whether the stream is taken, None where not soaked yet.
        average: bytes per second written where it was measured, timed or copied to, but not soaked; `below` whether that is surely less than the stream.
        speed_class: the highest video speed class that its soak kept, or None.
        media: how many of its medium a recording of that length fills, None without a length or a stated capacity.
        emptying: how long it takes to read all of it there, None likewise, or where reading was not measured.
    """

    setup: str
    recording: Recording | None
    average: float | None = None
    below: bool = False
    speed_class: int | None = None
    media: int | None = None
    emptying: Work | None = None


def stream_of(text: str) -> float:
    """Return the bytes per second of a rate, or of a speed class such as 'V60'; raise UsageError."""
    match = re.fullmatch(r"\s*[vV](\d+)\s*", text)
    if match is None:
        return parse_rate(text)
    if int(match[1]) not in SPEED_CLASSES:
        raise UsageError(f"'{text}' is not a video speed class; there are {', '.join(f'V{c}' for c in SPEED_CLASSES)}")
    return int(match[1]) * 1e6


def recordings(
    review: Review,
    runs: Sequence[AnyRun],
    stream: float,
    buffer: float,
    size: float | None,
    *,
    setups: Sequence[str] = (),
) -> list[Recorded]:
    """Return for each setup whether it takes a stream (bytes per second), and what `size` bytes of it fill."""
    return [_recorded(review, runs, name, stream=stream, buffer=buffer, size=size) for name in setups or _media(review)]


def _media(review: Review) -> list[str]:
    """Return the setups that end at a medium: nothing is recorded on a peer."""
    return [n for n, h in review.setups.items() if not review.is_peer(h.medium)]


def _recorded(
    review: Review, runs: Sequence[AnyRun], setup: str, stream: float, buffer: float, *, size: float | None
) -> Recorded:
    soak, end = soak_on(runs, setup, "write"), end_of(review, runs, setup, "write")
    lowest = soak.findings.lowest if soak is not None else None
    told = recording(stream, end[0], lowest.by_row, buffer) if end is not None and lowest is not None else None
    room = holds(review, runs, review.setups[setup].medium)
    back = end_of(review, runs, setup, "read")
    average = end[0].rate if end is not None and told is None else None
    return Recorded(
        setup=setup,
        recording=told,
        average=average,
        below=average is not None and end is not None and average * math.exp(NORMAL * end[0].error) < stream,
        speed_class=lowest.speed_class if lowest is not None else None,
        media=None if size is None or room is None else math.ceil(size / room.bytes),
        emptying=None if size is None or back is None else work(size, [back[0]]),
    )
