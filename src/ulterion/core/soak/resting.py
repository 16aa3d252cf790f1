"""How far a temperature is from rest: a sensor that stands still may have far to go.

Behind a heavy case a drive cools by a degree in some minutes for the better part of an hour, and a sensor of whole degrees stands still
meanwhile.  What is left is bounded by what such a body could still hide: the rest so far is a sum of falls with time constants of 10 to
350 s and of one slow body (`SLOW`), all of one sign (Newton's law of cooling); of all amounts that the slow body may still have to go,
the greatest is taken with which the sum fits about as well as it can (`WORSE`, `ROUGH`, `LEAST`).  benchmarks/rests.py counts how often
less than that is left.
"""

from __future__ import annotations

import math

from ulterion.core.arrays import Floats, np
from ulterion.core.soak.settling import SETTLED_OVER, SETTLED_WITHIN, is_settled, resolution_of

QUICK = (10.0, 25.0, 60.0, 150.0, 350.0)  # seconds: sensor, chip, board, small case
SLOW = (700.0, 2000.0)  # seconds: a heavy case, and the slowest that drives are put into
LEFT = (0.0, *(0.25 * 2 ** (n / 2) for n in range(13)))  # degrees that are tried
POINTS = 150  # that the rest is averaged down to
WORSE, ROUGH, LEAST = 1.1, 0.12, 0.03  # of the best sum of squares; of the sensor's resolution, or degrees besides
COARSE = 1.2  # resolutions within which a coarse sensor can tell rest


def left_to_settle(at: Floats, temperature: Floats) -> float | None:
    """Return by how many degrees a temperature may still move at rest, at most; None of a rest that is too short to tell.

    `at` are the seconds at which the rows of a rest begin, in equal steps; NaN where the temperature was not read.
    """
    known = np.isfinite(temperature)
    if known.sum() < 20 or float(at[known][-1] - at[known][0]) < SETTLED_OVER - 1:
        return None
    times, values = _averaged(at[known] - at[known][0], temperature[known])
    falls = 1.0 if values[-1] <= values[0] else -1.0
    heights = falls * values - float((falls * values).min()) + 100.0  # above zero: all weights are
    quick = np.exp(-times[:, None] / np.array(QUICK))
    squares, left = _fits(np.column_stack([quick, np.ones_like(times)]), heights, times)
    rough = max(ROUGH * resolution_of(temperature[known]), LEAST) ** 2 * times.size
    return float(left[squares <= WORSE * float(squares.min()) + rough].max())


def stands_still(at: Floats, temperature: Floats) -> bool:
    """Return whether a temperature has stood still for two minutes at the end of its rows."""
    return at.size > 1 and is_settled(at, temperature, float(2 * at[-1] - at[-2]))


def is_at_rest(at: Floats, temperature: Floats) -> bool:
    """Return whether a temperature stands still, and what may be left is within a degree, or little more than a step of a coarse sensor."""
    known = temperature[np.isfinite(temperature)]
    if not stands_still(at, temperature):
        return False
    left = left_to_settle(at, temperature)
    return left is not None and left <= max(SETTLED_WITHIN, COARSE * resolution_of(known))


def _fits(columns: Floats, heights: Floats, times: Floats) -> tuple[Floats, Floats]:
    """Return the sums of squares for every slow body and amount that it may have to go at the end, and what all have to go together.

    The best weights that are none below zero are the best of a subset of the columns; there are so few that each subset is tried.
    """
    slow = np.exp(-times[:, None] / np.array(SLOW))
    # a triangle of all columns gives the same squares with fewer rows
    triangle = np.asarray(np.linalg.qr(np.column_stack([columns, slow, heights]), mode="r"))
    mine, count = triangle[:, : columns.shape[1]], columns.shape[1]
    lefts, bodies = (grid.ravel() for grid in np.meshgrid(LEFT, np.arange(len(SLOW))))
    values = triangle[:, -1:] - triangle[:, count + bodies] * (lefts / slow[-1, bodies])
    used = (np.arange(1, 2**count)[:, None] >> np.arange(count)) % 2 == 1  # subsets x columns
    weights = np.linalg.pinv(mine * used[:, None, :]) @ values * used[:, :, None]
    squares = ((values - mine @ weights) ** 2).sum(axis=1)
    squares[(weights < 0).any(axis=1)] = np.inf
    best = squares.argmin(axis=0)
    every = np.arange(values.shape[1])
    ends = columns[-1, :-1] @ weights[best, :-1, every].T
    return squares[best, every], lefts + ends


def _averaged(times: Floats, values: Floats) -> tuple[Floats, Floats]:
    step = math.ceil(times.size / POINTS)
    whole = times.size // step * step
    return times[-whole:].reshape(-1, step).mean(axis=1), values[-whole:].reshape(-1, step).mean(axis=1)
