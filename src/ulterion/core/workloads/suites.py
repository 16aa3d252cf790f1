"""The suites: named lists of workloads, each for a question that reviewers ask."""

from __future__ import annotations

from typing import Generic, TypeVar

from ulterion.core.errors import UsageError, unknown
from ulterion.core.records import dataclass
from ulterion.core.workloads.workload import DrivePattern, DriveWorkload, Workload

KIB, MIB = 2**10, 2**20
AnyKind = TypeVar("AnyKind", bound=Workload)


@dataclass(frozen=True)
class Suite(Generic[AnyKind]):
    """A named list of workloads, of drives or of networks, and the question it answers."""

    name: str
    why: str
    workloads: tuple[AnyKind, ...]


def _pair(name: str, block: int, depth: int, why: str) -> tuple[DriveWorkload, DriveWorkload]:
    pattern: DrivePattern = "random" if block == 4 * KIB else "sequential"
    return (
        DriveWorkload(f"{name}-read", "read", pattern, block, depth, why=why),
        DriveWorkload(f"{name}-write", "write", pattern, block, depth, why=why),
    )


SEQUENTIAL = _pair(
    "sequential", 4 * MIB, 4, "Large requests, four in flight: as fast as it goes, the rate to compare with the box."
)
STREAM = _pair(
    "stream", 256 * KIB, 1, "One medium request after another, as a plain copy program does: what most software gets."
)
RANDOM = _pair("random", 4 * KIB, 1, "Small requests all over, one at a time: how long the computer waits for each.")
QUEUED = _pair(
    "queued", 4 * KIB, 24, "Small requests all over, two dozen in flight: whether the drive and its bridge can queue."
)
MIXED = (
    DriveWorkload(
        "mixed",
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
            "full",
            "Every question once, reads and writes, alone and mixed: the suite for a first look.",
            SEQUENTIAL + STREAM + RANDOM + QUEUED + MIXED,
        ),
        Suite(
            "sequential",
            "Is it as fast as the box says, and how much of that does a plain copy see?",
            SEQUENTIAL + STREAM,
        ),
        Suite("random", "How does it do with many small requests, one at a time and many at once?", RANDOM + QUEUED),
        Suite("brief", "Two tests of large transfers: the quickest check of a claim.", SEQUENTIAL),
    )
}
AD_HOC, SWEEP = "ad hoc", "sweep"  # what stands for a suite where workloads were asked for by words
QUICK = Suite("quick", "A first answer in about 20 s.", (*SEQUENTIAL, RANDOM[0]))
DEFAULT_SUITE = "full"


def is_ad_hoc(suite: str | None) -> bool:
    """Return whether workloads were asked for by words, as a sweep or for a first look, and not as a suite."""
    return suite in (AD_HOC, SWEEP, QUICK.name)


_NAMES = {workload.text: workload.name for suite in SUITES.values() for workload in suite.workloads}


def short_title(workload: Workload) -> str:
    """Return the name of a workload for a heading: the suites' where they have it, else its words: '1 MiB read QD4'."""
    if workload.name != workload.text:
        return workload.title
    return _NAMES.get(workload.text, workload.title).replace(" depth ", " QD")


def find_suite(name: str) -> Suite[DriveWorkload]:
    """Return the suite called `name`; raise UsageError with the near name."""
    if name not in SUITES:
        raise UsageError(unknown("suite", name, SUITES))
    return SUITES[name]
