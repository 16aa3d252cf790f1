"""The entry point: the list of commands, the parser, and the one place that turns errors into an exit status."""

from __future__ import annotations

import argparse
import gc
import os
import signal
import sys

from ulterion.cli.commands import COMMANDS
from ulterion.core.version import __version__
from ulterion.terminal.status import Refused, Status

TYPE_CHECKING = False  # as in `typing`, which `--help` does not need
if TYPE_CHECKING:
    from collections.abc import Sequence
    from typing import Any, NoReturn

    from ulterion.terminal.environment import Environment

DIGITS_OF_A_TIME = 10  # seconds since 1970, until the year 2286
UNRECOGNIZED = "unrecognized arguments:"
EPILOG = "Start with 'ulterion demo', or 'ulterion measure FOLDER' for a drive that is mounted there."


MADE_BETWEEN_SWEEPS = (
    100_000  # new objects; what a command makes stays, and looking for what does not is a third of its time
)


class Help(argparse.HelpFormatter):
    """Help as wide as the screen.  The stock formatter finds the width by importing archive modules, a tenth of our time."""

    def __init__(self, prog: str) -> None:
        try:
            width = int(os.environ.get("COLUMNS", "")) or os.get_terminal_size(1).columns
        except (ValueError, OSError):
            width = 80
        super().__init__(prog, width=max(width, 40) - 2)

    def _fill_text(self, text: str, width: int, indent: str) -> str:
        """Leave examples as they are."""
        words, examples, lines = text.partition("Examples:")
        filled = super()._fill_text(words, width, indent) if words.strip() else ""
        return "\n\n".join(t for t in (filled, examples + lines) if t)


class Parser(argparse.ArgumentParser):
    """A parser whose complaint is one line, and who takes no shortened options: '--over' is not '--overwrite'."""

    def __init__(self, **settings: Any) -> None:
        super().__init__(formatter_class=Help, allow_abbrev=False, **settings)
        self._mixes = False

    def parse_known_args(  # type: ignore[override]
        self, args: Sequence[str] | None = None, namespace: argparse.Namespace | None = None
    ) -> tuple[argparse.Namespace, list[str]]:
        """Read a command line on which options stand anywhere: before, between or behind the words of a command."""
        words = sys.argv[1:] if args is None else list(args)
        if self._mixes or self._subparsers is not None or "--" in words:
            return super().parse_known_args(words, namespace)
        self._mixes = True
        try:
            return self.parse_known_intermixed_args(words, namespace)
        finally:
            self._mixes = False

    def _get_values(self, action: argparse.Action, arg_strings: list[str]) -> object:
        """Refuse '--option=--', of which the stock parser makes no value at all."""
        if action.option_strings and "--" in arg_strings:
            raise argparse.ArgumentError(action, "'--' is not a value")
        return super()._get_values(action, arg_strings)

    def error(self, message: str) -> NoReturn:
        """Raise Refused with what is wrong and where to find help; for an option of an earlier version, with its present name."""
        from ulterion.core.renamed import new_name

        strange = message.removeprefix(UNRECOGNIZED).split()
        renamed = [
            (w, now) for w in strange if (now := new_name(w.partition("=")[0])) and message.startswith(UNRECOGNIZED)
        ]
        if renamed:
            message = "; ".join(f"{old.partition('=')[0]} is called {now} now" for old, now in renamed)
        raise Refused(f"{self.prog.removeprefix('ulterion').strip()}: {message}; see '{self.prog} --help'".lstrip(": "))


class _CommandParser(Parser):
    """The parser of the command that was named; the others get no description, are never parsed, and cost no time."""

    def __init__(self, prog: str | None = None, description: str | None = None, **_: object) -> None:
        if description is not None:
            super().__init__(prog=prog, description=description)


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
    commands = parser.add_subparsers(
        dest="command", metavar="COMMAND", title="commands", prog="ulterion", parser_class=_CommandParser
    )
    for name, command in COMMANDS.items():
        if name != chosen:
            commands.add_parser(name, help=command.summary)  # a line of the help
            continue
        from ulterion.terminal.defaults import apply

        sub = commands.add_parser(
            name, help=command.summary, description=f"{command.summary[0].upper()}{command.summary[1:]}."
        )
        add_options(sub, name)
        apply(sub)
        sub.epilog = (sub.epilog or "") + "\n  ".join(["Examples:", *command.examples])
    return parser


def add_options(parser: argparse.ArgumentParser, command: str) -> None:
    """Give a parser the options of a command: its own, and the one that all have but those that only answer."""
    COMMANDS[command].load().add_arguments(parser)
    if not COMMANDS[command].answers_only:
        parser.add_argument("--quiet", action="store_true", help="print warnings and errors only (and --json)")


def main(argv: list[str] | None = None, environment: Environment | None = None, *, before: Any = None) -> int:
    """Run a command line; return the exit status.  `before` is the handler of Ctrl-C that was on while we were loaded."""
    argv = sys.argv[1:] if argv is None else argv
    env = environment
    gc.set_threshold(MADE_BETWEEN_SWEEPS)
    _forget_bad_epoch()
    try:
        if before is not None and signal.getsignal(signal.SIGINT) is before:
            signal.signal(signal.SIGINT, signal.default_int_handler)
        arguments = _parsed(argv)
        if isinstance(arguments, int):
            return arguments
        env = environment or _real_environment()
        env.quiet = getattr(arguments, "quiet", False)
        status = int(COMMANDS[arguments.command].load().run(arguments, env))
        if COMMANDS[arguments.command].keeps:
            from ulterion.features.archive.location import add_if_set

            add_if_set(arguments, env)
        env.out.flush()
        return status
    except (Exception, KeyboardInterrupt) as error:
        from ulterion.terminal.error_exit import end

        return end(error, argv, env)


def _forget_bad_epoch() -> None:
    """Leave out a SOURCE_DATE_EPOCH that is no time: nothing here is dated by it, and NumPy fails on it when it is loaded."""
    told = os.environ.get("SOURCE_DATE_EPOCH", "0")
    if not (told.isascii() and told.isdigit() and len(told) <= DIGITS_OF_A_TIME):
        del os.environ["SOURCE_DATE_EPOCH"]


def _parsed(argv: list[str]) -> argparse.Namespace | int:
    """Return the arguments, or the exit status where help or the version was asked for; raise Refused."""
    parser = build_parser(argv)
    try:
        arguments = parser.parse_args(argv)
        if arguments.command is None:
            parser.print_help()
            sys.stdout.flush()
            return Status.DONE
    except SystemExit as asked:
        sys.stdout.flush()
        return int(asked.code or 0)
    return arguments


def _real_environment() -> Environment:
    from ulterion.terminal.environment import Environment

    return Environment.real()
