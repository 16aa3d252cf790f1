"""What else differed between two runs, besides the product that was meant to differ.

A difference here does not forbid a comparison; it stands beside the verdict, so that the reader can weigh it.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from ulterion.core.facts import BenchFacts, TargetFacts
from ulterion.core.units import show_block, show_duration

WARMER = 3.0  # degrees Celsius at the start; below it sensors and rooms differ anyway
FULLER = 0.05  # share of the file system


@dataclass(frozen=True)
class RunFacts:
    """The circumstances of a run that a comparison rests on.

    Attributes:
        target, bench: what was there.
        medium: name of the medium at the end of the chain, as the review has it (None outside a review).
        seconds: length of a pass.
        span_bytes: stretch of the medium that was covered.
        cache_bypassed: whether the operating system's cache was out of the way.
        engine: version of the program that measured.
        lanes: workers that shared each pass, or None where that is not known.
    """

    target: TargetFacts
    bench: BenchFacts
    medium: str | None
    seconds: float
    span_bytes: int
    cache_bypassed: bool
    engine: str
    lanes: int | None = None


Found = list[tuple[str, str]]
"""Circumstances that differ: which, and how, in words."""


def _plain(what: str, a: object, b: object) -> Found:
    """Report two known values that are not equal; an unknown one is no difference."""
    if a is None or b is None or a == b:
        return []
    return [(what, f"{what}: {a} against {b}")]


def _apart(what: str, a: float | None, b: float | None, limit: float, unit: str, scale: float = 1.0) -> Found:
    if a is None or b is None or abs(a - b) <= limit:
        return []
    return [(what, f"{what}: {a * scale:.0f} {unit} against {b * scale:.0f} {unit}")]


PASS_LENGTH, START, ROOM, LINK, DRIVER = (
    "length of a pass",
    "drive temperature at the start",
    "room",
    "link",
    "driver",
)
"""Circumstances that some comparisons leave out, because there they are the product itself or told otherwise."""


def differences(a: RunFacts, b: RunFacts, leaving_out: Collection[str] = ()) -> list[str]:
    """Return one phrase for each circumstance that differs between two runs, most telling first."""
    x, y = a.target, b.target
    all_differences = _plain("drive serial", x.serial if a.medium == b.medium else None, y.serial)
    all_differences += _plain("medium", a.medium, b.medium)
    all_differences += _plain("host", a.bench.host, b.bench.host)
    all_differences += _plain("system", a.bench.system, b.bench.system)
    all_differences += _plain(DRIVER, x.driver, y.driver)
    all_differences += _plain(LINK, x.link, y.link)
    all_differences += _plain("file system", x.filesystem, y.filesystem)
    all_differences += _plain("mount options", x.mount_options, y.mount_options)
    all_differences += _apart("fill", x.fill, y.fill, FULLER, "%", 100)
    all_differences += _plain(PASS_LENGTH, show_duration(a.seconds), show_duration(b.seconds))
    all_differences += _plain("span", show_block(a.span_bytes), show_block(b.span_bytes))
    all_differences += _plain("cache", *("bypassed" if r.cache_bypassed else "not bypassed" for r in (a, b)))
    all_differences += _apart(START, x.temperature, y.temperature, WARMER, "C")
    all_differences += _apart(ROOM, a.bench.room_temperature, b.bench.room_temperature, WARMER, "C")
    all_differences += _plain("Ulterion version", a.engine, b.engine)
    all_differences += _plain("lanes", a.lanes, b.lanes)
    all_differences += _plain("timed loops", *("uncompiled" if r.bench.uncompiled else "compiled" for r in (a, b)))
    return [words for what, words in all_differences if what not in leaving_out]
