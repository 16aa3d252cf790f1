"""`ulterion versus`: one drive in several places, moved by hand, measured in each and compared at once."""

from __future__ import annotations

import argparse
from collections import Counter
from collections.abc import Sequence
from contextlib import closing
from typing import TYPE_CHECKING

from ulterion.terminal import options
from ulterion.terminal.drawing import SavedFigures, check_paths, draw_one
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.core.workloads.workload import Workload
    from ulterion.model.store import ReviewFolder
    from ulterion.results.comparison import Group
    from ulterion.run.moving_drive import Arrived
    from ulterion.run.place import Place

FEWEST = 2  # places to compare
PATIENCE = 1800.0  # seconds that a hand may take


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument(
        "labels",
        nargs="+",
        metavar="LABEL",
        help="what the drive is plugged into, in your own words: first where it is now, then the others in turn "
        "(on a simulated bench, setups of the review)",
    )
    parser.add_argument(
        "--drive",
        metavar="DRIVE",
        help="the drive that moves: kernel name, serial or mount folder (default: the only one besides the system's)",
    )
    parser.add_argument(
        "--full", action="store_true", help="the full suite in each place instead of a first answer in about 20 s"
    )
    parser.add_argument(
        "--wait",
        type=options.quantity("parse_duration"),
        default=PATIENCE,
        metavar="TIME",
        help="how long to wait for the drive to be moved (default: 30m)",
    )
    options.add_figure(parser)
    options.add_review(parser)
    options.add_units(parser)
    options.add_json(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Measure in each place that is still to be measured, and compare after each."""
    from ulterion.core.errors import UsageError
    from ulterion.run.naming import checked_label
    from ulterion.terminal.signals import stoppable

    if arguments.figure:
        check_paths(env.folder / arguments.figure)
    labels = list(dict.fromkeys(checked_label(text) for text in arguments.labels))
    if len(labels) < FEWEST:
        raise UsageError("name two places or more: ulterion versus 'front port' 'the hub'")
    folder = options.review_for(arguments, env.folder, env.tell)
    with stoppable():
        if _is_simulated(folder, labels):
            _on_the_bench(arguments, env, folder, labels)
        else:
            _by_hand(arguments, env, folder, labels)
    drawn = _drawn(arguments, env, folder, labels)
    if not arguments.json:
        drawn.show(env)
        env.show(["next: the same command again adds a run to each; ulterion compare --why gives the evidence"])
    else:
        from ulterion.features.compare.data import comparison_answer

        groups = _groups(folder, labels)
        env.show_json("comparison", comparison_answer(groups, folder.review.review.margin), drawn.as_data())
    drawn.end(env)
    return Status.DONE


def _drawn(
    arguments: argparse.Namespace, env: Environment, folder: ReviewFolder, labels: Sequence[str]
) -> SavedFigures:
    """Draw the places beside each other, where that is asked for."""
    if not arguments.figure:
        return SavedFigures()
    from ulterion.features.compare.charts import comparison_chart
    from ulterion.show.looks import Cast

    group = next(iter(_groups(folder, labels)))
    chart = comparison_chart(folder.review, group, arguments.units, Cast.of(folder.review))
    return draw_one(arguments, env, f"compare-{group.medium}", lambda: chart, folder.review.report.titles)


def _is_simulated(folder: ReviewFolder, labels: Sequence[str]) -> bool:
    """Return whether the labels are setups of a review on the simulated bench."""
    from ulterion.core.errors import UsageError
    from ulterion.run.place import SIM

    known = folder.review.setups
    try:
        keys = [folder.review.setup_called(label) for label in labels]
    except UsageError:
        return False
    simulated = [key for key in keys if (known[key].target or "").startswith(SIM)]
    if simulated and len({known[key].medium for key in simulated}) > 1:
        raise UsageError(f"{' and '.join(keys)} end at different drives; 'versus' moves one drive from place to place")
    return bool(simulated)


def _on_the_bench(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder, labels: Sequence[str]) -> None:
    """Play it on the simulated bench, whose script of events moves the drive."""
    from ulterion.run.place import Place
    from ulterion.run.wait_for_setup import wait_for
    from ulterion.sim.bench import load_bench

    keys = [folder.review.setup_called(label) for label in labels]
    left = _still_open(folder, keys)
    for number, key in enumerate(left):
        place = Place(folder, env.folder, None, key)
        env.tell(f"plug {folder.review.label(place.chain[-1])} into: {folder.review.setup_label(key)}")
        moved = any(e.setup == key for e in load_bench(place.bench_file).events)
        waited = wait_for(place, arguments.wait, env.tell, told=True) if moved else 0.0
        _measured(arguments, env, place, waited)
        if number or len(left) == 1:  # with the second place begins what can be compared
            _show(arguments, env, folder, labels)


def _by_hand(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder, labels: Sequence[str]) -> None:
    """Measure the drive where it is, say where to plug it next, and go on when it is there."""
    from ulterion.host import machine
    from ulterion.run.moving_drive import arrived, candidates, chosen_drive, moving, wait_until_moved
    from ulterion.run.naming import named_setup
    from ulterion.run.place import Place

    survey = machine.survey()
    named = arguments.drive
    if named is None and len(candidates(survey)) > 1:
        there = ", ".join(f"{d.name} ({d.model or 'no model'})" for d in candidates(survey))
        named = env.ask_text(f"which drive do you move? {there}") or None
    drive = chosen_drive(survey, named)
    one, here = moving(drive), arrived(drive)
    left, medium = _left_for(folder, labels, here), None
    for number, label in enumerate(left):
        if number or _belongs_elsewhere(folder, label, here):
            env.tell(f"now unplug {one.name}, and plug it into: {label}")
            here = wait_until_moved(one, here.drive.port, arguments.wait, env.tell, env.ask)
        env.tell(f"{label}: measuring {here.folder}")
        key = named_setup(folder, label, str(here.folder), env.folder, medium=medium)
        medium = folder.review.setup(key).medium
        _measured(arguments, env, Place(folder, env.folder, str(here.folder), key))
        _show(arguments, env, folder, labels)


def _belongs_elsewhere(folder: ReviewFolder, label: str, here: Arrived) -> bool:
    """Return whether a label is known to be another port than the one the drive is in now."""
    for setup in folder.review.setups.values():
        expect = setup.expect
        known = setup.label.casefold() == label.casefold() and expect is not None and expect.port is not None
        if known and expect is not None and expect.serial == here.drive.serial and expect.port != here.drive.port:
            return True
    return False


def _left_for(folder: ReviewFolder, labels: Sequence[str], here: Arrived) -> list[str]:
    """Return the labels that are still to be measured with a drive: those with the fewest runs."""
    keys = {label: _key_of(folder, label, here) for label in labels}
    known = [key for key in keys.values() if key is not None]
    left = set(_still_open(folder, known)) if len(known) == len(labels) else {k for k in known if not _runs(folder)[k]}
    return [label for label, key in keys.items() if key is None or key in left]


def _key_of(folder: ReviewFolder, label: str, here: Arrived) -> str | None:
    """Return the setup of a label with this drive, or None where there is none yet."""
    review = folder.review
    for key, setup in review.setups.items():
        serial = setup.expect.serial if setup.expect is not None else None
        if setup.label.casefold() == label.casefold() and serial == here.drive.serial:
            return key
    return None


def _still_open(folder: ReviewFolder, keys: Sequence[str]) -> list[str]:
    """Return the setups with the fewest runs of the last day, in their order: all of them where all have as many."""
    counts = _runs(folder)
    fewest = min((counts[key] for key in keys), default=0)
    return [key for key in keys if counts[key] == fewest]


def _runs(folder: ReviewFolder) -> Counter[str]:
    """Return how many whole measurements of the last day each setup has."""
    from ulterion.results.late_runs import LAST, late

    runs = folder.without_series([s for s in folder.summaries() if s.kind == "measure"])
    return Counter(r.setup for r in late(runs, LAST) if r.setup is not None and r.state.name == "complete")


def _measured(arguments: argparse.Namespace, env: Environment, place: Place, waited: float = 0.0) -> None:
    """Measure in one place and keep the run; what went wrong is raised when it is kept."""
    from ulterion.engine.targets.base import LayingLimit
    from ulterion.features.measure import options as measuring
    from ulterion.features.measure.live_view import make_display
    from ulterion.features.measure.run import measure
    from ulterion.run.requests import MeasureRequest, TargetOptions

    suite, workloads = _suite(full=arguments.full)
    laying = LayingLimit(measuring.QUICK_LAYING, measuring.QUICK_LEAST)
    if arguments.full:
        laying = LayingLimit(measuring.LAYING_SECONDS, measuring.LEAST_SPAN)
    request = MeasureRequest(
        place=place,
        suite=suite,
        workloads=workloads,
        passes=measuring.DEFAULT_PASSES if arguments.full else measuring.QUICK_PASSES,
        seconds=measuring.DEFAULT_SECONDS if arguments.full else measuring.QUICK_SECONDS,
        access=TargetOptions(laying=laying, waited=waited),
    )
    display = make_display(env.screen, arguments.units)
    with closing(display):
        finished = measure(request, display)
    if finished.failure is not None:
        raise finished.failure


def _suite(*, full: bool) -> tuple[str, Sequence[Workload]]:
    from ulterion.core.workloads.suites import DEFAULT_SUITE, QUICK, SUITES

    suite = SUITES[DEFAULT_SUITE] if full else QUICK
    return suite.name, suite.workloads


def _groups(folder: ReviewFolder, labels: Sequence[str]) -> list[Group]:
    """Return the labels that were measured, compared with the first."""
    from ulterion.features.compare.selection import selected
    from ulterion.results.comparison import compare_review

    folder.refresh()
    chosen = selected(folder, [n for n in labels if _is_known(folder, n)], None, None, personal=False)
    return compare_review(chosen.review, chosen.runs, setups=chosen.setups)


def _is_known(folder: ReviewFolder, label: str) -> bool:
    from ulterion.core.errors import UsageError

    try:
        return bool(folder.review.setups_called(label))
    except UsageError:
        return False


def _show(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder, labels: Sequence[str]) -> None:
    """Print the comparison as it stands."""
    from ulterion.features.compare.short import short_comparison

    if not arguments.json:
        env.show([*short_comparison(folder.review, _groups(folder, labels), arguments.units), ""])
        env.out.flush()
