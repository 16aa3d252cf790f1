"""`ulterion completion`: what a shell needs to complete command lines, made from the parser itself."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from dataclasses import dataclass

from ulterion.cli.environment import Environment
from ulterion.cli.status import Status

SHELLS = ("bash", "zsh", "fish")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument("shell", choices=SHELLS, help="for which shell; write it where that shell looks, or source it")


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Write the script to standard output."""
    made = {"bash": bash, "zsh": zsh, "fish": fish}[arguments.shell]()
    env.out.write(made)
    return Status.DONE


@dataclass(frozen=True)
class Option:
    """An option of a command: its names, what it does in a line, whether it takes a value, and the values there are."""

    names: tuple[str, ...]
    help: str
    takes: bool
    choices: tuple[str, ...]


@dataclass(frozen=True)
class Command:
    """A command with its options, and the words that its places take where they are known."""

    name: str
    summary: str
    options: tuple[Option, ...]
    words: tuple[str, ...]


def commands() -> list[Command]:
    """Return every command as the parser has it."""
    from ulterion.cli.main import COMMANDS, Parser, add_options

    found = []
    for name, summary in COMMANDS.items():
        parser = Parser(prog=f"ulterion {name}")
        add_options(parser, name)
        found.append(Command(name, summary, tuple(_options(parser)), tuple(_words(parser))))
    return found


def _options(parser: argparse.ArgumentParser) -> Iterator[Option]:
    for action in parser._actions:
        if action.option_strings and action.help != argparse.SUPPRESS:
            told = " ".join((action.help or "").replace("%%", "%").split())
            choices = tuple(str(c) for c in action.choices or ())
            yield Option(
                tuple(action.option_strings), told.split("; ")[0].split(" (default")[0], action.nargs != 0, choices
            )


def _words(parser: argparse.ArgumentParser) -> Iterator[str]:
    for action in parser._actions:
        if not action.option_strings and action.choices:
            yield from (str(c) for c in action.choices)


def _quoted(text: str) -> str:
    return "'" + text.replace("'", "'\\''") + "'"


def bash() -> str:
    """Return the completion for bash."""
    every = commands()
    cases, values = [], []
    for one in every:
        words = " ".join([*(n for o in one.options for n in o.names), *one.words])
        cases.append(f"        {one.name}) words={_quoted(words)} ;;")
        values += [
            f"        {one.name}:{n}) words={_quoted(' '.join(o.choices))} ;;"
            for o in one.options
            if o.choices
            for n in o.names
        ]
    names = " ".join(c.name for c in every)
    return "\n".join(
        [
            "# completion of ulterion for bash",
            "_ulterion() {",
            '    local current="${COMP_WORDS[COMP_CWORD]}" before="${COMP_WORDS[COMP_CWORD-1]}" command= words= word',
            '    for word in "${COMP_WORDS[@]:1:COMP_CWORD-1}"; do case "$word" in -*) ;; *) command="$word"; break ;; esac; done',
            f'    if [ -z "$command" ]; then COMPREPLY=($(compgen -W {_quoted(names)} -- "$current")); return; fi',
            '    case "$command" in',
            *cases,
            "    esac",
            '    case "$command:$before" in',
            *values,
            "    esac",
            '    COMPREPLY=($(compgen -W "$words" -- "$current"))',
            "}",
            "complete -o default -F _ulterion ulterion",
            "",
        ]
    )


def zsh() -> str:
    """Return the completion for zsh."""
    lines = ["#compdef ulterion", "_ulterion() {", "  local -a found", "  if (( CURRENT == 2 )); then", "    found=("]
    lines += [f"      {_quoted(c.name + ':' + c.summary.replace(':', chr(92) + ':'))}" for c in commands()]
    lines += ["    )", "    _describe command found", "    return", "  fi", '  case "$words[2]" in']
    for one in commands():
        specs = []
        for option in one.options:
            told = option.help.replace("[", "(").replace("]", ")").replace(":", " ")[:70]
            value = (
                f":value:({' '.join(option.choices)})" if option.choices else ":value:_files" if option.takes else ""
            )
            specs += [_quoted(f"{name}[{told}]{value}") for name in option.names]
        rest = f"*:word:({' '.join(one.words)})" if one.words else "*:file:_files"
        lines.append(f"    {one.name}) _arguments {' '.join([*specs, _quoted(rest)])} ;;")
    return "\n".join([*lines, "  esac", "}", '_ulterion "$@"', ""])


def fish() -> str:
    """Return the completion for fish."""
    lines = ["# completion of ulterion for fish"]
    for one in commands():
        lines.append(f"complete -c ulterion -n __fish_use_subcommand -a {one.name} -d {_fish(one.summary)}")
        on = f"complete -c ulterion -n '__fish_seen_subcommand_from {one.name}'"
        if one.words:
            lines.append(f"{on} -a {_fish(' '.join(one.words))}")
        for option in one.options:
            names = " ".join(f"-l {n[2:]}" if n.startswith("--") else f"-s {n[1:]}" for n in option.names)
            value = f" -x -a {_fish(' '.join(option.choices))}" if option.choices else " -r" if option.takes else ""
            lines.append(f"{on} {names}{value} -d {_fish(option.help[:70])}")
    return "\n".join([*lines, ""])


def _fish(text: str) -> str:
    return "'" + text.replace("\\", "\\\\").replace("'", "\\'") + "'"
