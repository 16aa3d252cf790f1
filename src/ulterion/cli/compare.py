"""`ulterion compare`: hookups against the direct one."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ulterion.cli import options
from ulterion.cli.environment import Environment
from ulterion.cli.status import Status

if TYPE_CHECKING:
    from ulterion.model.run import RunDocument
    from ulterion.model.store import ReviewFolder


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument("hookup", nargs="*", metavar="HOOKUP", help="only these, beside the baseline (default: all)")
    parser.add_argument("--soaks", action="store_true",
                        help="compare soaks instead: the newest of each hookup named, or runs by their id; the first is "
                             "what the others are held against")  # fmt: skip
    parser.add_argument("--against", metavar="HOOKUP", help="the baseline (default: the direct hookup of each medium)")
    parser.add_argument(
        "--margin",
        type=options.quantity("parse_ratio"),
        metavar="PERCENT",
        help="smallest difference that matters, such as '3 %%' (default: the review's)",
    )
    parser.add_argument("--figure", type=Path, metavar="FILE", help="also draw it, as FILE.png or FILE.svg")
    parser.add_argument("--dark", action="store_true", help="a figure of soaks on a dark ground")
    options.add_review(parser)
    options.add_units(parser)
    options.add_fail_on(parser, ("slower", "undecided"))
    options.add_json(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Compare and show."""
    from ulterion.core.errors import UsageError
    from ulterion.report.compared import comparison, outcome_lines
    from ulterion.tasks.comparing import compare_review, groups_as_data
    from ulterion.tasks.notebook import outcomes
    from ulterion.tasks.places import open_review

    folder = open_review(arguments.review, env.folder)
    runs = folder.runs()
    env.notice(folder.notices)
    if arguments.dark and not arguments.soaks:
        raise UsageError("--dark is for figures of soaks; add --soaks")
    if arguments.soaks:
        return _soaks(arguments, env, folder, runs)
    margin = folder.review.review.margin if arguments.margin is None else arguments.margin
    groups = compare_review(folder.review, runs, against=arguments.against, hookups=arguments.hookup, margin=margin)
    labels = {g.medium: folder.review.label(g.medium) for g in groups}
    figures = _figures(arguments, env, groups, labels) if arguments.figure else []
    if arguments.json:
        env.show_json(
            groups_as_data(groups, margin) | {"figures": [str(f) for f in figures], "outcomes": outcomes(folder)}
        )
    else:
        env.show(comparison(groups, labels, arguments.units, margin))
        env.show(outcome_lines(outcomes(folder)))
        env.show(["", *(f"figure: {f}" for f in figures), "next: ulterion claims"])
    found = {r.comparison.verdict for g in groups for r in g.rows if r.comparison}
    return Status.BAD_VERDICT if found & set(arguments.fail_on) else Status.DONE


def _soaks(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder, runs: list[RunDocument]) -> Status:
    """Compare soaks and show."""
    from ulterion.core.errors import UsageError
    from ulterion.report.figures import check_figure_path, save_figure
    from ulterion.report.soaked import findings_lines, soaks_table
    from ulterion.tasks.soaks import choose, difference, marks_of, soaks_as_data

    if arguments.against or arguments.margin is not None or arguments.fail_on:
        raise UsageError(
            "--soaks knows no --against, --margin and --fail-on; name the soak to hold others against first"
        )
    soaks = choose(folder.review, runs, arguments.hookup)
    if arguments.figure:
        from ulterion.report.soak_figures import draw_soaks

        path = env.folder / arguments.figure
        check_figure_path(path)
        marks = marks_of(folder.review, soaks[0].run) if len(soaks) == 1 else []
        save_figure(draw_soaks(soaks, arguments.units, marks, dark=arguments.dark), path)
    if arguments.json:
        env.show_json(soaks_as_data(soaks))
        return Status.DONE
    if len(soaks) == 1:
        env.show(findings_lines(soaks[0], arguments.units))
    else:
        env.show(soaks_table(soaks, [difference(s, soaks[0]) for s in soaks[1:]], arguments.units))
    env.show(["", f"figure: {arguments.figure}"] if arguments.figure else [])
    return Status.DONE


def _figures(arguments: argparse.Namespace, env: Environment, groups: list[Any], labels: dict[str, str]) -> list[Path]:
    """Draw one figure for each medium; with several the medium's name goes into the file's."""
    from ulterion.report.figures import check_figure_path, draw_comparison, save_figure

    wanted = env.folder / arguments.figure
    check_figure_path(wanted)
    written = []
    for group in groups:
        path = wanted if len(groups) == 1 else wanted.with_name(f"{wanted.stem}-{group.medium}{wanted.suffix}")
        save_figure(draw_comparison(group, labels[group.medium], arguments.units), path)
        written.append(path)
    return written
