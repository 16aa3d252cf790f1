"""`ulterion completion`: what a shell needs to complete command lines, made from the parser itself."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from textwrap import shorten

from ulterion.core.records import dataclass
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

SHELLS = ("bash", "zsh", "fish")
TOLD = 70  # characters of what an option does
FISH_SETUPS = "(__ulterion_setups)"
SETUP = "SETUP"  # the metavar of what a review's setup is named by
# the names in [setups.NAME] of the review folder one stands in; a shell must not wait for Python at each key
NAMES = r"sed -n 's/^\[setups\.\([A-Za-z0-9_-]*\)\].*/\1/p' review.toml 2>/dev/null"


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
    """An option of a command: its names, what it does, whether it takes a value, the values there are, or a setup."""

    names: tuple[str, ...]
    help: str
    takes: bool
    choices: tuple[str, ...]
    setup: bool


@dataclass(frozen=True)
class Command:
    """A command with its options, and the words that its places take where they are known, or whether they are setups."""

    name: str
    summary: str
    options: tuple[Option, ...]
    words: tuple[str, ...]
    setups: bool


def commands() -> list[Command]:
    """Return every command as the parser has it."""
    from ulterion.cli.commands import COMMANDS
    from ulterion.cli.main import Parser, add_options

    found = []
    for name, entry in COMMANDS.items():
        parser = Parser(prog=f"ulterion {name}")
        add_options(parser, name)
        setups = any(not a.option_strings and a.metavar == SETUP for a in parser._actions)
        found.append(Command(name, entry.summary, tuple(_options(parser)), tuple(_words(parser)), setups))
    return found


def _options(parser: argparse.ArgumentParser) -> Iterator[Option]:
    for action in parser._actions:
        if action.option_strings and action.help != argparse.SUPPRESS:
            choices = tuple(str(c) for c in action.choices or ())
            names, setup = tuple(action.option_strings), action.metavar == SETUP
            told = (action.help or "") % {"prog": parser.prog, **vars(action)}  # as argparse does
            yield Option(names, " ".join(told.split()), action.nargs != 0, choices, setup)


def _short(told: str) -> str:
    """Return the first part of what an option does, in whole words."""
    first = told.split("; ")[0].split(" (default")[0]
    return shorten(first, TOLD, placeholder=" ...")


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
        setups = '" $(_ulterion_setups)"' if one.setups else ""
        cases.append(f"        {one.name}) words={_quoted(words)}{setups} ;;")
        values += [
            f"        {one.name}:{n}) words={'$(_ulterion_setups)' if o.setup else _quoted(' '.join(o.choices))} ;;"
            for o in one.options
            if o.choices or o.setup
            for n in o.names
        ]
    names = " ".join(c.name for c in every)
    return "\n".join(
        [
            "# completion of ulterion for bash",
            f"_ulterion_setups() {{ {NAMES}; }}",
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
    lines = ["#compdef ulterion", f"_ulterion_setups() {{ compadd -- $({NAMES}) }}"]
    lines += ["_ulterion() {", "  local -a found", "  if (( CURRENT == 2 )); then", "    found=("]
    lines += [f"      {_quoted(c.name + ':' + c.summary.replace(':', chr(92) + ':'))}" for c in commands()]
    lines += ["    )", "    _describe command found", "    return", "  fi", '  case "$words[2]" in']
    for one in commands():
        specs = []
        for option in one.options:
            told = _short(option.help).replace("[", "(").replace("]", ")")
            specs += [_quoted(f"{name}[{told}]{_zsh_value(option)}") for name in option.names]
        specs += [_quoted(f"2:word:({' '.join(one.words)})")] if one.words else []
        specs.append(f"'*:word:{'_ulterion_setups' if one.setups else '_files'}'")
        lines.append(f"    {one.name}) _arguments {' '.join(specs)} ;;")
    # read by the shell's own loader it is the function's first call; sourced, it is to be made known
    call = 'if [ "$funcstack[1]" = _ulterion ]; then _ulterion "$@"; else compdef _ulterion ulterion; fi'
    return "\n".join([*lines, "  esac", "}", call, ""])


def _zsh_value(option: Option) -> str:
    if option.choices:
        return f":value:({' '.join(option.choices)})"
    return ":setup:_ulterion_setups" if option.setup else ":value:_files" if option.takes else ""


def fish() -> str:
    """Return the completion for fish."""
    lines = ["# completion of ulterion for fish", f"function __ulterion_setups; {NAMES}; end"]
    for one in commands():
        lines.append(f"complete -c ulterion -n __fish_use_subcommand -a {one.name} -d {_fish(one.summary)}")
        on = f"complete -c ulterion -n '__fish_seen_subcommand_from {one.name}'"
        if one.words or one.setups:
            lines.append(f"{on} {'-f ' if one.setups else ''}-a {_fish(' '.join(one.words) or FISH_SETUPS)}")
        for option in one.options:
            names = " ".join(f"-l {n[2:]}" if n.startswith("--") else f"-s {n[1:]}" for n in option.names)
            values = " ".join(option.choices) or (FISH_SETUPS if option.setup else "")
            value = f" -x -a {_fish(values)}" if values else " -r" if option.takes else ""
            lines.append(f"{on} {names}{value} -d {_fish(_short(option.help))}")
    return "\n".join([*lines, ""])


def _fish(text: str) -> str:
    return "'" + text.replace("\\", "\\\\").replace("'", "\\'") + "'"
