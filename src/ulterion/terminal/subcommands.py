"""Commands that answer several questions, each by a word of its own with a help of its own: `ulterion estimate write`."""

from __future__ import annotations

import argparse
import shlex
from collections.abc import Callable, Mapping

from ulterion.core.records import dataclass

Adder = Callable[[argparse._ActionsContainer], object]


@dataclass(frozen=True)
class Subcommand:
    """One question of a command.

    Attributes:
        summary: what it answers.
        examples: command lines.
        options: names of the options it takes, of those that the command has.
        amount: metavar and help of the word it takes, None where it takes none.
        needs: whether that word must be given.
    """

    summary: str
    examples: tuple[str, ...]
    options: tuple[str, ...] = ()
    amount: tuple[str, str] | None = None
    needs: bool = True


@dataclass(frozen=True)
class Subcommands:
    """The questions of a command, and every option that one of them takes, by name; `common` adds what all take.

    `default` is the question that is meant where none is named.

    The word that a question takes is kept as `dest`; `several`: whether it may be given again.
    """

    every: Mapping[str, Subcommand]
    options: Mapping[str, Adder]
    common: Adder
    default: str | None = None
    several: bool = False
    dest: str = "amount"

    def add_all(self, parser: argparse.ArgumentParser) -> None:
        """Give a parser the options of all questions, for the command line that names none (or one it has not)."""
        parser.add_argument("what", nargs="?", choices=tuple(self.every), default=self.default, help=argparse.SUPPRESS)
        self._add_amount(parser, (self.dest.upper(), argparse.SUPPRESS), needs=False)
        for add in self.options.values():
            add(parser)
        self.common(parser)

    def add_one(self, parser: argparse.ArgumentParser, name: str, *, named: bool) -> None:
        """Give a parser the options of one question, which is `named` or meant; the others keep their defaults."""
        whole = argparse.ArgumentParser(add_help=False)
        self.add_all(whole)
        one = self.every[name]
        given = {"what"} | ({self.dest} if one.amount is not None else set())
        parser.set_defaults(**{k: v for k, v in vars(whole.parse_args([])).items() if k not in given})
        if named:
            parser.add_argument("what", choices=(name,), help=argparse.SUPPRESS)
        else:
            parser.add_argument("what", nargs="?", choices=(name,), default=name, help=argparse.SUPPRESS)
        if one.amount is not None:
            self._add_amount(parser, one.amount, needs=one.needs)
        for option in one.options:
            self.options[option](parser)
        self.common(parser)

    def own_options(self) -> set[str]:
        """Return the options that only some of the questions take."""
        parser = argparse.ArgumentParser(add_help=False)
        for add in self.options.values():
            add(parser)
        return {name for action in parser._actions for name in action.option_strings}

    def _add_amount(self, parser: argparse.ArgumentParser, named: tuple[str, str], *, needs: bool) -> None:
        if self.several:
            parser.add_argument(self.dest, metavar=named[0], help=named[1], nargs="*", default=[])
        elif needs:
            parser.add_argument(self.dest, metavar=named[0], help=named[1])
        else:
            parser.add_argument(self.dest, metavar=named[0], help=named[1], nargs="?")

    def mistaken(self, command: str, word: str) -> str:
        """Return what is wrong with a word that names no question, with the one probably meant."""
        from ulterion.core.errors import unknown

        if word[:1].isdigit():
            asked = next(name for name, one in self.every.items() if one.amount is not None)
            others = ", ".join(name for name in self.every if name != asked)
            return f"say what to {command} first: ulterion {command} {asked} {shlex.quote(word)}, or one of {others}"
        return unknown("word", word, self.every)

    def takers(self, option: str) -> list[str]:
        """Return the questions that take an option."""
        found = []
        for name, one in self.every.items():
            parser = argparse.ArgumentParser(add_help=False)
            for key in one.options:
                self.options[key](parser)
            found += [name] if any(option in action.option_strings for action in parser._actions) else []
        return found

    def described(self) -> str:
        """Return the questions and what each answers, a line each."""
        width = max(map(len, self.every)) + 2
        return "\n".join(f"  {name:<{width}}{one.summary}" for name, one in self.every.items())
