"""The entry point: the list of commands, the parser, and the one place that turns errors into an exit status."""

from __future__ import annotations

import argparse
import gc
import os
import signal
import sys

from ulterion.cli.commands import COMMANDS, STEPS
from ulterion.core.version import __version__
from ulterion.terminal.status import Refused, Status

TYPE_CHECKING = False  # as in `typing`, which `--help` does not need
if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence
    from typing import Any, NoReturn

    from ulterion.terminal.environment import Environment
    from ulterion.terminal.subcommands import Subcommands

DIGITS_OF_A_TIME = 10  # seconds since 1970, until the year 2286
NO_QUESTION = "argument what: invalid choice: "
UNRECOGNIZED = "unrecognized arguments:"
PURPOSE = "Benchmark drives, enclosures, readers and hubs to an honest verdict."
QUIET = "print warnings and errors only (and --json)"
EPILOG = "Start with 'ulterion demo', or 'ulterion measure FOLDER' for a drive that is mounted there."


MADE_BETWEEN_SWEEPS = (
    100_000  # new objects; what a command makes stays, and looking for what does not is a third of its time
)


setattr(argparse, "_", str)  # noqa: B010 - our words are English alone: looking for translations of argparse's takes 2 ms


class Help(argparse.HelpFormatter):
    """Help as wide as the screen.  The stock formatter finds the width by importing archive modules, a tenth of our time."""

    def __init__(self, prog: str) -> None:
        try:
            width = int(os.environ.get("COLUMNS", "")) or os.get_terminal_size(1).columns
        except (ValueError, OSError):
            width = 80
        super().__init__(prog, width=max(width, 40) - 2)

    def _fill_text(self, text: str, width: int, indent: str) -> str:
        """Fill what is prose; leave lists and examples, whose lines are indented, as they are."""
        if "\n  " in text:
            return text
        return super()._fill_text(text, width, indent)


_CHECKER = Help("")


