"""Words of earlier versions and what each is now: for reading what was written with them, and for saying what replaced them."""

from __future__ import annotations

SUITES = {"all-round": "full", "large": "sequential", "small": "random", "flat-out": "brief"}
WORKLOADS = {
    f"{old}{direction}": f"{new}{direction}"
    for old, new in (("flat-out", "sequential"), ("plain", "stream"), ("scattered", "random"), ("crowded", "queued"))
    for direction in ("-read", "-write")
} | {"busy": "mixed"}
OPTIONS = {
    "--hookup": "--setup",
    "--lanes": "--workers",
    "--word": "--code",
    "--most-passes": "--max-passes",
    "--most-time": "--max-time",
    "--hand": "--reaction",
}
REVIEW_KEYS = {
    "hookups": "setups",
    "direct": "baseline",
    "functions": "compatibility",
    "most_passes": "max_passes",
    "leave_out": "exclude",
    "longest_rest": "max_rest",
}
BENCH_KEYS = {"moments": "events", "hookup": "setup"}
VERDICTS = {"stated, not proved": "reported", "not testable here": "not testable"}
_ALL = SUITES | WORKLOADS | OPTIONS | REVIEW_KEYS | BENCH_KEYS | VERDICTS | {"hand": "reaction"}


def new_name(name: str) -> str | None:
    """Return what a word of an earlier version is called now, or None when it was none."""
    return _ALL.get(name)
