"""`ulterion claims`: measured against advertised."""

from __future__ import annotations

import argparse

from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument(
        "setup", nargs="*", default=[], metavar="SETUP", help="judge by these setups only (default: all)"
    )
    parser.add_argument(
        "--everywhere",
        action="store_true",
        help="a line for every setup a claim was measured on, not the fairest one only",
    )
    options.add_review(parser)
    options.add_units(parser)
    options.add_fail_on(parser, ("missed", "undecided", "not testable", "reported", "not measured", "not tested"))
    options.add_json(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Judge the claims and show them."""
    from ulterion.core.errors import UsageError
    from ulterion.features.claims.data import claims_answer
    from ulterion.features.claims.judging import judge_claims
    from ulterion.features.claims.sources import provenance
    from ulterion.features.claims.speedup import rivals
    from ulterion.features.claims.speedup_tables import rivals_table
    from ulterion.features.claims.tables import claims_table, said_lines
    from ulterion.results.pooling import runs_for_results
    from ulterion.run.review_folders import open_review

    folder = open_review(arguments.review, env.folder, env.tell)
    review, runs = folder.review, runs_for_results(folder)
    rows = judge_claims(review, runs, everywhere=arguments.everywhere, setups=arguments.setup)
    beside, said = rivals(review, runs), provenance(review)
    if not rows and not beside:
        raise UsageError(
            f"{folder.path / 'review.toml'} states no claims; add what the box says under [parts.NAME.claims]"
        )
    tolerance = review.review.tolerance
    if arguments.json:
        env.show_json("claims", claims_answer(rows, tolerance, beside, said))
    else:
        told = [
            *claims_table(rows, tolerance, arguments.units),
            *rivals_table(review, beside),
            *said_lines(review, said),
        ]
        env.show([*told, "", "next: ulterion compare --figure compare.png"])
    verdicts = {r.judgement.verdict for r in rows} | {r.verdict for r in beside}
    return Status.BAD_VERDICT if verdicts & set(arguments.fail_on) else Status.DONE
