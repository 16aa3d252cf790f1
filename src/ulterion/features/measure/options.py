"""The options of `ulterion measure`, grouped by purpose, and the request they make."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from ulterion.terminal import options

if TYPE_CHECKING:
    from collections.abc import Sequence

    from ulterion.core.workloads.workload import DriveWorkload, NetworkWorkload, Workload
    from ulterion.engine.targets.base import LayingLimit
    from ulterion.run.requests import RepetitionPolicy

DEFAULT_PASSES, DEFAULT_SECONDS = 4, 4.0
QUICK_PASSES, QUICK_SECONDS = 3, 0.8  # three are the fewest that say how sure they are
LAYING_SECONDS, QUICK_LAYING = 15.0, 5.0  # that the test file may take
LEAST_SPAN, QUICK_LEAST = 256 * 2**20, 64 * 2**20  # bytes that no cache of a drive should hold for long
DEFAULT_SURE, DEFAULT_MOST, DEFAULT_TIME = (
    0.02,
    10,
    900.0,
)  # of passes whose number was not asked for: ratio, passes, seconds
MAX_PLACES, MAX_WORKERS = 100, 64


def add(parser: argparse.ArgumentParser) -> None:
    """Add all options."""
    parser.add_argument(
        "target",
        nargs="?",
        metavar="TARGET",
        help="a folder on the mounted drive, a large file to read, or a raw device such as /dev/sdx "
        "(default: the setup's)",
    )
    parser.add_argument("--setup", metavar="SETUP", help="the setup of the review that is plugged in now")
    options.add_label(parser)
    options.add_network(parser)
    options.add_review(parser)
    options.add_setup_checks(parser)
    _add_what(parser.add_argument_group("what to run"))
    _add_how(parser.add_argument_group("repetitions and rests"))
    options.add_device(parser)
    shown = parser.add_argument_group("what is shown")
    options.add_figure(shown, "also draw a sweep, as FILE.png or FILE.svg")
    options.add_depth(shown, why="each test in words, how often it ran, and how sure it is", long="the same")
    options.add_units(shown)
    options.add_json(shown)


def _add_what(group: argparse._ArgumentGroup) -> None:
    from ulterion.core.workloads.suites import DEFAULT_SUITE, SUITES

    suites = " ".join(f"{s.name}: {s.why}" for s in SUITES.values())
    group.add_argument(
        "--suite", metavar="NAME", help=f"a named list of workloads (default: {DEFAULT_SUITE}). {suites}"
    )
    group.add_argument(
        "--quick",
        action="store_true",
        help="a first answer in about 20 s: sequential reads and writes, and small reads; not for publication",
    )
    group.add_argument(
        "--workload",
        action="append",
        metavar="WORDS",
        help="instead of a suite, such as 'random read 4 KiB depth 16' or "
        "'random mixed 30%% writes 16 KiB depth 8'; may be repeated",
    )
    group.add_argument(
        "--sweep",
        metavar="WORDS",
        help="a range of sizes or depths, doubling: 'random read 4 KiB to 1 MiB depth 1 to 16'",
    )
    group.add_argument(
        "--places",
        type=options.count("places", MAX_PLACES),
        metavar="N",
        help="each workload at N places across the span, for disks that slow down towards the centre",
    )
    _add_extent(group)


def _add_extent(group: argparse._ArgumentGroup) -> None:
    group.add_argument(
        "--seconds",
        type=options.seconds,
        metavar="TIME",
        help="length of a pass, such as 5 or 2m (default: 4 s; with --quick 0.8 s)",
    )
    group.add_argument(
        "--span",
        type=options.quantity("parse_block"),
        metavar="SIZE",
        help="how much of the medium to cover, such as '8 GiB' (default: what can be written in 15 s, 256 MiB to 4 GiB; of a device, all of it)",
    )
    group.add_argument(
        "--workers",
        type=_workers,
        metavar="N",
        help="worker processes, each with the workload's depth (default: auto: as many as needed to share that depth)",
    )
    group.add_argument(
        "--together",
        nargs="+",
        metavar="TARGET",
        help="more targets (net:HOST for a network): each alone, then all at once, to test hubs",
    )
    options.add_seed(group)


def _workers(text: str) -> int | None:
    return None if text == "auto" else options.count("workers", MAX_WORKERS)(text)


def _add_how(group: argparse._ArgumentGroup) -> None:
    group.add_argument(
        "--passes",
        type=options.passes,
        metavar="N",
        help=f"repetitions of each workload, exactly (default: {DEFAULT_PASSES}, then until ±2%%, {DEFAULT_MOST} at most)",
    )
    group.add_argument(
        "--until-sure",
        type=options.quantity("parse_ratio"),
        metavar="PERCENT",
        help="repeat until the 95%% interval is within ± this, such as '1%%'",
    )
    group.add_argument(
        "--max-passes",
        type=options.passes,
        default=30,
        metavar="N",
        help="most passes for --until-sure (default: %(default)s)",
    )
    group.add_argument(
        "--max-time",
        type=options.quantity("parse_duration"),
        metavar="TIME",
        help="most time for --until-sure, such as 30m",
    )
    group.add_argument("--warm-up", action="store_true", help="a first round that is not counted")
    _add_rests(group)


def _add_rests(group: argparse._ArgumentGroup) -> None:
    group.add_argument(
        "--rest",
        type=options.quantity("parse_duration"),
        default=0.0,
        metavar="TIME",
        help="wait between passes, such as 20s",
    )
    group.add_argument(
        "--cool-to",
        type=options.quantity("parse_temperature"),
        metavar="TEMP",
        help="between passes, wait until the drive has cooled to this, such as '45 C'",
    )
    options.add_stall(group)


def workloads_of(arguments: argparse.Namespace, *, network: bool = False) -> tuple[str, Sequence[Workload]]:
    """Return the name of the suite and the workloads asked for, of a drive or of a network; raise UsageError."""
    from ulterion.core.errors import UsageError

    if network:
        return _over_network(arguments)
    given = [w for w in ("suite", "quick", "workload", "sweep") if getattr(arguments, w)]
    if len(given) > 1:
        raise UsageError(f"--{given[0]} and --{given[1]} cannot be combined; give one of them")
    suite, workloads = _named(arguments)
    doubled = next((w for i, w in enumerate(workloads) if w.text in [o.text for o in workloads[:i]]), None)
    if doubled:
        raise UsageError(f"workload '{doubled.text}' is given twice; for more passes use --passes")
    if arguments.places:
        workloads = [at for w in workloads for at in w.at_places(arguments.places)]
    if arguments.figure and not (arguments.sweep or arguments.places or arguments.together):
        raise UsageError("--figure draws a --sweep, --places or --together; for setups use 'ulterion compare --figure'")
    return suite, workloads


def _over_network(arguments: argparse.Namespace) -> tuple[str, list[NetworkWorkload]]:
    from ulterion.core.errors import UsageError
    from ulterion.core.workloads.network import NETWORK_SUITE, parse_network
    from ulterion.core.workloads.suites import AD_HOC

    for name in ("quick", "sweep", "places", "span", "workers", "overwrite", "lose_contents", "figure", "cool_to"):
        if getattr(arguments, name):
            raise UsageError(f"--{name.replace('_', '-')} is for drives, not for networks")
    if arguments.suite not in (None, NETWORK_SUITE.name):
        raise UsageError(
            f"the suite '{arguments.suite}' is for drives; a network has one of its own, '{NETWORK_SUITE.name}'"
        )
    if not arguments.workload:
        return NETWORK_SUITE.name, list(NETWORK_SUITE.workloads)
    workloads = [parse_network(w) for w in arguments.workload]
    doubled = next((w for i, w in enumerate(workloads) if w.text in [o.text for o in workloads[:i]]), None)
    if doubled:
        raise UsageError(f"workload '{doubled.text}' is given twice; for more passes use --passes")
    return AD_HOC, workloads


def _named(arguments: argparse.Namespace) -> tuple[str, list[DriveWorkload]]:
    from ulterion.core.workloads.suites import AD_HOC, DEFAULT_SUITE, QUICK, SWEEP, find_suite
    from ulterion.core.workloads.workload import parse_sweep, parse_workload

    if arguments.sweep:
        return SWEEP, parse_sweep(arguments.sweep)
    if arguments.workload:
        return AD_HOC, [parse_workload(w) for w in arguments.workload]
    suite = QUICK if arguments.quick else find_suite(arguments.suite or DEFAULT_SUITE)
    return suite.name, list(suite.workloads)


def laying_of(arguments: argparse.Namespace) -> LayingLimit | None:
    """Return how long the test file may take to be laid down; a span that was asked for, and places of it, take what they take."""
    from ulterion.engine.targets.base import LayingLimit

    if arguments.span is not None or arguments.places or arguments.together:
        return None
    return LayingLimit(QUICK_LAYING, QUICK_LEAST) if arguments.quick else LayingLimit(LAYING_SECONDS, LEAST_SPAN)


def seconds_of(arguments: argparse.Namespace) -> float:
    """Return the length of a pass."""
    asked: float | None = arguments.seconds
    return asked if asked is not None else QUICK_SECONDS if arguments.quick else DEFAULT_SECONDS


def passes_of(arguments: argparse.Namespace) -> int:
    """Return how many passes are run of each workload, or the least where they go on until sure."""
    asked: int | None = arguments.passes
    return asked if asked is not None else QUICK_PASSES if arguments.quick else DEFAULT_PASSES


def extras_of(arguments: argparse.Namespace) -> RepetitionPolicy:
    """Return how passes are repeated; raise UsageError."""
    from ulterion.core.errors import UsageError
    from ulterion.engine.runner import PrecisionRule
    from ulterion.run.requests import RepetitionPolicy

    sure = None
    least = passes_of(arguments)
    if arguments.until_sure is None and arguments.passes is None and not (arguments.together or arguments.quick):
        sure = PrecisionRule(DEFAULT_SURE, DEFAULT_MOST, arguments.max_time or DEFAULT_TIME)
    elif arguments.until_sure is not None:
        if arguments.until_sure <= 0:
            raise UsageError("--until-sure needs a percentage above zero")
        if arguments.max_passes < least:
            raise UsageError(f"--max-passes {arguments.max_passes} is less than --passes {least}")
        sure = PrecisionRule(arguments.until_sure, arguments.max_passes, arguments.max_time)
    return RepetitionPolicy(arguments.warm_up, arguments.rest, arguments.cool_to, sure)
