"""`ulterion claims`: measured against advertised."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from typing import TYPE_CHECKING

from ulterion.terminal import options
from ulterion.terminal.drawing import SavedFigures, draw_one
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.features.claims.row import ClaimRow
    from ulterion.features.claims.sources import Provenance
    from ulterion.features.claims.speedup import RivalRow
    from ulterion.model.review import Review
    from ulterion.show.blocks import Shown


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
    parser.add_argument("--why", action="store_true", help="the evidence for each claim, and where it was published")
    parser.add_argument("--long", action="store_true", help="everything: the setups and runs behind each as well")
    options.add_figure(parser)
    options.add_review(parser)
    options.add_units(parser)
    options.add_fail_on(
        parser, ("missed", "partly", "undecided", "not testable", "reported", "not measured", "not tested")
    )
    options.add_json(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Judge the claims and show them."""
    from ulterion.core.errors import UsageError
    from ulterion.features.claims.judging import judge_claims
    from ulterion.features.claims.sources import provenance
    from ulterion.features.claims.speedup import rivals
    from ulterion.results.pooling import runs_for_results
    from ulterion.run.review_folders import open_review

    folder = open_review(arguments.review, env.folder, env.tell)
    review, runs = folder.review, runs_for_results(folder)
    rows = judge_claims(review, runs, everywhere=arguments.everywhere, setups=arguments.setup)
    beside, said = rivals(review, runs, arguments.setup), provenance(review)
    if not rows and not beside:
        raise UsageError(
            f"{folder.path / 'review.toml'} states no claims; add what the box says under [parts.NAME.claims]"
        )
    tolerance = review.review.tolerance
    drawn = _drawn(arguments, env, review, rows) if arguments.figure else SavedFigures()
    if arguments.json:
        from ulterion.features.claims.data import claims_answer

        env.show_json("claims", claims_answer(rows, tolerance, beside, said), drawn.as_data())
    else:
        env.show([*_shown(arguments, review, rows, beside, said), *([""] if drawn.paths else [])])
        drawn.show(env)
        first = "" if arguments.why or arguments.long else "ulterion claims --why, then "
        env.show(["", f"next: {first}ulterion report"])
    drawn.end(env)
    verdicts = {r.judgement.verdict for r in rows} | {r.verdict for r in beside}
    return Status.BAD_VERDICT if verdicts & set(arguments.fail_on) else Status.DONE


def _drawn(arguments: argparse.Namespace, env: Environment, review: Review, rows: Sequence[ClaimRow]) -> SavedFigures:
    """Draw the claims; raise UsageError where none was measured."""
    from ulterion.core.errors import UsageError
    from ulterion.features.claims.charts import claims_chart

    chart = claims_chart(review, rows, arguments.units)
    if chart is None:
        raise UsageError("no claim was measured yet, so there is nothing to draw; begin with: ulterion measure")
    return draw_one(arguments, env, "claims", lambda: chart, review.report.titles)


def _shown(
    arguments: argparse.Namespace,
    review: Review,
    rows: Sequence[ClaimRow],
    rivals: Sequence[RivalRow],
    said: Sequence[Provenance],
) -> list[Shown]:
    """Return the answer, with the evidence or in full where that is asked for."""
    from ulterion.features.claims import words
    from ulterion.features.claims.overview import claims_overview
    from ulterion.features.claims.speedup_tables import rivals_table
    from ulterion.features.claims.tables import claims_table, said_lines
    from ulterion.show.blocks import bullet_list

    unit = arguments.units
    overview = claims_overview(review, rows, rivals, unit)
    if arguments.long:
        table = claims_table(rows, review.review.tolerance, unit)
        return [overview[0], "", *table, *rivals_table(review, rivals), *said_lines(review, said)]
    return [*overview, *(bullet_list("Why", words.reasons(rows)) + said_lines(review, said) if arguments.why else [])]
