"""The suites: named lists of workloads, each for a question that reviewers ask."""

from __future__ import annotations

from dataclasses import dataclass

from ulterion.core.errors import UsageError, unknown
from ulterion.core.workload import Direction, Workload

KIB, MIB = 2**10, 2**20


@dataclass(frozen=True)
class Suite:
    """A named list of workloads and the question it answers."""

    name: str
    why: str
    workloads: tuple[Workload, ...]


def _pair(name: str, pattern: str, block: int, depth: int, why: str) -> tuple[Workload, Workload]:
    def one(direction: Direction) -> Workload:
        kind = "sequential" if pattern == "sequential" else "random"
        return Workload(f"{name}-{direction}", direction, kind, block, depth, why=why)  # type: ignore[arg-type]

    return one("read"), one("write")


PEAK = _pair(
    "peak",
    "sequential",
    4 * MIB,
    4,
    "Large requests, four in flight: the most it can move, the figure to hold against the box.",
)
PLAIN = _pair(
    "plain",
    "sequential",
    256 * KIB,
    1,
    "One medium request after another, as a plain copy program does: what most software gets.",
)
SCATTERED = _pair(
    "scattered", "random", 4 * KIB, 1, "Small requests all over, one at a time: how long the computer waits for each."
)
CROWDED = _pair(
    "crowded",
    "random",
    4 * KIB,
    16,
    "Small requests all over, sixteen in flight: whether the drive and its bridge can queue.",
)

SUITES = {
    suite.name: suite
    for suite in (
        Suite(
            "all-round",
            "Every question once, reads and writes: the suite for a first look.",
            PEAK + PLAIN + SCATTERED + CROWDED,
        ),
        Suite("large", "Is it as fast as the box says, and how much of that does a plain copy see?", PEAK + PLAIN),
        Suite("small", "How does it do with many small requests, one at a time and many at once?", SCATTERED + CROWDED),
        Suite("peak", "The highest rate of large transfers alone: the quickest check of a claim.", PEAK),
    )
}
AD_HOC, SWEEP = "ad hoc", "sweep"  # what stands for a suite where workloads were asked for by words
DEFAULT_SUITE = "all-round"


def find_suite(name: str) -> Suite:
    """Return the suite called `name`; raise UsageError with the near name."""
    if name not in SUITES:
        raise UsageError(unknown("suite", name, SUITES))
    return SUITES[name]
