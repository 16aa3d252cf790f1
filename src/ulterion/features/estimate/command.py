"""`ulterion estimate`: what figures mean: time of work, recordings, units, money."""

from __future__ import annotations

import argparse
from pathlib import Path

from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

WHAT = {
    "read": "how long a size takes to be read, on every setup (a full card emptied)",
    "write": "how long it takes to be written (a drive filled)",
    "copy": "from one setup to another, a size or a folder whose files are counted",
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
        "--setup", action="append", default=[], metavar="SETUP", help="only this one; may be given again"
    )
    parser.add_argument("--from", dest="source", metavar="SETUP", help="copy: what is read")
    parser.add_argument("--to", dest="target", metavar="SETUP", help="copy: what is written")
    parser.add_argument("--check", action="store_true", help="copy: all of it is read back afterwards")
    parser.add_argument(
        "--buffer",
        type=options.quantity("parse_size"),
        default=BUFFER,
        metavar="SIZE",
        help="record: what the camera can hold back (default: 512 MB)",
    )
    _add_kinds(parser)
    parser.add_argument("--figure", type=Path, metavar="FILE", help="read, write: draw it, as PNG or SVG")
    parser.add_argument("--dark", action="store_true", help="a figure for a dark page")
    options.add_review(parser)
    options.add_units(parser)
    options.add_json(parser)


def _add_kinds(parser: argparse.ArgumentParser) -> None:
    """Add what belongs to one kind of estimate."""
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
        help="value: by what is done, in shares of the bytes: 'read 3, write 1, random-read 0.1'",
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


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Estimate and show."""
    from ulterion.core.errors import UsageError

    if arguments.dark and not arguments.figure:
        raise UsageError("--dark is for a figure; add --figure FILE")
    if arguments.figure and arguments.what not in ("read", "write"):
        raise UsageError(f"'estimate {arguments.what}' draws nothing; --figure goes with read or write")
    from ulterion.features.estimate import kinds

    if arguments.reader is not None:
        return kinds.for_reader(arguments, env)
    if arguments.what is None:
        raise UsageError(f"say what to estimate: {', '.join(WHAT)}; or --for 'a laptop with USB 5 Gb/s, 200 GB a week'")
    if arguments.amount is None and arguments.what != "energy":
        raise UsageError(
            f"'estimate {arguments.what}' needs an amount: ulterion estimate {arguments.what} {EXAMPLES[arguments.what]}"
        )
    if arguments.what == "units":
        return kinds.units(arguments, env)
    from ulterion.run.review_folders import open_review

    folder = open_review(arguments.review, env.folder, env.tell)
    does = {
        "read": kinds.moving,
        "write": kinds.moving,
        "copy": kinds.copy,
        "record": kinds.record,
        "value": kinds.value,
        "power": kinds.power,
        "energy": kinds.energy,
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
