"""`ulterion compare`: setups against the baseline."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from ulterion.features.compare.other_review_options import add_also
from ulterion.terminal import options
from ulterion.terminal.drawing import SavedFigures, check_paths, draw, show_answer
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.features.clock.judging import ClockRow
    from ulterion.features.compare.selection import Selection
    from ulterion.features.soak.judging import Soak
    from ulterion.model.review import Review
    from ulterion.model.runs.document import AnyRun
    from ulterion.model.store import ReviewFolder
    from ulterion.results.comparison import Group
    from ulterion.show.blocks import Shown
    from ulterion.show.charts import Chart


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument(
        "setup",
        nargs="*",
        default=[],
        metavar="SETUP",
        help="setups by name or label, or runs by id (default: all; outside a review, the last drive in the last 24 hours)",
    )
    parser.add_argument(
        "--since",
        type=options.quantity("parse_duration"),
        metavar="TIME",
        help="only runs within this time of the newest, such as '2 h'",
    )
    _add_kinds(parser)
    parser.add_argument("--against", metavar="SETUP", help="the baseline (default: the baseline of each medium)")
    add_also(parser)
    parser.add_argument(
        "--margin",
        type=options.quantity("parse_ratio"),
        metavar="PERCENT",
        help="the smallest difference that matters, such as '3%%' (default: the review's)",
    )
    _add_shown(parser)
    options.add_review(parser)
    options.add_units(parser)
    options.add_fail_on(parser, ("slower", "undecided"))
    options.add_json(parser)


def _add_kinds(parser: argparse.ArgumentParser) -> None:
    """Add the options on what is compared instead of measurements by medium."""
    parser.add_argument(
        "--soaks",
        action="store_true",
        help="compare soaks instead: the newest of each setup, or runs by id; the first is the baseline",
    )
    parser.add_argument(
        "--machines",
        action="store_true",
        help="compare the drives of each machine with its inner drive instead, and its ports with each other",
    )


def _add_shown(parser: argparse.ArgumentParser) -> None:
    """Add the options on how much is shown, and drawn."""
    options.add_figure(parser)
    options.add_depth(
        parser,
        why="for bottlenecks, added latency, what else differed, limits of the intervals",
        long="every result with its interval, and the runs behind it",
    )
    parser.add_argument(
        "--workload",
        action="append",
        default=[],
        metavar="NAME",
        help="only this workload, such as sequential-read; may be repeated",
    )


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Compare and show."""
    from ulterion.core.errors import UsageError
    from ulterion.features.clock.judging import clocked_rows
    from ulterion.features.compare.other_review_options import with_guests
    from ulterion.features.compare.selection import selected
    from ulterion.features.notes.compatibility import what_works

    folder = options.review_for(arguments, env.folder, env.tell)
    if arguments.soaks:
        return _soaks(arguments, env, folder)
    if arguments.machines:
        return _machines(arguments, env, folder)
    margin = folder.review.review.margin if arguments.margin is None else arguments.margin
    personal = options.is_personal(arguments, env.folder)
    chosen = selected(folder, arguments.setup, arguments.against, arguments.since, personal=personal)
    works = what_works(folder)
    if works and not chosen.runs:  # what was noted is all there is
        _show(arguments, env, Compared(folder, folder.review, [], [], margin), short=True)
        return Status.DONE
    if personal and not chosen.runs:
        raise UsageError(
            "nothing has been measured outside a review yet; begin with: ulterion measure FOLDER --as 'front port', "
            "then the same under another label. To compare a review go to its folder, or use --review DIR"
        )
    by_hand = clocked_rows(chosen.review, chosen.runs, margin, chosen.setups, against=chosen.against)
    review, runs = with_guests(arguments.also, env, chosen.review, chosen.runs)
    may_be_none = bool(by_hand) and not arguments.workload
    groups = _groups(chosen, review, runs, margin, arguments.workload, may_be_none=may_be_none)
    _show(arguments, env, Compared(folder, review, groups, by_hand, margin, scope=chosen.scope), short=personal)
    verdicts = {r.comparison.verdict for g in groups for r in g.rows if r.comparison} | {r.verdict for r in by_hand}
    return Status.BAD_VERDICT if verdicts & set(arguments.fail_on) else Status.DONE


class Compared(NamedTuple):
    """A comparison: groups of measurements, rows of timings and copies, and the margin; `scope` says in words what it is limited to."""

    folder: ReviewFolder
    review: Review
    groups: Sequence[Group]
    timed: Sequence[ClockRow]
    margin: float
    scope: str = ""


