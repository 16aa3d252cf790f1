"""`ulterion soak`: a long load with throughput and temperature logged."""

from __future__ import annotations

import argparse
from contextlib import closing
from typing import TYPE_CHECKING

from ulterion.terminal.drawing import SavedFigures, check_paths, draw
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.model.runs.soak import SoakRun
    from ulterion.model.store import ReviewFolder
    from ulterion.run.observers import Kept
    from ulterion.run.requests import SoakRequest
    from ulterion.show.charts import Chart


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    from ulterion.features.soak import options

    options.add(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Soak, keep the run, show what it says."""
    from ulterion.features.soak.asking import parse_questions
    from ulterion.features.soak.live_view import SoakDisplay, make_soak_display
    from ulterion.features.soak.run import soak
    from ulterion.features.soak.words import note_words
    from ulterion.terminal.signals import stoppable

    if arguments.figure:
        check_paths(env.folder / arguments.figure)
    request = _request(arguments, env)
    wanted = [question for text in arguments.ask for question in parse_questions(text)]
    display = make_soak_display(env.screen, arguments.units, request.plan, wanted)
    with stoppable(), closing(display):
        finished = soak(request, display)
    _show(arguments, env, finished, request.place.review)
    if isinstance(display, SoakDisplay) and display.questions.open:
        missing = display.questions.open[0]
        env.notice([f"not read: {missing.what}, {missing.when}; write it down: {note_words(missing)}"])
    if finished.failure is not None:
        raise finished.failure
    return Status.DONE


def _request(arguments: argparse.Namespace, env: Environment) -> SoakRequest:
    from ulterion.core.errors import UsageError
    from ulterion.features.soak.options import load_of, plan_of, sensors_of
    from ulterion.features.soak.run import capacity_of, find_cut_off, request_again
    from ulterion.run.overwrite_guard import Overwrite
    from ulterion.run.place import Place
    from ulterion.run.requests import SoakRequest, TargetOptions
    from ulterion.terminal.options import name_setup, review_for, wait_if_asked

    if arguments.target is None and arguments.setup is None:
        raise UsageError("nothing to soak: name a folder on the drive, or a setup of the review with --setup")
    review = review_for(arguments, env.folder, env.tell)
    name_setup(arguments, review, arguments.target, env.folder)
    workload, files = load_of(arguments)
    waited = wait_if_asked(arguments, review, env.notice)
    place = Place(review, env.folder, arguments.target, arguments.setup)
    request = SoakRequest(
        place=place,
        workload=workload,
        plan=plan_of(arguments, capacity_of(place)),
        access=TargetOptions(
            span_bytes=arguments.span,
            seed=arguments.seed,
            stall=arguments.stall,
            overwrite=Overwrite(arguments.overwrite, arguments.lose_contents),
            accept=arguments.accept,
            waited=waited,
        ),
        files=files,
        sensors=sensors_of(arguments),
        pace=arguments.pace,
    )
    if arguments.resume:
        return request_again(request, find_cut_off(place))
    return request


def _show(arguments: argparse.Namespace, env: Environment, finished: Kept[SoakRun], folder: ReviewFolder) -> None:
    from ulterion.features.soak.data import soak_answer
    from ulterion.features.soak.judging import Soak, bottleneck_of, label_of, marks_of, soak_of, with_earlier
    from ulterion.features.soak.tables import soak_results
    from ulterion.show.blocks import BLANK, kept_line
    from ulterion.show.depth import Depth

    def drawn(soak: Soak | None) -> SavedFigures:
        if not arguments.figure or soak is None:
            return SavedFigures()
        from ulterion.features.soak.charts import soaks_chart
        from ulterion.show.bottleneck_words import bottleneck_caption
        from ulterion.show.looks import Cast

        def chart() -> Chart:
            marks, cast = marks_of(folder.review, finished.run), Cast.of(folder.review)
            return soaks_chart([soak], arguments.units, marks, cast, held=bottleneck_caption(bottleneck))

        return draw(arguments, [(env.folder / arguments.figure, "soaks", chart)], folder.review.report.titles)

    told = soak_of(finished.run, label_of(folder.review, finished.run))
    told = with_earlier(folder, told) if told is not None else None
    bottleneck = bottleneck_of(folder, finished.run)
    if arguments.json:
        figures = drawn(told)
        env.show_json("soak", soak_answer(finished.run, told, finished.path, bottleneck), figures.as_data())
        figures.end(env)
        return
    env.show([*soak_results(finished.run, told, arguments.units, bottleneck, depth=Depth.of(arguments)), BLANK])
    figures = drawn(told)
    figures.show(env)
    env.show([kept_line(finished.path)])
    if finished.failure is None and finished.run.setup:
        _show_next(env, folder, finished.run)
    figures.end(env)


def _show_next(env: Environment, folder: ReviewFolder, run: SoakRun) -> None:
    """Show what comes next, and which soak results rest on where it is not this one."""
    from ulterion.core.units import spell_duration
    from ulterion.results.pooling import soak_in_place_of
    from ulterion.results.standing_soaks import load_seconds

    longer = soak_in_place_of(folder, run)
    if longer is not None:
        lasted = spell_duration(load_seconds(longer))
        env.show([f"claims, estimates and the page still rest on soak {longer.id}, which lasted {lasted}"])
    env.show(["next: ulterion note 'case 38 C at 12m', then ulterion compare --soaks"])
