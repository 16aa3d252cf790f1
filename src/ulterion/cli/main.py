"""The entry point: the list of commands, the parser, and the one place that turns errors into an exit status."""

from __future__ import annotations

import argparse
import importlib
import os
import sys

from ulterion import __version__
from ulterion.cli.status import Status

TYPE_CHECKING = False  # as in `typing`, which `--help` does not need
if TYPE_CHECKING:
    from typing import Any, NoReturn

    from ulterion.cli.environment import Environment

COMMANDS = {
    "new": "start a review folder with a commented review.toml",
    "survey": "what this machine sees: drives, how each is linked, driver, capacity, temperature",
    "measure": "run a suite of transfer tests on a folder, a file or a hookup",
    "soak": "a long load with throughput and temperature logged",
    "note": "a reading, an outcome or a remark, put where it belongs",
    "compare": "hookups against the direct one, with what else differed",
    "claims": "measured against advertised",
    "demo": "the full worked example on the simulated bench",
}
EPILOG = "Start with 'ulterion demo', or 'ulterion measure FOLDER' for a drive that is mounted there."


class Help(argparse.HelpFormatter):
    """Help as wide as the screen.  The stock formatter finds the width by importing archive modules, a tenth of our time."""

    def __init__(self, prog: str) -> None:
        try:
            width = int(os.environ.get("COLUMNS", "")) or os.get_terminal_size(1).columns
        except (ValueError, OSError):
            width = 80
        super().__init__(prog, width=max(width, 40) - 2)


class Parser(argparse.ArgumentParser):
    """A parser whose complaint is one line."""

    def __init__(self, **settings: Any) -> None:
        super().__init__(formatter_class=Help, **settings)

    def error(self, message: str) -> NoReturn:
        """Print what is wrong and where help is, and exit with status 2."""
        self.exit(Status.USAGE, f"{self.prog}: {message}; see '{self.prog} --help'\n")


def build_parser(argv: list[str]) -> Parser:
    """Return the parser; only the command that `argv` names is imported and given its options."""
    parser = Parser(
        prog="ulterion",
        epilog=EPILOG,
        description="Benchmark drives, enclosures, readers and hubs to an honest verdict.",
    )
    parser.add_argument("--version", action="version", version=f"ulterion {__version__}")
    parser.add_argument("--debug", action="store_true", help="show the traceback of an error")
    chosen = next((a for a in argv if not a.startswith("-")), None)
    if chosen is not None and chosen not in COMMANDS:
        from ulterion.core.errors import unknown

        parser.error(unknown("command", chosen, COMMANDS))
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", title="commands", prog="ulterion")
    for name, summary in COMMANDS.items():
        about = f"{summary[0].upper()}{summary[1:]}."
        sub = commands.add_parser(name, help=summary, description=about, add_help=name == chosen)
        if name == chosen:
            importlib.import_module(f"ulterion.cli.{name}").add_arguments(sub)
    return parser


def main(argv: list[str] | None = None, environment: Environment | None = None) -> int:
    """Run a command line; return the exit status."""
    argv = sys.argv[1:] if argv is None else argv
    parser = build_parser(argv)
    arguments = parser.parse_args(argv)
    if arguments.command is None:
        parser.print_help()
        return Status.DONE
    command = importlib.import_module(f"ulterion.cli.{arguments.command}")
    env = environment or _real_environment()
    try:
        return int(command.run(arguments, env))
    except BrokenPipeError:
        sys.stderr.close()  # whoever read the output has gone; there is no one to complain to
        return Status.DONE
    except KeyboardInterrupt:
        env.notice(["stopped by hand"])
        return Status.INTERRUPTED
    except Exception as error:
        return _status_of(error, arguments.debug, env)


def _real_environment() -> Environment:
    from ulterion.cli.environment import Environment

    return Environment.real()


def _status_of(error: Exception, debug: bool, env: Environment) -> Status:
    """Say what went wrong in one line; an error that we did not foresee is said to be ours."""
    from ulterion.core.errors import Interrupted, TargetFailed, UlterionError

    if debug:
        import traceback

        traceback.print_exception(error, file=env.err)
    if not isinstance(error, UlterionError):
        env.notice([f"an error of ours: {type(error).__name__}: {error}; run it again with --debug and report it"])
        return Status.TARGET_FAILED
    env.notice([" ".join(str(error).split())])
    if isinstance(error, TargetFailed):
        return Status.TARGET_FAILED
    return Status.INTERRUPTED if isinstance(error, Interrupted) else Status.USAGE