def _show(arguments: argparse.Namespace, env: Environment, compared: Compared, *, short: bool) -> None:
    """Print a comparison, on one screen with `short`, and draw it."""
    from ulterion.features.notes.compatibility import what_works, works_table
    from ulterion.features.notes.entries import outcomes
    from ulterion.show.blocks import Text

    folder, review, groups, timed, margin, scope = compared
    labels = {key: review.label(key) for key in [*review.ports, *review.parts, *(g.medium for g in groups)]}
    paths = check_paths(env.folder / arguments.figure, [g.medium for g in groups]) if arguments.figure else []
    noted = outcomes(folder)
    if arguments.json:
        from ulterion.features.clock.data import ClockedRow
        from ulterion.features.compare.data import comparison_answer

        drawn = _drawn(arguments, paths, compared)
        works = {row.setup: row.outcomes for row in what_works(folder)}
        answer = comparison_answer(groups, margin, tuple(map(ClockedRow.by, timed)), noted, works)
        env.show_json("comparison", answer, drawn.as_data())
        drawn.end(env)
        return
    env.show(_answer(compared, labels, noted, arguments, short=short))
    env.show(works_table(folder.review, what_works(folder)))
    env.show([Text(f"only {scope}; for more, give --since TIME or name the labels", "muted")] if scope else [])
    drawn = _drawn(arguments, paths, compared)
    env.show([""])
    drawn.show(env)
    env.show([_next(arguments, review, groups, short=short)])
    drawn.end(env)


def _next(arguments: argparse.Namespace, review: Review, groups: Sequence[Group], *, short: bool) -> str:
    """Return the next step of the review: the evidence where something is open, then the claims, then the page."""
    from ulterion.features.compare.overview import is_large
    from ulterion.show.next_steps import after_comparing

    if short and not (arguments.why or arguments.long):
        return "next: ulterion compare --why"
    if is_large(groups) and not (arguments.why or arguments.long):
        named = next((r.setup for g in groups for r in g.rows if r.comparison is not None), groups[0].rows[0].setup)
        return f"next: ulterion compare {named} shows one, with --why the evidence; then {after_comparing(review)}"
    open_ = any(r.comparison is not None and r.comparison.verdict == "undecided" for g in groups for r in g.rows)
    if open_ and not (arguments.why or arguments.long):
        return f"next: --why says what would decide; then {after_comparing(review)}"
    return f"next: {after_comparing(review)}"


def _answer(
    compared: Compared,
    labels: dict[str, str],
    noted: dict[str, list[str]],
    arguments: argparse.Namespace,
    *,
    short: bool,
) -> list[Shown]:
    """Return a comparison at the length asked for; the short one fits one screen."""
    from ulterion.features.clock.tables import clocked_table
    from ulterion.features.compare.overview import is_large, overview
    from ulterion.features.compare.short import short_comparison, transfer_lines
    from ulterion.features.compare.tables import answer_lines, comparison
    from ulterion.show.depth import Depth

    _, review, groups, timed, margin, _ = compared
    unit = arguments.units
    depth = Depth.of(arguments)
    if depth is Depth.ANSWER and short:
        return [*short_comparison(review, groups, unit), *transfer_lines(review, timed, unit)]
    if depth is Depth.ANSWER and is_large(groups):
        return [*overview(review, groups, unit, noted), *clocked_table(review, timed, unit)]
    return [
        *answer_lines(review, groups, timed, unit),
        *comparison(groups, labels, unit, margin, noted, depth=depth),
        *clocked_table(review, timed, unit),
    ]


def _groups(
    chosen: Selection,
    review: Review,
    runs: Sequence[AnyRun],
    margin: float,
    workloads: Sequence[str],
    *,
    may_be_none: bool,
) -> list[Group]:
    """Return the measurements of a selection in groups, with the setups of other reviews that were named."""
    from ulterion.core.errors import UsageError
    from ulterion.results.comparison import compare_review, only_workloads
    from ulterion.results.pooling import pooled_results

    if may_be_none and not any(n in review.setups for n in pooled_results(runs)):
        return []  # transfers timed by hand are all there is
    guests = [name for name in review.setups if name not in chosen.review.setups]
    wanted = [*chosen.setups, *guests] if chosen.setups else []
    groups = compare_review(review, runs, against=chosen.against, setups=wanted, margin=margin, own=chosen.review)
    for guest in guests:
        if not any(guest in (r.setup for r in g.rows) and len({r.setup for r in g.rows}) > 1 for g in groups):
            medium = review.label(review.setup(guest).medium)
            raise UsageError(
                f"'{guest}' was measured with {medium}, and nothing here was; add --against SETUP to compare everything with one setup"
            )
    return only_workloads(groups, workloads) if workloads else groups


