"""The manual page and the reference of commands, made from the parser.

python -m ulterion.cli.manual > docs/ulterion.1
python -m ulterion.cli.manual --markdown > docs/reference/commands.md
"""

from __future__ import annotations

import sys

from ulterion.cli.commands import COMMANDS
from ulterion.cli.completion import Command, commands
from ulterion.cli.main import EPILOG
from ulterion.show.sentences import sentence_of

STATUSES = (
    ("0", "done"),
    ("2", "wrong use or input, or a figure that could not be written; nothing measured is lost"),
    ("3", "the device under test failed; results so far are kept"),
    ("4", "a verdict named by --fail-on came out, or a report is different"),
    ("70", "a fault of the program itself; one line says what is kept and where the details are"),
    ("130", "stopped by hand or by the system; results so far are kept"),
)
VARIABLES = (
    ("ULTERION_ARCHIVE", "where the archive is: a file, or postgresql://USER@HOST/DATABASE"),
    ("ULTERION_CODE", "the pairing code that a peer shows, in place of --code"),
    ("ULTERION_ENGINE", "'portable' measures with the engine of macOS and Windows, on Linux too"),
    ("NO_COLOR", "any value turns colour off"),
    ("COLUMNS", "the width that text is fitted to, also in a pipe"),
    ("XDG_CONFIG_HOME", "where ulterion/config.toml with personal defaults is (default: ~/.config)"),
    ("XDG_DATA_HOME", "where the notebook and the archive are (default: ~/.local/share)"),
)


def manual() -> str:
    """Return the page in the language of man (man(7))."""
    lines = [
        '.TH ULTERION 1 "" "Ulterion" "User commands"',
        ".SH NAME",
        "ulterion \\- benchmark drives, enclosures, readers, hubs and network ports to an honest verdict",
        ".SH SYNOPSIS",
        ".B ulterion",
        ".I COMMAND",
        "[options]",
        ".SH DESCRIPTION",
        _text(EPILOG),
        ".SH COMMANDS",
    ]
    for one in commands():
        lines += _command(one)
    lines += [".SH EXIT STATUS"]
    for status, words in STATUSES:
        lines += [".TP", f".B {status}", _text(words)]
    lines += [".SH ENVIRONMENT"]
    for name, words in VARIABLES:
        lines += [".TP", f".B {name}", _text(words)]
    return "\n".join([*lines, ""])


def reference() -> str:
    """Return the same as a page of the documentation, in Markdown."""
    lines = ["# Commands", "", "Made from the program: `ulterion COMMAND --help` says the same.", ""]
    every = commands()
    lines += [f"- [{one.name}](#ulterion-{one.name}): {_cell(one.summary)}" for one in every]
    for one in every:
        lines += ["", f"## ulterion {one.name}", "", sentence_of(_cell(one.summary)), "", "```sh"]
        lines += [*COMMANDS[one.name].examples, "```", "", "| option | meaning |", "|---|---|"]
        for option in one.options:
            names = ", ".join(f"`{name}`" for name in option.names)
            lines.append(f"| {names} | {_cell(option.help)} |")
    lines += ["", "## Exit statuses", "", "| status | meaning |", "|---|---|"]
    lines += [f"| {status} | {words} |" for status, words in STATUSES]
    lines += ["", "## Environment", "", "| variable | meaning |", "|---|---|"]
    lines += [f"| `{name}` | {words} |" for name, words in VARIABLES]
    return "\n".join([*lines, ""])


def _cell(text: str) -> str:
    return text.replace("|", "\\|").replace("<", "&lt;")


def _command(one: Command) -> list[str]:
    lines = [f".SS ulterion {one.name}", _text(sentence_of(one.summary))]
    for option in one.options:
        value = " \\fIVALUE\\fR" if option.takes else ""
        names = ", ".join(f"\\fB{_text(n)}\\fR" for n in option.names)
        lines += [".TP", f"{names}{value}", _text(option.help)]
    lines += [".PP", "Examples:", ".nf", *(f"  {_text(e)}" for e in COMMANDS[one.name].examples), ".fi"]
    return lines


def _text(text: str) -> str:
    escaped = text.replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{escaped}" if escaped.startswith((".", "'")) else escaped


if __name__ == "__main__":
    sys.stdout.write(reference() if "--markdown" in sys.argv else manual())
