"""`ulterion estimate`: what figures mean: time of work, recordings, units, money."""

from __future__ import annotations

import argparse

from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status
from ulterion.terminal.subcommands import Subcommand, Subcommands

BUFFER = 512 * 10**6  # bytes that a camera holds back, unless told otherwise


def _common(parser: argparse._ActionsContainer) -> None:
    options.add_review(parser)
    options.add_units(parser)
    options.add_json(parser)


SIZE = ("SIZE", "such as '200 GB'")
OR_ALL = ("SIZE", "such as '200 GB' (default: all that each drive holds)")
DRAWN = ("setup", "figure")
QUESTIONS = Subcommands(
    {
        "read": Subcommand(
            "how long it takes to read a size, or a full card, on every setup",
            ("ulterion estimate read '50 GB' --setup pod", "ulterion estimate read"),
            DRAWN,
            OR_ALL,
            needs=False,
        ),
        "write": Subcommand(
            "how long it takes to write a size, or to fill a drive, write caches and heat included",
            ("ulterion estimate write '200 GB' --figure times.png", "ulterion estimate write --setup pod"),
            DRAWN,
            OR_ALL,
            needs=False,
        ),
        "copy": Subcommand(
            "how long a copy takes from one setup to another",
            (
                "ulterion estimate copy '200 GB' --from slot --to pod",
                "ulterion estimate copy ~/pictures --from slot --to pod --check",
            ),
            ("from", "to", "check", "figure"),
            ("WHAT", "a size, or a folder, whose files are counted"),
        ),
        "record": Subcommand(
            "whether a recording is fast enough for each setup, and when it stops where it is not",
            ("ulterion estimate record '400 Mb/s'", "ulterion estimate record V60 --length 8h"),
            ("setup", "length", "buffer", "figure"),
            ("RATE", "such as '400 Mb/s', or a speed class such as V60"),
        ),
        "value": Subcommand(
            "what each product's speed and capacity cost, and the cheapest that is fast enough",
            (
                "ulterion estimate value '200 GB' --least '500 MB/s'",
                "ulterion estimate value '200 GB' --mix 'read 3, write 1'",
            ),
            ("least", "writes", "mix", "figure"),
            ("SIZE", "the size that is moved, such as '200 GB'"),
        ),
        "power": Subcommand(
            "what a port, hub or charger leaves for the parts connected to it",
            (
                "ulterion estimate power hub --part pod --part spool",
                "ulterion estimate power '15 W' --part pod --cable '2 m 28 AWG'",
            ),
            ("part", "cable", "figure"),
            ("SUPPLY", "a port, a part, or a power such as '15 W'"),
        ),
        "energy": Subcommand(
            "what moving a gigabyte draws, where a soak logged power",
            ("ulterion estimate energy", "ulterion estimate energy '200 GB' --setup pod"),
            DRAWN,
            SIZE,
            needs=False,
        ),
        "units": Subcommand(
            "a rate, a size or a time in all other units",
            ("ulterion estimate units '10 Gb/s'", "ulterion estimate units '512 GB'"),
            amount=("QUANTITY", "such as '10 Gb/s', '512 GB' or '1h30m'"),
        ),
    },
    {
        "setup": lambda p: p.add_argument(
            "--setup", action="append", default=[], metavar="SETUP", help="only this one; may be repeated"
        ),
        "from": lambda p: p.add_argument("--from", dest="source", metavar="SETUP", help="the setup that is read"),
        "to": lambda p: p.add_argument("--to", dest="target", metavar="SETUP", help="the setup that is written"),
        "check": lambda p: p.add_argument("--check", action="store_true", help="the copy is read back afterwards"),
        "length": lambda p: p.add_argument(
            "--length",
            type=options.quantity("parse_duration"),
            metavar="TIME",
            help="how long the recording is, such as 8h",
        ),
        "buffer": lambda p: p.add_argument(
            "--buffer",
            type=options.quantity("parse_size"),
            default=BUFFER,
            metavar="SIZE",
            help="what the camera can buffer (default: 512 MB)",
        ),
        "least": lambda p: p.add_argument(
            "--least",
            type=options.quantity("parse_rate"),
            metavar="RATE",
            help="the rate that is needed, over the whole size",
        ),
        "writes": lambda p: p.add_argument("--writes", action="store_true", help="by writing instead of reading"),
        "mix": lambda p: p.add_argument(
            "--mix", metavar="WORDS", help="by a mix, in shares of the bytes: 'read 3, write 1, random-read 0.1'"
        ),
        "part": lambda p: p.add_argument(
            "--part",
            action="append",
            default=[],
            metavar="NAME",
            help="a part connected to it; repeat for each; 'NAME*' for as many of it as will run",
        ),
        "cable": lambda p: p.add_argument(
            "--cable", metavar="CABLE", help="length and gauge of the cable between, such as '2 m 28 AWG'"
        ),
        "figure": options.add_figure,
    },
    _common,
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument(
        "--for",
        dest="reader",
        metavar="WORDS",
        help="instead of a word: what a reader gets on another port, 'a laptop with USB 5 Gb/s, 200 GB a week'",
    )
    QUESTIONS.add_all(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Estimate and show."""
    from ulterion.core.errors import UsageError

    if arguments.what == "units":
        from ulterion.features.estimate.units import units

        return units(arguments, env)
    from ulterion.features.estimate import kinds

    if getattr(arguments, "reader", None) is not None:
        return kinds.for_reader(arguments, env)
    if arguments.what is None:
        raise UsageError(
            f"say what to estimate: {', '.join(QUESTIONS.every)}; such as: ulterion estimate write '200 GB'"
        )
    folder = options.review_to_read(arguments, env.folder, env.tell)
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
