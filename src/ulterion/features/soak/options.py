"""The options of `ulterion soak`, grouped by purpose, and the request they make."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from ulterion.terminal import options

if TYPE_CHECKING:
    from collections.abc import Callable

    from ulterion.core.workloads.workload import Workload
    from ulterion.engine.targets.load import FileSizes
    from ulterion.host.sensors import Sensor
    from ulterion.model.runs.soak import SoakPlan

DEFAULT_LOAD = "sequential write 1 MiB depth 4"
DEFAULT_SECONDS = 1200.0
SETTLED = "settled"


def add(parser: argparse.ArgumentParser) -> None:
    """Add all options."""
    parser.add_argument(
        "target",
        nargs="?",
        metavar="TARGET",
        help="a folder on the mounted drive, a large file to read, or a raw device (default: the setup's)",
    )
    parser.add_argument("--setup", metavar="SETUP", help="the setup of the review that is plugged in now")
    options.add_label(parser)
    options.add_review(parser)
    options.add_setup_checks(parser)
    parser.add_argument(
        "--resume",
        action="store_true",
        help="continue the newest interrupted soak of this setup, with the same load",
    )
    _add_load(parser.add_argument_group("the load"))
    _add_phases(parser.add_argument_group("before and after"))
    warm = parser.add_argument_group("temperatures")
    _add_sensors(warm)
    _add_questions(warm)
    options.add_device(parser)
    _add_shown(parser.add_argument_group("what is shown"))


def _add_load(group: argparse._ArgumentGroup) -> None:
    group.add_argument("--load", metavar="WORDS", help=f"the load (default: '{DEFAULT_LOAD}')")
    group.add_argument(
        "--files",
        metavar="SIZE",
        help="instead of a load: write files of this size, or of sizes like '4 MB to 60 MB', until the drive is full, "
        "delete them, and write again",
    )
    group.add_argument(
        "--for",
        dest="seconds",
        type=options.quantity("parse_duration"),
        metavar="TIME",
        help="length of the load (default: 20m, unless --amount or --until-steady ends it)",
    )
    group.add_argument(
        "--amount", metavar="SIZE", help="stop after this much is moved: '200 GB', or '80%%' of the drive"
    )
    group.add_argument(
        "--until-steady", action="store_true", help="stop once the rate is steady (see docs/engineering/definitions.md)"
    )
    _add_extent(group)


def _add_extent(group: argparse._ArgumentGroup) -> None:
    group.add_argument(
        "--span",
        type=options.quantity("parse_size"),
        metavar="SIZE",
        help="how much of the medium to cover (default when writing: all free space but a reserve; "
        "a tenth of it on the system disk)",
    )
    options.add_seed(group)
    options.add_stall(group)
    group.add_argument(
        "--interval",
        type=options.quantity("parse_duration"),
        default=1.0,
        metavar="TIME",
        help="time between readings (default: 1 s)",
    )


def _add_phases(group: argparse._ArgumentGroup) -> None:
    group.add_argument(
        "--idle",
        type=_rest,
        default=SETTLED,
        metavar="TIME",
        help="rest before the load: a time, or 'settled' = until the temperature is stable (default)",
    )
    group.add_argument(
        "--cool",
        type=_rest,
        default=0.0,
        metavar="TIME",
        help="log the cooling afterwards, for a time or 'settled' (default: 0)",
    )
    group.add_argument(
        "--again", action="store_true", help="then a second load, to see how much of the write cache recovered"
    )


def _add_sensors(group: argparse._ArgumentGroup) -> None:
    group.add_argument(
        "--probe",
        action="append",
        default=[],
        metavar="NAME=COMMAND",
        help="a command that prints one number, such as 'case=my-probe -c'; 'room' means ambient, 'power' is in watts; "
        "may be repeated",
    )
    group.add_argument(
        "--sensor",
        action="append",
        default=[],
        metavar="NAME=CHIP/LABEL",
        help="another sensor of this machine; may be repeated",
    )


def _add_questions(group: argparse._ArgumentGroup) -> None:
    group.add_argument(
        "--ask",
        action="append",
        default=[],
        metavar="WHAT",
        help="ask here for a reading by hand at moments of the load, such as 'case at idle, 5m, 15m, end'; may be repeated",
    )


def _add_shown(group: argparse._ArgumentGroup) -> None:
    options.add_figure(group)
    group.add_argument(
        "--pace",
        type=_pace,
        metavar="N",
        help="on the simulated bench: N virtual seconds per real second (default: as fast as possible)",
    )
    options.add_depth(
        group, why="for each event, the bottleneck, latency, steadiness, counters, phases", long="the same"
    )
    options.add_units(group)
    options.add_json(group)


def _rest(text: str) -> float | str:
    if text == SETTLED or text in ("0", "0 s"):
        return SETTLED if text == SETTLED else 0.0
    duration: Callable[[str], float] = options.quantity("parse_duration")
    return duration(text)


def _pace(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = 0.0
    if not 0 < value <= 1e5:
        raise argparse.ArgumentTypeError(f"'{text}' is not a pace; give a number such as 60")
    return value


def plan_of(arguments: argparse.Namespace, capacity: int | None) -> SoakPlan:
    """Return the phases asked for; `capacity` (bytes) is what a share of the drive is taken of.  Raises UsageError."""
    from ulterion.core.errors import UsageError
    from ulterion.model.runs.soak import SoakPlan

    amount = _amount(arguments.amount, capacity) if arguments.amount else None
    seconds = arguments.seconds
    if seconds is None and amount is None and not arguments.until_steady:
        seconds = DEFAULT_SECONDS
    if not 0.1 <= arguments.interval <= 60:
        raise UsageError("--interval goes from 0.1 s to 60 s")
    if seconds is not None and seconds < 3 * arguments.interval:
        raise UsageError("--for is shorter than three intervals; nothing could be seen in it")
    return SoakPlan(
        idle=None if arguments.idle == SETTLED else arguments.idle,
        load_seconds=seconds,
        load_bytes=amount,
        until_steady=arguments.until_steady,
        cool=None if arguments.cool == SETTLED else arguments.cool,
        again=arguments.again,
        interval=arguments.interval,
    )


def _amount(text: str, capacity: int | None) -> int:
    from ulterion.core.errors import UsageError
    from ulterion.core.units import parse_ratio, parse_size

    if not text.strip().endswith("%"):
        return parse_size(text)
    if capacity is None:
        raise UsageError(f"--amount '{text}': the drive's capacity is not known here; give a size")
    share = 1.0 if text.strip().removesuffix("%").strip() == "100" else parse_ratio(text)
    if share <= 0:
        raise UsageError(f"--amount '{text}' is nothing; give a share above zero")
    return int(capacity * share)


def load_of(arguments: argparse.Namespace) -> tuple[Workload, FileSizes | None]:
    """Return the load, and the sizes of its files where it writes files; raise UsageError."""
    from ulterion.core.errors import UsageError
    from ulterion.core.units import parse_size, show_block
    from ulterion.core.workloads.workload import parse_workload
    from ulterion.engine.targets.load import FileSizes, block_for

    if arguments.files is None:
        workload = parse_workload(arguments.load or DEFAULT_LOAD)
        if workload.seconds or workload.span_bytes:
            raise UsageError("a load has no 'for' and no 'over' of its own; use --for and --span")
        return workload, None
    if arguments.load:
        raise UsageError("--load and --files cannot be combined; give one of them")
    low, to, high = arguments.files.partition(" to ")
    sizes = FileSizes(parse_size(low), parse_size(high if to else low))
    if sizes.high < sizes.low or sizes.low < 4096:
        raise UsageError(f"--files '{arguments.files}': sizes go from small to large, and from 4 KiB up")
    return parse_workload(f"sequential write {show_block(block_for(sizes.low))}"), sizes


def sensors_of(arguments: argparse.Namespace) -> list[Sensor]:
    """Return the further sensors asked for, each read once; raise UsageError."""
    from ulterion.core.errors import UsageError
    from ulterion.host.sensors import parse_probe, parse_sensor, tried

    asked: list[Sensor] = [*map(parse_probe, arguments.probe), *map(parse_sensor, arguments.sensor)]
    sensors = [tried(s) for s in asked]
    names = [s.name for s in sensors]
    doubled = next((n for n in names if names.count(n) > 1), None)
    if doubled:
        raise UsageError(f"two sensors are called '{doubled}'; give each its own name")
    return sensors
