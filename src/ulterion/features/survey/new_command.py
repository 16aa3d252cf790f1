"""`ulterion new`: start a review folder."""

from __future__ import annotations

import argparse
from pathlib import Path

from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument("folder", type=Path, metavar="DIR", help="the folder to start; created if necessary")
    parser.add_argument("--title", default="", help="title of the review (default: the folder's name)")


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Write the starting file."""
    from ulterion.core.text import one_line
    from ulterion.model.store import new_review

    folder = env.folder / arguments.folder
    path = new_review(folder, arguments.title or folder.resolve().name)
    for line in (
        f"started {path}",
        f"next: write your parts, claims and setups into it, then, inside {arguments.folder},",
        "      ulterion measure --setup direct",
    ):
        if not env.quiet:
            env.out.write(f"{one_line(line) if line[0] != ' ' else line}\n")
    return Status.DONE
