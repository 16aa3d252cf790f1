"""The manual page, made from the parser: python -m ulterion.cli.manual > docs/ulterion.1."""

from __future__ import annotations

import sys

from ulterion.cli.commands import COMMANDS
from ulterion.cli.completion import Command, commands
from ulterion.cli.main import EPILOG


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
    for status, words in (
        ("0", "done"),
        ("2", "refused: what was asked for cannot be"),
        ("3", "the target failed, or the run was cut off"),
        ("4", "a verdict that was asked to fail came out, or a report is different"),
        ("130", "stopped by hand"),
    ):
        lines += [".TP", f".B {status}", _text(words)]
    lines += [
        ".SH ENVIRONMENT",
        ".TP",
        ".B ULTERION_WORD",
        "the word that a peer shows",
        ".TP",
        ".B ULTERION_ARCHIVE",
        "where the archive is",
        ".TP",
        ".B ULTERION_ENGINE",
        "portable moves bytes by the engine of other systems, on Linux too",
    ]
    return "\n".join([*lines, ""])


def _command(one: Command) -> list[str]:
    lines = [f".SS ulterion {one.name}", _text(f"{one.summary[0].upper()}{one.summary[1:]}.")]
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
    sys.stdout.write(manual())