class Parser(argparse.ArgumentParser):
    """A parser whose complaint is one line, and who takes no shortened options: '--over' is not '--overwrite'."""

    def __init__(self, **settings: Any) -> None:
        self._adds = False
        super().__init__(formatter_class=Help, allow_abbrev=False, **settings)
        self._mixes = False
        self.before_usage: list[str] = []
        """Paragraphs of the help after the description: examples, questions."""
        self.common: list[str] = []
        """Names of the options that the help shows first."""
        self.questions: Subcommands | None = None
        """What the command answers, each by a word of its own."""

    def add_argument(self, *names: str, **settings: Any) -> argparse.Action:
        """Add an argument as argparse does; how its words are formatted is checked by one formatter for all."""
        self._adds = True
        try:
            return super().add_argument(*names, **settings)
        finally:
            self._adds = False

    def _get_formatter(self) -> argparse.HelpFormatter:
        return _CHECKER if self._adds else super()._get_formatter()

    def format_help(self) -> str:
        """Return what a command answers, examples, its arguments, the options wanted most, and the others."""
        formatter = self._get_formatter()
        for text in (self.description, *self.before_usage):
            formatter.add_text(text)
        formatter.add_usage(self.usage, self._actions, self._mutually_exclusive_groups)
        for title, actions in self._sections():
            formatter.start_section(title)
            formatter.add_arguments(actions)
            formatter.end_section()
        formatter.add_text(self.epilog)
        return formatter.format_help()

    def _sections(self) -> Iterator[tuple[str, list[argparse.Action]]]:
        """Yield the sections of the help: arguments, options wanted most, and the rest by their groups."""
        named = [a for a in self._actions if not a.option_strings]
        first = [a for name in self.common for a in self._actions if name in a.option_strings]
        yield "arguments", named
        yield "options", first
        taken = {id(a) for a in (*named, *first)}
        for group in self._action_groups:
            title = group.title if group.title not in ("options", "positional arguments") else ""
            rest = [a for a in group._group_actions if id(a) not in taken]
            yield title or ("more options" if first else "options"), rest

    def parse_known_args(  # type: ignore[override]
        self, args: Sequence[str] | None = None, namespace: argparse.Namespace | None = None
    ) -> tuple[argparse.Namespace, list[str]]:
        """Read a command line on which options stand anywhere: before, between or behind the words of a command."""
        words = sys.argv[1:] if args is None else list(args)
        if self._mixes or self._subparsers is not None or "--" in words:
            return super().parse_known_args(words, namespace)
        self._mixes = True
        try:
            found, strange = self.parse_known_intermixed_args(words, namespace)
        finally:
            self._mixes = False
        if strange:
            self.error(f"{UNRECOGNIZED} {' '.join(strange)}")
        return found, strange

    def _get_values(self, action: argparse.Action, arg_strings: list[str]) -> object:
        """Refuse '--option=--', of which the stock parser makes no value at all."""
        if action.option_strings and "--" in arg_strings:
            raise argparse.ArgumentError(action, "'--' is not a value")
        return super()._get_values(action, arg_strings)

    def error(self, message: str) -> NoReturn:
        """Raise Refused with what is wrong and where to find help; for an option of an earlier version, with its present name."""
        from ulterion.core.renamed import new_name

        if self.questions is not None and message.startswith(NO_QUESTION):
            word = message.removeprefix(NO_QUESTION).split("'")[1]
            message = self.questions.mistaken(self.prog.split()[1], word)
        message = _plain(message)
        strange = message.removeprefix(UNRECOGNIZED).split()
        renamed = [
            (w, now) for w in strange if (now := new_name(w.partition("=")[0])) and message.startswith(UNRECOGNIZED)
        ]
        if renamed:
            message = "; ".join(f"{old.partition('=')[0]} is called {now} now" for old, now in renamed)
        elif strange and message.startswith(UNRECOGNIZED):
            message = self._unknown_option(strange)
        raise Refused(f"{self.prog.removeprefix('ulterion').strip()}: {message}; see '{self.prog} --help'".lstrip(": "))

    def _unknown_option(self, strange: Sequence[str]) -> str:
        """Return what is wrong with words that a command does not take, with the option that was probably meant."""
        from ulterion.core.errors import nearest

        word = next((w for w in strange if w.startswith("-")), strange[0]).partition("=")[0]
        if not word.startswith("-"):
            return f"takes no '{word}' here"
        takers = self.questions.takers(word) if self.questions is not None else []
        if takers:
            return f"{word} goes with {', '.join(takers)}"
        known = [name for action in self._actions for name in action.option_strings]
        near = nearest(word, known, alike=0.7)
        return f"unknown option {word}" + (f"; did you mean {near}?" if near else "")


def _plain(message: str) -> str:
    """Return a complaint of the stock parser in fewer words, a wrong choice with the one that was probably meant."""
    import re

    from ulterion.core.errors import nearest

    message = re.sub(r"^the following arguments are required: (.*)", r"\1 is missing", message)
    match = re.fullmatch(r"argument (\S+): (?:invalid choice: '(.*)' \(choose from (.*)\)|(.*))", message, re.DOTALL)
    if match is None:
        return message
    name, word, choices, other = match.groups()
    if other is not None:
        return f"{name}: {other}"
    known = [choice.strip("' ") for choice in choices.split(",")]
    near = nearest(word, known)
    return f"{name}: unknown '{word}'; " + (f"did you mean '{near}'?" if near else f"choose from {', '.join(known)}")


class _CommandParser(Parser):
    """The parser of the command that was named; the others get no description, are never parsed, and cost no time."""

    def __init__(self, prog: str | None = None, description: str | None = None, **_: object) -> None:
        if description is not None:
            super().__init__(prog=prog, description=description)


class _ProgramParser(Parser):
    """The parser of the program itself: its help has the commands in the order of a review."""

    def format_help(self) -> str:
        """Return what each command answers, grouped by the steps of a review."""
        width = max(map(len, COMMANDS))
        lines = [PURPOSE, "", EPILOG, "", "usage: ulterion COMMAND [options], ulterion COMMAND --help"]
        for step, names in STEPS.items():
            lines += ["", f"{step}:", *(f"  {name:<{width}}  {COMMANDS[name].summary}" for name in names)]
        options = ("  --version   print the version", "  --debug     with an error, print its traceback")
        return "\n".join([*lines, "", "options:", *options, ""])


