"""Options that several commands share, and the types of single values."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from ulterion.model.store import ReviewFolder

RATE_UNITS = ("MB/s", "MiB/s", "Gb/s")  # as in ulterion.core.units, which is not imported before a command runs
MAX_PASSES = 1000
FASTEST = (0.1, 100_000.0)  # times as fast as it was
MIN_SECONDS, MAX_SECONDS = 0.05, 86400.0  # seconds of a pass


def add_review(parser: argparse._ActionsContainer) -> None:
    """Add the option that names the review folder."""
    parser.add_argument("--review", type=Path, metavar="DIR", help="review folder (default: the one you are in)")


def add_setup_checks(parser: argparse.ArgumentParser) -> None:
    """Add the options on what must be plugged in."""
    parser.add_argument(
        "--accept", action="store_true", help="go on with another drive, port or link than the setup expects"
    )
    parser.add_argument(
        "--wait",
        nargs="?",
        type=quantity("parse_duration"),
        const=300.0,
        metavar="TIME",
        help="wait until the setup is plugged in, mounted and settled (default: 5m at most)",
    )


def wait_if_asked(arguments: argparse.Namespace, review: ReviewFolder, say: Callable[[list[str]], None]) -> float:
    """With --wait: return once what the setup needs is there, with the virtual seconds that took; raise UsageError."""
    if arguments.wait is None:
        return 0.0
    from ulterion.core.errors import UsageError
    from ulterion.run.place import Place
    from ulterion.run.wait_for_setup import wait_for

    if arguments.setup is None:
        raise UsageError("--wait needs a setup that says what to wait for; add --setup NAME")
    place = Place(review, review.path, None, arguments.setup)
    return wait_for(place, arguments.wait, lambda words: say([words]))


def add_label(parser: argparse._ActionsContainer) -> None:
    """Add --as, which names what is plugged in."""
    parser.add_argument(
        "--as",
        dest="label",
        metavar="LABEL",
        help="name what is plugged in, in words of your own, such as 'front port'; the setup is made from it, "
        "and the same label again adds a run to it",
    )


def name_setup(arguments: argparse.Namespace, review: ReviewFolder, target: str | None, start: Path) -> None:
    """With --as: make the setup of what is plugged in at a target, and set --setup to it; raise UsageError."""
    if arguments.label is None:
        return
    from ulterion.core.errors import UsageError
    from ulterion.run.naming import named_setup

    if arguments.setup is not None:
        raise UsageError("--as makes a setup and --setup names one that is there; give one of them")
    if target is None:
        raise UsageError(
            f"--as '{arguments.label}' names what is plugged in: say where it is, such as the folder of the drive"
        )
    arguments.setup = named_setup(review, arguments.label, target, start)


def is_personal(arguments: argparse.Namespace, folder: Path) -> bool:
    """Return whether a command works outside any review, in your own notebook."""
    from ulterion.model.store import find_review

    return arguments.review is None and find_review(folder) is None


def review_for(arguments: argparse.Namespace, folder: Path, tell: Callable[[str], None]) -> ReviewFolder:
    """Open the review named or found, or outside any your own notebook; --setup may be a label.  Raises UsageError."""
    from ulterion.core.errors import UsageError
    from ulterion.run.review_folders import open_default_review, open_review

    setup = getattr(arguments, "setup", None)
    personal = is_personal(arguments, folder)
    review = open_default_review(tell) if personal else open_review(arguments.review, folder, tell)
    if not isinstance(setup, str):
        return review
    try:
        arguments.setup = review.review.setup_called(setup)
    except UsageError as error:
        where = f". There is no review.toml in {folder} or above, so it was looked for in your own notebook; "
        raise UsageError(
            f"{error}{where}go into the review's folder, or use --review DIR" if personal else str(error)
        ) from error
    return review


def review_to_read(arguments: argparse.Namespace, folder: Path, tell: Callable[[str], None]) -> ReviewFolder:
    """Open the review named or found, or outside any your own notebook where there is one; raise UsageError."""
    from ulterion.model.review import FILE_NAME
    from ulterion.run.review_folders import default_folder, open_default_review, open_review

    if is_personal(arguments, folder) and (default_folder() / FILE_NAME).is_file():
        return open_default_review(tell)
    return open_review(arguments.review, folder, tell)


def add_network(parser: argparse.ArgumentParser) -> None:
    """Add what names a peer and the network to it."""
    group = parser.add_argument_group("a network")
    group.add_argument(
        "--network", metavar="HOST", help="measure the network to another machine, on which 'ulterion peer' runs"
    )
    group.add_argument(
        "--code", metavar="CODE", help="the pairing code that the peer shows (or in the environment, ULTERION_CODE)"
    )


def add_depth(parser: argparse._ActionsContainer, *, why: str | None = None, long: str) -> None:
    """Add --why (unless a command has no evidence to show) and --long, each with what it adds to the answer."""
    if why is not None:
        parser.add_argument("--why", action="store_true", help=f"also the evidence: {why}")
    parser.add_argument("--long", action="store_true", help=f"everything: {long}")


SIZES = ("card", "wide", "square", "column")
"""Sizes of figures, by name (see `ulterion.show.looks`, which is not loaded for an option)."""


def add_figure(
    parser: argparse._ActionsContainer, words: str = "also draw it, as FILE.png or FILE.svg", *, sized: bool = True
) -> None:
    """Add --figure, --dark, and --size where a command has no other option of that name."""
    parser.add_argument("--figure", type=Path, metavar="FILE", help=words)
    parser.add_argument("--dark", action="store_true", help="the figure on a dark background")
    if not sized:
        return
    parser.add_argument(
        "--size",
        dest="figure_size",
        choices=SIZES,
        help="of the figure: 1200x630 to share, 1600x900, 1080x1080, or 640 wide with large type (default: 1280 wide)",
    )


def add_sizes(parser: argparse._ActionsContainer) -> None:
    """Add --size, of all figures that are written."""
    parser.add_argument(
        "--size",
        action="append",
        choices=SIZES,
        default=[],
        help="of those figures: 1200x630 to share, 1600x900, 1080x1080, or 640 wide with large type; may be repeated",
    )


def check_look(arguments: argparse.Namespace) -> None:
    """Raise UsageError where a figure is wanted dark, or in a size, and none is drawn."""
    from ulterion.core.errors import UsageError

    drawn = [getattr(arguments, name, None) for name in ("figure", "film")]
    for option, name in (("dark", "dark"), ("size", "figure_size")):
        if getattr(arguments, name, None) and not any(drawn):
            raise UsageError(f"--{option} is for a figure; add --figure FILE")


def add_units(parser: argparse._ActionsContainer) -> None:
    """Add the option for the unit of rates."""
    parser.add_argument("--units", choices=RATE_UNITS, default="MB/s", help="unit of rates (default: %(default)s)")


def add_json(parser: argparse._ActionsContainer) -> None:
    """Add the option for machine-readable output."""
    parser.add_argument("--json", action="store_true", help="one JSON document on standard output, nothing else")


def add_seed(parser: argparse._ActionsContainer) -> None:
    """Add --seed."""
    parser.add_argument("--seed", type=seed, metavar="N", help="repeat the offsets of an earlier run")


def add_stall(parser: argparse._ActionsContainer) -> None:
    """Add --stall, seconds."""
    parser.add_argument(
        "--stall",
        type=quantity("parse_duration"),
        default=60.0,
        metavar="TIME",
        help="give up if the device stops responding for this long (default: 60 s)",
    )


def add_fail_on(parser: argparse.ArgumentParser, verdicts: tuple[str, ...]) -> None:
    """Add the option that turns a verdict into exit status 4."""
    parser.add_argument(
        "--fail-on",
        action="append",
        choices=verdicts,
        default=[],
        metavar="VERDICT",
        help=f"exit with status 4 when this verdict comes out ({', '.join(verdicts)}); may be repeated",
    )


def add_device(parser: argparse.ArgumentParser) -> None:
    """Add the two words that allow writing to a raw device."""
    group = parser.add_argument_group("raw devices")
    group.add_argument(
        "--overwrite",
        metavar="SERIAL",
        help="allow writing to the raw device with this serial number; never one that is in use",
    )
    group.add_argument(
        "--lose-contents",
        action="store_true",
        help="with --overwrite: lose the partitions, the file system or the data that the device holds",
    )


def quantity(parse: str) -> Callable[[str], Any]:
    """Return an argparse type that reads a quantity with a function of `ulterion.core.units`."""

    def convert(text: str) -> Any:
        from ulterion.core import units
        from ulterion.core.errors import UnitError

        try:
            return getattr(units, parse)(text)
        except UnitError as error:
            raise argparse.ArgumentTypeError(str(error)) from error

    return convert


def seconds(text: str) -> float:
    """Read the length of a pass: a duration with its unit, or a plain number of seconds."""
    plain = text.strip().replace(".", "", 1).isdigit()
    value: float = quantity("parse_duration")(f"{text} s" if plain else text)
    if not MIN_SECONDS <= value <= MAX_SECONDS:
        raise argparse.ArgumentTypeError(f"'{text}' is outside 0.05 s to 24 h, the lengths a pass can have")
    return value


def signed_duration(text: str) -> float:
    """Read a duration that may be negative."""
    bare = text.strip()
    sign = -1.0 if bare.startswith("-") else 1.0
    value: float = quantity("parse_duration")(bare.lstrip("+-").strip())
    return sign * value


def speed_up(text: str) -> float:
    """Read how many times as fast something is shown."""
    try:
        times = float(text.strip().removesuffix("x").strip())
    except ValueError:
        times = 0.0
    if not FASTEST[0] <= times <= FASTEST[1]:
        raise argparse.ArgumentTypeError(
            f"'{text}' is not a speed; write a number such as 10, from {FASTEST[0]:g} to {FASTEST[1]:g}"
        )
    return times


def passes(text: str) -> int:
    """Read a number of passes."""
    return count("passes", MAX_PASSES)(text)


def count(what: str, most: int) -> Callable[[str], int]:
    """Return an argparse type for a whole number from 1 to `most` of something."""

    def convert(text: str) -> int:
        if not text.isdigit() or not 1 <= int(text) <= most:
            raise argparse.ArgumentTypeError(
                f"'{text}' is not a number of {what}; give a whole number from 1 to {most}"
            )
        return int(text)

    return convert


def seed(text: str) -> int:
    """Read a seed."""
    if not text.isdigit() or int(text) >= 2**31:
        raise argparse.ArgumentTypeError(f"'{text}' is not a seed; give a whole number from 0 to 2147483647")
    return int(text)
