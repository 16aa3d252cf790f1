"""Whether a rate follows the place on the medium: a spinning disk is slower inside than outside (zoned recording).

A load that goes through its span in order, round after round, has every place again and again.  Where the rate of a place repeats
from round to round, and sinks from the beginning of the span to its end, the medium has zones, whatever the kernel takes it for: USB
bridges that say nothing are rotating to it, and some that rotate are not.  In less than a round only a smooth decline of a disk that
the kernel takes for one is told so.
"""

from __future__ import annotations

from ulterion.core.arrays import Floats, np
from ulterion.core.records import dataclass
from ulterion.core.soak.smoothing import running_median
from ulterion.core.soak.trace import Trace

PLACES = 24  # that a span is divided into
SMOOTH = 7  # places that the middle one of is taken: a disk that tidies up is slow at some
ROUNDS = 1.3  # from which on places come again
EXPLAINED = 0.6  # share of the variance of the logs that the place must explain, in later rounds by the first
SINKS = -0.9  # rank correlation of place and rate
DEEP = 0.92  # rate at the end over that at the beginning, at most
STEEPEST = 0.5  # share of the decline between two neighbouring places, at most: zones are many, a cache has one edge


@dataclass(frozen=True)
class Zones:
    """What the place makes of the rate.

    Attributes:
        first, last: rates at the beginning and the end of the span, bytes per second.
        share: of the first, for every row.
        rounds: how often the span was gone through.
    """

    first: float
    last: float
    share: Floats
    rounds: float


def zones(load: Trace) -> Zones | None:
    """Return how a load's rate follows the place, or None where it does not, or that cannot be determined."""
    if load.span is None or load.at.size < 4 * PLACES:
        return None
    moved = load.rate * load.seconds
    middle = np.cumsum(moved) - moved / 2
    rounds = float(moved.sum()) / load.span
    if rounds < ROUNDS and not load.rotational:
        return None
    position = (middle % load.span) / min(load.span, float(moved.sum())) * PLACES
    place = np.minimum(position, PLACES - 1).astype(np.int64)
    first_round = middle < load.span
    profile = _profile(place[first_round], load.rate[first_round])
    if profile is None or not _sinks(profile):
        return None
    if rounds >= ROUNDS and _explained(load.rate[~first_round], profile[place[~first_round]]) < EXPLAINED:
        return None
    smooth = np.interp(position - 0.5, np.arange(PLACES), profile)
    return Zones(float(profile[0]), float(profile[-1]), np.asarray(smooth / profile[0]), rounds)


def _profile(place: np.ndarray, rate: Floats) -> Floats | None:
    """Return the middle rate of each place, dips of a few places smoothed away; None when a place was never met."""
    rates = [rate[place == p] for p in range(PLACES)]
    if any(r.size == 0 for r in rates):
        return None
    medians = np.array([float(np.median(r)) for r in rates])
    smooth = running_median(medians, SMOOTH)
    return smooth if bool((smooth > 0).all()) else None


def _sinks(profile: Floats) -> bool:
    if profile[-1] > DEEP * profile[0]:
        return False
    logs = np.log(profile)
    steps = -np.diff(logs)
    decline = float(logs[0] - logs[-1])
    return _rank_correlation(profile) <= SINKS and float(steps.max()) <= STEEPEST * decline


def _rank_correlation(values: Floats) -> float:
    """Return Spearman's correlation of values with their order: that of their ranks, equal ones sharing the middle of theirs."""
    _, group, counts = np.unique(values, return_inverse=True, return_counts=True)
    ranks = (np.cumsum(counts) - (counts - 1) / 2)[group]
    return float(np.corrcoef(np.arange(values.size), ranks)[0, 1])


def _explained(rate: Floats, expected: Floats) -> float:
    """Return the share of the spread of the logs that is explained, single rows that stand out left aside."""
    logs, wanted = np.log(np.maximum(rate, 1.0)), np.log(expected)
    spread = float(np.subtract(*np.percentile(logs, [85, 15])))
    left = float(np.subtract(*np.percentile(logs - wanted, [85, 15])))
    return 1 - (left / spread) ** 2 if spread > 0 else 0.0
