"""`ulterion demo`: the worked example on the simulated bench."""

from __future__ import annotations

import argparse
from pathlib import Path

from ulterion.cli import options
from ulterion.cli.environment import Environment
from ulterion.cli.status import Status


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument(
        "folder",
        nargs="?",
        type=Path,
        metavar="DIR",
        help="where to put the review (default: ulterion-demo, or the next free name)",
    )
    options.add_units(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Make the review, measure every hookup, show both verdicts."""
    from ulterion.demo.scenario import measure_all, start
    from ulterion.report.claimed import claims_table
    from ulterion.report.compared import comparison
    from ulterion.tasks.claiming import judge_claims
    from ulterion.tasks.comparing import compare_review

    folder = start(env.folder, arguments.folder)
    shown = folder.path.relative_to(env.folder) if folder.path.is_relative_to(env.folder) else folder.path
    env.show([f"{folder.review.review.title}, on the simulated bench, in {shown}", ""])
    for finished in measure_all(folder):
        passes = sum(len(w.passes) for w in finished.run.workloads)
        env.show([f"measured {finished.run.hookup:<10}{' > '.join(finished.run.chain):<38}{passes} passes"])
    review, runs = folder.review, folder.runs()
    margin, tolerance = review.review.margin, review.review.tolerance
    groups = compare_review(review, runs)
    labels = {g.medium: review.label(g.medium) for g in groups}
    env.show(["", *comparison(groups, labels, arguments.units, margin)])
    env.show(["", *claims_table(judge_claims(review, runs, unit=arguments.units), tolerance)])
    env.show([
        "", "It is an ordinary review. Try, inside it:", f"  cd {shown}",
        "  ulterion measure --hookup pod --suite large --passes 8", "  ulterion compare pod slip --figure compare.png",
        "  ulterion claims --everywhere", "or a drive of your own:  ulterion measure FOLDER",
    ])  # fmt: skip
    return Status.DONE
