"""`ulterion estimate`: what figures mean: time of work, recordings, units, money."""

from __future__ import annotations

import argparse
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.cli import options
from ulterion.cli.environment import Environment
from ulterion.cli.status import Status

if TYPE_CHECKING:
    from rich.console import RenderableType

    from ulterion.cli.drawing import Drawn
    from ulterion.model.store import ReviewFolder
    from ulterion.report.answers import Kind

WHAT = {
    "read": "how long a size takes to be read, on every hookup (a full card emptied)",
    "write": "how long it takes to be written (a drive filled)",
    "copy": "from one hookup to another, a size or a folder whose files are counted",
    "record": "whether a stream is taken, and until when",
    "value": "what a product's rate and room cost, and the cheapest that meets a need",
    "power": "what a port, hub or charger leaves for the parts that hang on it",
    "energy": "what moving a gigabyte draws, where a soak logged power",
    "units": "a rate, a size or a time in all other units",
}
BUFFER = 512 * 10**6  # bytes that a camera holds back, unless told otherwise


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    told = "; ".join(f"{name}: {words}" for name, words in WHAT.items())
    parser.add_argument("what", nargs="?", choices=tuple(WHAT), help=told)
    parser.add_argument("amount", nargs="?", metavar="AMOUNT", help="a size ('128 GB'), a folder, a rate ('400 Mb/s')")
    parser.add_argument(
        "--hookup", action="append", default=[], metavar="NAME", help="only this one; may be given again"
    )
    parser.add_argument("--from", dest="source", metavar="HOOKUP", help="copy: what is read")
    parser.add_argument("--to", dest="target", metavar="HOOKUP", help="copy: what is written")
    parser.add_argument("--check", action="store_true", help="copy: all of it is read back afterwards")
    parser.add_argument(
        "--buffer",
        type=options.quantity("parse_size"),
        default=BUFFER,
        metavar="SIZE",
        help="record: what the camera can hold back (default: 512 MB)",
    )
    parser.add_argument(
        "--part", action="append", default=[], metavar="NAME", help="power: a part that hangs on it; once for each"
    )
    parser.add_argument("--cable", metavar="CABLE", help="power: length and gauge of the cable, such as '2 m 28 AWG'")
    parser.add_argument(
        "--least",
        type=options.quantity("parse_rate"),
        metavar="RATE",
        help="value: the rate that is needed over all of AMOUNT",
    )
    parser.add_argument("--writes", action="store_true", help="value: by writing instead of reading")
    parser.add_argument(
        "--mix",
        metavar="WORDS",
        help="value: by what is done, in shares of the bytes: 'read 3, write 1, scattered-read 0.1'",
    )
    parser.add_argument(
        "--length", type=options.quantity("parse_duration"), metavar="TIME", help="record: how long, such as 8h"
    )
    parser.add_argument(
        "--for",
        dest="reader",
        metavar="WORDS",
        help="a reader's own port and work, instead of anything else: 'a laptop with USB 5 Gb/s, 200 GB a week'",
    )
    parser.add_argument("--figure", type=Path, metavar="FILE", help="read, write: draw it, as PNG or SVG")
    parser.add_argument("--dark", action="store_true", help="a figure for a dark page")
    options.add_review(parser)
    options.add_units(parser)
    options.add_json(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Estimate and show."""
    from ulterion.core.errors import UsageError

    if arguments.dark and not arguments.figure:
        raise UsageError("--dark is for a figure; add --figure FILE")
    if arguments.figure and arguments.what not in ("read", "write"):
        raise UsageError(f"'estimate {arguments.what}' draws nothing; --figure goes with read or write")
    if arguments.reader is not None:
        return _for_reader(arguments, env)
    if arguments.what is None:
        raise UsageError(f"say what to estimate: {', '.join(WHAT)}; or --for 'a laptop with USB 5 Gb/s, 200 GB a week'")
    if arguments.amount is None and arguments.what != "energy":
        raise UsageError(
            f"'estimate {arguments.what}' needs an amount: ulterion estimate {arguments.what} {EXAMPLES[arguments.what]}"
        )
    if arguments.what == "units":
        return _units(arguments, env)
    from ulterion.conduct.folders import open_review

    folder = open_review(arguments.review, env.folder, env.tell)
    does = {
        "read": _moving,
        "write": _moving,
        "copy": _copy,
        "record": _record,
        "value": _value,
        "power": _power,
        "energy": _energy,
    }
    return does[arguments.what](arguments, env, folder)


EXAMPLES = {
    "read": "'128 GB'",
    "write": "'1 TB'",
    "copy": "'200 GB' --from slot --to pod",
    "record": "'400 Mb/s'",
    "value": "'200 GB'",
    "power": "HUB --part DRIVE",
    "units": "'10 Gb/s'",
}


def _for_reader(arguments: argparse.Namespace, env: Environment) -> Status:
    from ulterion.conduct.folders import open_review
    from ulterion.core.errors import UsageError
    from ulterion.core.readers import parse_reader
    from ulterion.judge.elsewhere import suggestions
    from ulterion.judge.pooling import to_judge
    from ulterion.report.readerdata import reader_as_data
    from ulterion.report.screen.reader import reader_table

    if arguments.what is not None:
        raise UsageError(f"--for stands alone; leave '{arguments.what}' out")
    reader = parse_reader(arguments.reader)
    folder = open_review(arguments.review, env.folder, env.tell)
    runs = to_judge(folder)
    found = [s for link in reader.links for s in suggestions(folder.review, runs, link, reader.size)]
    lines = [*reader_table(folder.review, reader, found, arguments.units), ""]
    return _answer(arguments, env, "reader", reader_as_data(reader, found), lines)


def _energy(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    from ulterion.core.errors import UsageError
    from ulterion.core.units import parse_size
    from ulterion.judge.energy import energies
    from ulterion.report.readerdata import energies_as_data
    from ulterion.report.screen.reader import energies_table

    size = parse_size(arguments.amount) if arguments.amount else None
    found = energies(folder.runs(), arguments.hookup)
    if not found:
        raise UsageError(
            "no soak logged power; log it with ulterion soak --sensor 'power=!COMMAND', a command that prints what the meter shows"
        )
    return _answer(arguments, env, "energies", energies_as_data(found, size), [*energies_table(found, size), ""])


def _units(arguments: argparse.Namespace, env: Environment) -> Status:
    from ulterion.core.conversions import converted
    from ulterion.report.screen.works import units_table
    from ulterion.report.workdata import units_as_data

    kind, told, links = converted(arguments.amount)
    return _answer(
        arguments, env, "units", units_as_data(kind, told, links), units_table(kind, arguments.amount, told, links)
    )


def _answer(
    arguments: argparse.Namespace,
    env: Environment,
    kind: Kind,
    data: Mapping[str, object],
    lines: Sequence[RenderableType],
    drawn: Drawn | None = None,
) -> Status:
    if arguments.json:
        env.show_json(kind, data, drawn.as_data() if drawn else {})
    else:
        env.show(lines)
        if drawn:
            drawn.show(env)
    if drawn:
        drawn.end(env)
    return Status.DONE


def _known(arguments: argparse.Namespace, folder: ReviewFolder) -> None:
    for name in (*arguments.hookup, arguments.source, arguments.target):
        if name is not None:
            folder.review.hookup(name)


def _moving(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    from ulterion.cli.drawing import Drawn, check_paths, draw
    from ulterion.core.units import parse_size, show_size
    from ulterion.judge.pooling import to_judge
    from ulterion.judge.works import moving
    from ulterion.report.figures.works import draw_works
    from ulterion.report.screen.works import works_table
    from ulterion.report.workdata import works_as_data

    _known(arguments, folder)
    size, way = parse_size(arguments.amount), arguments.what
    rows = moving(folder.review, to_judge(folder), size, way, arguments.hookup)
    title = f"{show_size(size)} {'read' if way == 'read' else 'written'} in one go"
    drawn = Drawn()
    if arguments.figure and any(r.work for r in rows):
        (path,) = check_paths(env.folder / arguments.figure)
        drawn = draw([(path, lambda: draw_works(folder.review, rows, title, dark=arguments.dark))])
    lines = [*works_table(folder.review, rows, title, arguments.units), ""]
    return _answer(arguments, env, "works", works_as_data(rows, size, title), lines, drawn)


def _copy(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    from ulterion.conduct.copystart import cost_between
    from ulterion.core.errors import UsageError
    from ulterion.core.units import show_size
    from ulterion.judge.pooling import to_judge
    from ulterion.judge.works import between
    from ulterion.report.screen.works import works_table
    from ulterion.report.workdata import works_as_data

    _known(arguments, folder)
    if arguments.source is None or arguments.target is None:
        raise UsageError("a copy has two ends: name them with --from HOOKUP and --to HOOKUP")
    size, files = _counted(env, arguments.amount)
    cost = cost_between(folder, arguments.source, arguments.target)
    per_file = cost.per_file if cost is not None and files else 0.0
    row = between(
        folder.review,
        to_judge(folder),
        size,
        arguments.source,
        arguments.target,
        files=files,
        per_file=per_file,
        check=arguments.check,
    )
    title = (
        f"{show_size(size)}{f' in {files} files' if files else ''}, copied{' and checked' if arguments.check else ''}"
    )
    lines = works_table(folder.review, [row], title, arguments.units)
    if files and cost is None:
        lines.append(
            "what a file costs beside its bytes is not in it: copy three unlike folders between these two (ulterion copy)"
        )
    return _answer(arguments, env, "works", works_as_data([row], size, title), [*lines, ""])


def _counted(env: Environment, amount: str) -> tuple[int, int]:
    """Return bytes and files of a folder, or a size and no files."""
    import os

    from ulterion.core.units import parse_size
    from ulterion.engine.copies import walk

    path = env.folder / Path(amount)
    if not path.exists():
        return parse_size(amount), 0
    count = walk.count([os.fsencode(path)])
    return count.bytes, count.files


def _record(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    from ulterion.core.units import parse_rate, show_rate
    from ulterion.judge.pooling import to_judge
    from ulterion.judge.works import recordings
    from ulterion.report.screen.works import recordings_table
    from ulterion.report.workdata import recordings_as_data

    stream = parse_rate(arguments.amount)
    found = recordings(folder.review, to_judge(folder), stream, arguments.buffer)
    title = f"a recording of {arguments.amount}, {show_rate(stream)}"
    return _answer(
        arguments,
        env,
        "recordings",
        recordings_as_data(found, stream),
        [*recordings_table(found, title, arguments.units), ""],
    )


def _power(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    from ulterion.core.errors import UsageError
    from ulterion.core.powering import budget, cable_loss
    from ulterion.judge.powers import load_of, supply_of
    from ulterion.report.screen.works import budget_table
    from ulterion.report.workdata import power_as_data

    if not arguments.part:
        raise UsageError("nothing hangs on it: name each part with --part NAME")
    supply, runs = supply_of(folder.review, arguments.amount), folder.runs()
    loads = [load_of(folder.review, runs, name) for name in arguments.part]
    lost = 0.0
    if arguments.cable is not None:
        lost = cable_loss(sum(one.draws for one in loads), *_cable(arguments.cable))
    found = budget(supply.gives - lost, loads)
    return _answer(
        arguments, env, "power", power_as_data(supply, lost, found), [*budget_table(supply, lost, found), ""]
    )


def _cable(text: str) -> tuple[float, int]:
    """Return length in metres and gauge number of '2 m 28 AWG'."""
    import re

    from ulterion.core.errors import UsageError

    match = re.fullmatch(r"\s*(\d+(?:\.\d+)?)\s*m[\s,]+(?:AWG\s*)?(\d{1,2})(?:\s*AWG)?\s*", text)
    if match is None or not 0 < float(match[1]) <= 100:
        raise UsageError(f"--cable '{text}' is no cable; write it like '2 m 28 AWG'")
    return float(match[1]), int(match[2])


def _value(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    from ulterion.core.errors import UsageError
    from ulterion.core.units import parse_size
    from ulterion.judge.pooling import to_judge
    from ulterion.judge.value import cheapest, parse_mix, values
    from ulterion.report.screen.works import values_table
    from ulterion.report.workdata import values_as_data

    size = parse_size(arguments.amount)
    if arguments.mix and arguments.writes:
        raise UsageError("--mix says what is done; leave --writes out")
    mix = parse_mix(arguments.mix) if arguments.mix else {"write" if arguments.writes else "read": 1.0}
    found = values(folder.review, to_judge(folder), size, mix, arguments.least)
    if not found:
        raise UsageError('no part of the review has a price; add price = "34 EUR" to its entry')
    best = cheapest(found)
    return _answer(
        arguments,
        env,
        "values",
        values_as_data(found, best),
        [*values_table(folder.review, found, best, arguments.units), ""],
    )
