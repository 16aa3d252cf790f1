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


FLAT_OUT = _pair(
    "flat-out",
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
    24,
    "Small requests all over, two dozen in flight: whether the drive and its bridge can queue.",
)
BUSY = (
    Workload(
        "busy",
        "mixed",
        "random",
        16 * KIB,
        6,
        write_share=0.3,
        why="Reads and writes at once, three in ten writing, a few in flight: a project that is being worked on.",
    ),
)

SUITES = {
    suite.name: suite
    for suite in (
        Suite(
            "all-round",
            "Every question once, reads and writes, alone and mixed: the suite for a first look.",
            FLAT_OUT + PLAIN + SCATTERED + CROWDED + BUSY,
        ),
        Suite("large", "Is it as fast as the box says, and how much of that does a plain copy see?", FLAT_OUT + PLAIN),
        Suite("small", "How does it do with many small requests, one at a time and many at once?", SCATTERED + CROWDED),
        Suite("flat-out", "The highest rate of large transfers alone: the quickest check of a claim.", FLAT_OUT),
    )
}
AD_HOC, SWEEP = "ad hoc", "sweep"  # what stands for a suite where workloads were asked for by words
DEFAULT_SUITE = "all-round"


def is_free(suite: str | None) -> bool:
    """Return whether workloads were asked for by words or as a sweep, and not as a suite."""
    return suite in (AD_HOC, SWEEP)


def find_suite(name: str) -> Suite:
    """Return the suite called `name`; raise UsageError with the near name."""
    if name not in SUITES:
        raise UsageError(unknown("suite", name, SUITES))
    return SUITES[name]