def build_parser(argv: list[str]) -> Parser:
    """Return the parser; only the command that `argv` names is imported and given its options."""
    parser = _ProgramParser(prog="ulterion", description=PURPOSE)
    parser.add_argument("--version", action="version", version=f"ulterion {__version__}")
    parser.add_argument("--debug", action="store_true", help="show the traceback of an error")
    chosen = next((a for a in argv if not a.startswith("-")), None)
    if chosen is not None and chosen not in COMMANDS:
        from ulterion.core.errors import unknown

        if os.path.exists(chosen):  # noqa: PTH110 - loading pathlib takes as long as the rest of a help text
            parser.error(f"'{chosen}' is not a command; did you mean: ulterion measure {chosen}")
        parser.error(unknown("command", chosen, COMMANDS))
    commands = parser.add_subparsers(
        dest="command", metavar="COMMAND", title="commands", prog="ulterion", parser_class=_CommandParser
    )
    for name, command in COMMANDS.items():
        if name != chosen:
            commands.add_parser(name)  # known, and no more
            continue
        from ulterion.terminal.defaults import apply

        sub = commands.add_parser(name, description=_sentence(command.summary))
        _fill(sub, name, argv[argv.index(name) + 1 :])
        apply(sub)
    return parser


def _fill(parser: Parser, command: str, words: Sequence[str]) -> None:
    """Give the parser of a command its help and options; where it answers several questions, those of the one among `words`."""
    entry = COMMANDS[command]
    questions: Subcommands | None = getattr(entry.load(), "QUESTIONS", None)
    question = next((w for w in words if questions is not None and w in questions.every), None)
    parser.questions = questions
    named = question is not None
    if questions is not None and not named and not {"-h", "--help"} & set(words):
        question = questions.default
    if questions is None or question is None:
        parser.before_usage = [_examples(entry.examples)]
        parser.common = entry.common
        add_options(parser, command)
        if questions is not None:
            options = f"ulterion {command} WORD --help shows the options of each"
            parser.before_usage.append(f"{questions.described()}\n\n  {options}")
            for action in parser._actions:
                if questions.own_options() & {*action.option_strings}:
                    action.help = argparse.SUPPRESS
        return
    asked = questions.every[question]
    parser.prog = f"ulterion {command} {question}"
    parser.description = _sentence(asked.summary)
    parser.before_usage = [_examples(asked.examples)]
    questions.add_one(parser, question, named=named)
    parser.add_argument("--quiet", action="store_true", help=QUIET)
    if not named:  # an option of another question would swallow the next word
        known = {name for action in parser._actions for name in action.option_strings}
        strange = [w for w in words if w.startswith("--") and w.partition("=")[0] not in known]
        if strange:
            parser.error(f"{UNRECOGNIZED} {' '.join(strange)}")


def _sentence(words: str) -> str:
    return f"{words[0].upper()}{words[1:]}."


def _examples(lines: Sequence[str]) -> str:
    return "\n".join(["Examples:", *(f"  {line}" for line in lines)])


def add_options(parser: argparse.ArgumentParser, command: str) -> None:
    """Give a parser the options of a command: its own, and the one that all have but those that only answer."""
    COMMANDS[command].load().add_arguments(parser)
    if not COMMANDS[command].answers_only:
        parser.add_argument("--quiet", action="store_true", help=QUIET)


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
        if getattr(arguments, "dark", False) or getattr(arguments, "figure_size", None):
            from ulterion.terminal.options import check_look

            check_look(arguments)
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
    """Drop a SOURCE_DATE_EPOCH that is not a number of seconds: nothing here uses it, and NumPy fails to load with it."""
    told = os.environ.get("SOURCE_DATE_EPOCH", "0")
    if not (told.isascii() and told.isdigit() and len(told) <= DIGITS_OF_A_TIME):
        del os.environ["SOURCE_DATE_EPOCH"]


def _parsed(argv: list[str]) -> argparse.Namespace | int:
    """Return the arguments, or the exit status where help or the version was asked for; raise Refused."""
    if any(word[:1].isdigit() for word in argv):
        from ulterion.cli.quantities import joined

        argv = joined(argv)
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
