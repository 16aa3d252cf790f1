"""Copies as numbers: classes of files by size, which end was slow, and what a file and a byte cost."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal

from ulterion.core.arrays import np
from ulterion.core.records import dataclass
from ulterion.core.stats.nonnegative import nonnegative
from ulterion.core.stats.student import t_quantile

CLASSES = {
    "below 16 KiB": 2**14,
    "below 256 KiB": 2**18,
    "below 4 MiB": 2**22,
    "below 64 MiB": 2**26,
    "64 MiB and more": math.inf,
}
"""Names of the classes of files, and the size that each stays below."""
FAR = 1.5  # times slower than either end alone is held by neither
PLAINLY = 1.1  # times as fast is plainly faster
End = Literal["source", "target", "both", "neither", "one drive"]


@dataclass
class Classed:
    """Files of one class: how many, their bytes, and the seconds their workers took."""

    files: int = 0
    bytes: int = 0
    seconds: float = 0.0

    def add(self, size: int, seconds: float) -> None:
        """Count a file."""
        self.files, self.bytes, self.seconds = self.files + 1, self.bytes + size, self.seconds + seconds


def class_of(size: int) -> str:
    """Return the class of a file of so many bytes."""
    return next(name for name, below in CLASSES.items() if size < below)


def by_turns(source: float, target: float) -> float:
    """Return the rate of one drive that reads and writes by turns, of what it does of each alone."""
    return 1 / (1 / source + 1 / target)


def slow_end(copied: float, source: float, target: float, *, one_drive: bool = False) -> End:
    """Return which end was the bottleneck of a copy, by the rates of the copy and of each end alone, bytes per second.

    `one_drive` says that both ends are on the same drive.
    """
    turns = by_turns(source, target)
    if one_drive and turns / FAR < copied < turns * FAR:
        return "one drive"
    if not min(source, target) / FAR <= copied <= PLAINLY * min(source, target):
        return "neither"
    if source < target / PLAINLY:
        return "source"
    return "target" if target < source / PLAINLY else "both"


@dataclass(frozen=True)
class Cost:
    """What copying costs: seconds = files x `per_file` + bytes / `rate`.

    Attributes:
        per_file: seconds.
        rate: bytes per second, infinite where bytes cost no effect.
        spread: standard deviation of the log of a folder's time around it, `df` its degrees of freedom.
        copies: how many folders it rests on.
        least, most: mean size of a file in those copies, bytes: beyond it nothing is foretold.
    """

    per_file: float
    rate: float
    spread: float
    df: int
    copies: int
    least: float = 0.0
    most: float = math.inf

    def covers(self, files: int, size: int) -> bool:
        """Return whether files of such a mean size are near enough to those that were copied."""
        return files > 0 and self.least / NEAR <= size / files <= self.most * NEAR

    def seconds(self, files: int, size: int) -> float:
        """Return what so many files of so many bytes in all take."""
        return files * self.per_file + size / self.rate

    def between(self, files: int, size: int, level: float = 0.90) -> tuple[float, float]:
        """Return the interval that holds the time of one such copy, at a level, seconds."""
        half = t_quantile(self.df, 0.5 + level / 2) * self.spread * math.sqrt(1 + 1 / self.copies)
        middle = self.seconds(files, size)
        return middle * math.exp(-half), middle * math.exp(half)


NEAR = 3.0  # times smaller or larger in the mean than what was copied
FEWEST = 3  # folders that a cost rests on
USUAL_SPREAD, USUAL_DF = 0.08, 4
"""Of the log of a folder's time around the cost, before any is known: benchmarks/copies.py, on a device of a known rate."""


def cost_of(copies: Sequence[tuple[int, int, float]]) -> Cost | None:
    """Return what copying costs from (files, bytes, seconds) of copies; None from fewer than three folders, or all of one kind.

    Copies of one folder (as many files and bytes) are one observation, their mean: how far they lie apart says nothing of other folders.
    Least squares of the relative errors with neither part below zero (C. L. Lawson, R. J. Hanson, Solving Least Squares Problems, 1974).  From few
    folders the spread is drawn towards the usual one (the moderated variance of G. K. Smyth, 2004).
    """
    folders = _folders(copies)
    if len(folders) < FEWEST or not _of_several_kinds(folders):
        return None
    files, size, seconds = (np.array(column, dtype=float) for column in zip(*folders, strict=True))
    (per_file, per_byte), _ = nonnegative(np.column_stack([files / seconds, size / seconds]), np.ones(len(folders)))
    told = files * per_file + size * per_byte
    own = len(folders) - 2
    squares = float(np.sum(np.log(seconds / told) ** 2))
    spread = math.sqrt((squares + USUAL_DF * USUAL_SPREAD**2) / (own + USUAL_DF))
    rate = 1 / per_byte if per_byte > 0 else math.inf
    means = size / files
    least, most = float(means.min()), float(means.max())
    return Cost(
        per_file=float(per_file),
        rate=float(rate),
        spread=spread,
        df=own + USUAL_DF,
        copies=len(folders),
        least=least,
        most=most,
    )


def _folders(copies: Sequence[tuple[int, int, float]]) -> list[tuple[int, int, float]]:
    """Return copies of the same files as one, with their mean time."""
    times: dict[tuple[int, int], list[float]] = {}
    for files, size, seconds in copies:
        times.setdefault((files, size), []).append(seconds)
    return [(files, size, math.fsum(took) / len(took)) for (files, size), took in times.items()]


def _of_several_kinds(folders: Sequence[tuple[int, int, float]]) -> bool:
    """Return whether the sizes of files differ enough from folder to folder to tell files from bytes."""
    means = [size / files for files, size, _ in folders]
    return max(means) > 4 * min(means)