def _soaks(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    """Compare soaks and show."""
    from ulterion.core.errors import UsageError
    from ulterion.features.soak.data import soaks_answer
    from ulterion.features.soak.judging import bottleneck_of, choose, difference, marks_of
    from ulterion.features.soak.readings import readings_table
    from ulterion.features.soak.tables import findings_lines, soaks_table
    from ulterion.show.depth import Depth

    if arguments.against or arguments.margin is not None or arguments.fail_on or arguments.workload or arguments.also:
        raise UsageError(
            "--soaks takes no --against, --also, --margin, --workload or --fail-on; name the soak that the others are compared with first"
        )
    soaks = choose(folder, arguments.setup)
    media: dict[str, list[Soak]] = {}
    for soak in soaks:
        media.setdefault(soak.run.chain[-1] if soak.run.chain else "", []).append(soak)
    paths = check_paths(env.folder / arguments.figure, list(media)) if arguments.figure else []
    bottleneck = bottleneck_of(folder, soaks[0].run) if len(soaks) == 1 else None

    def chart(shown: Sequence[Soak]) -> Chart:
        from ulterion.features.soak.charts import soaks_chart
        from ulterion.show.bottleneck_words import bottleneck_caption
        from ulterion.show.looks import Cast

        marks = marks_of(folder.review, shown[0].run) if len(shown) == 1 else []
        cast = Cast.of(folder.review)
        return soaks_chart(shown, arguments.units, marks, cast, held=bottleneck_caption(bottleneck))

    if len(soaks) == 1:
        lines = findings_lines(soaks[0], arguments.units, bottleneck, depth=Depth.of(arguments))
        lines += readings_table(soaks, folder.review.review)
    else:
        differences = [difference(s, soaks[0]) for s in soaks[1:]]
        lines = soaks_table(soaks, differences, arguments.units, folder.review.review)
    wanted: list[tuple[Path, str, Callable[[], Chart]]] = [
        (path, f"soaks-{medium}", partial(chart, shown))
        for path, (medium, shown) in zip(paths, media.items(), strict=False)
    ]
    wanted += _coolers(folder, soaks, paths)
    drawn = draw(arguments, wanted, folder.review.report.titles)
    return show_answer(arguments, env, "soaks", soaks_answer(soaks), [*lines, *([""] if paths else [])], drawn=drawn)


def _coolers(
    folder: ReviewFolder, soaks: Sequence[Soak], paths: Sequence[Path]
) -> list[tuple[Path, str, Callable[[], Chart]]]:
    """Return a function that draws the temperatures of several soaks beside each other, where something was read by hand; the file is named after the first."""
    if not paths or len(soaks) < 2 or not any(s.run.standing_readings for s in soaks):
        return []
    from ulterion.features.soak.charts import coolers_chart
    from ulterion.show.figure_files import beside
    from ulterion.show.looks import Cast

    chart = coolers_chart(folder.review, soaks, Cast.of(folder.review))
    return [] if chart is None else [(beside(paths[0], "coolers"), "coolers", lambda: chart)]


def _machines(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    """Compare the drives of each machine with its inner drive, and show its ports."""
    from ulterion.core.errors import UsageError
    from ulterion.features.compare.data import machines_answer
    from ulterion.features.compare.machine_charts import ports_chart
    from ulterion.features.compare.machines import machines_lines
    from ulterion.features.notes.compatibility import what_works
    from ulterion.results.machines import machines
    from ulterion.results.pooling import runs_for_results

    if arguments.against or arguments.fail_on or arguments.workload or arguments.also:
        raise UsageError("--machines takes no --against, --also, --workload or --fail-on")
    paths = check_paths(env.folder / arguments.figure) if arguments.figure else []
    review = folder.review
    margin = review.review.margin if arguments.margin is None else arguments.margin
    setups = [key for name in arguments.setup for key in review.setups_called(name)]
    outcomes = {row.setup: row.outcomes for row in what_works(folder)}
    found = machines(review, runs_for_results(folder), margin, setups=setups, outcomes=outcomes)
    rows = [row for machine in found for row in machine.ports]
    chart = partial(ports_chart, review, rows, arguments.units)
    drawn = draw(arguments, [(path, "ports", chart) for path in paths], review.report.titles)
    lines = [*machines_lines(review, found, arguments.units), *([""] if paths else [])]
    return show_answer(arguments, env, "machines", machines_answer(found, margin), lines, drawn=drawn)


def _drawn(arguments: argparse.Namespace, paths: Sequence[Path], compared: Compared) -> SavedFigures:
    """Draw a figure for each medium, named after it where there are several; or one figure of the timings."""
    if not paths:
        return SavedFigures()
    from ulterion.features.clock.charts import transfers_chart
    from ulterion.features.compare.charts import comparison_chart
    from ulterion.features.notes.charts import works_map
    from ulterion.features.notes.compatibility import what_works
    from ulterion.show.looks import Cast

    review, unit = compared.review, arguments.units
    cast, titles = Cast.of(review), review.report.titles
    if not compared.groups and not any(r.estimate is not None for r in compared.timed):
        rows = what_works(compared.folder)
        return draw(arguments, [(paths[0], "works", partial(works_map, review, rows))] if rows else [], titles)
    if not compared.groups:
        return draw(arguments, [(paths[0], "transfers", partial(transfers_chart, compared.timed, unit, cast))], titles)
    wanted = [
        (path, f"compare-{group.medium}", partial(comparison_chart, review, group, unit, cast))
        for path, group in zip(paths, compared.groups, strict=True)
    ]
    return draw(arguments, wanted, titles)
