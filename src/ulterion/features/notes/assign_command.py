"""`ulterion assign`: say which setup an earlier run was made on."""

from __future__ import annotations

import argparse

from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument("run", metavar="RUN", help="the run, by its id")
    parser.add_argument(
        "name",
        metavar="NAME",
        help="a setup, or a label such as 'front port'; one that is new is made from what the run shows",
    )
    options.add_review(parser)
    options.add_json(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Assign it and say so."""
    from ulterion.features.notes.attach import find_run
    from ulterion.features.notes.data import Assigned
    from ulterion.run.naming import setup_of_facts

    folder = options.review_for(arguments, env.folder, env.tell)
    summary = find_run(folder, arguments.run)
    (known,) = folder.without_series([summary])
    setup = setup_of_facts(folder, arguments.name, known.target)
    chain = list(folder.review.setup(setup).chain)
    changed = folder.reassign(summary, setup, chain)
    if arguments.json:
        env.show_json("assigned", Assigned(changed.id, summary.setup, setup))
    else:
        was = f"; it was under '{summary.setup}'" if summary.setup is not None else ""
        env.show([f"run {changed.id} is now under '{folder.review.setup_label(setup)}'{was}", "next: ulterion compare"])
    return Status.DONE
