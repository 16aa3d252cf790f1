"""`ulterion measure`: run a suite of transfer tests."""

from __future__ import annotations

import argparse
from contextlib import closing
from functools import partial
from typing import TYPE_CHECKING

from ulterion.terminal.drawing import SavedFigures, check_paths, draw, draw_one
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.model.runs.measure import MeasureRun
    from ulterion.run.observers import Kept
    from ulterion.run.requests import MeasureRequest


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    from ulterion.features.measure import options

    options.add(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Measure, keep the run, show it."""
    from ulterion.features.measure.live_view import make_display
    from ulterion.features.measure.run import measure
    from ulterion.terminal.signals import stoppable

    if arguments.figure:
        check_paths(env.folder / arguments.figure)
    request = _request(arguments, env)
    if arguments.together:
        return _together(arguments, env, request)
    display = make_display(env.screen, arguments.units)
    with stoppable(), closing(display):
        finished = measure(request, display)
    _show(arguments, env, request, finished)
    if finished.failure is not None:
        raise finished.failure
    return Status.DONE


def _together(arguments: argparse.Namespace, env: Environment, request: MeasureRequest) -> Status:
    from ulterion.core.errors import UsageError
    from ulterion.features.measure.charts import sharing_chart
    from ulterion.features.measure.concurrent import measure_together
    from ulterion.features.measure.concurrent_tables import sharing_table
    from ulterion.features.measure.data import sharing_answer
    from ulterion.features.measure.live_view import make_display
    from ulterion.terminal.signals import stoppable

    refused = [
        f"--{o.replace('_', '-')}" for o in ("warm_up", "rest", "cool_to", "until_sure") if getattr(arguments, o)
    ]
    if refused:
        raise UsageError(
            f"--together takes no {' and no '.join(refused)}: passes alone and together take turns as they are"
        )
    first = request.place.setup or request.place.target
    if first is None or (request.place.setup and request.place.target):
        raise UsageError(
            "--together takes targets or setups: ulterion measure A --together B (or net:HOST), or --setup A --together B"
        )
    display = make_display(env.screen, arguments.units)
    with stoppable(), closing(display):
        shared = measure_together(request, [first, *arguments.together], display)
    drawn = SavedFigures()
    if shared.workloads:
        review = request.place.review.review
        names = [review.setup_among_all(t) if t in review.setups else t for t in shared.targets]
        chart = partial(sharing_chart, names, shared.workloads, arguments.units)
        drawn = draw_one(arguments, env, "sharing", chart)
    if arguments.json:
        env.show_json("sharing", sharing_answer(shared), drawn.as_data())
    else:
        env.show(sharing_table(shared, arguments.units))
        drawn.show(env)
    drawn.end(env)
    if shared.failure is not None:
        raise shared.failure
    return Status.DONE


def _request(arguments: argparse.Namespace, env: Environment) -> MeasureRequest:
    from ulterion.core.errors import UsageError
    from ulterion.features.measure.options import extras_of, laying_of, passes_of, seconds_of, workloads_of
    from ulterion.run.overwrite_guard import Overwrite
    from ulterion.run.place import Place
    from ulterion.run.requests import MeasureRequest, TargetOptions
    from ulterion.terminal.options import name_setup, review_for, wait_if_asked

    if arguments.target is not None and arguments.network is not None:
        raise UsageError("TARGET and --network cannot be combined; with --together: --network HOST --together TARGET")
    target = f"net:{arguments.network}" if arguments.network is not None else arguments.target
    if target is None and arguments.setup is None:
        raise UsageError(
            "nothing to measure: name the folder of the drive, such as /media/me/stick, a setup of the review with --setup, "
            "or a peer with --network"
        )
    review = review_for(arguments, env.folder, env.tell)
    name_setup(arguments, review, target, env.folder)
    place = Place(review, env.folder, target, arguments.setup)
    suite, workloads = workloads_of(arguments, network=place.over_network and not arguments.together)
    waited = wait_if_asked(arguments, review, env.notice)
    return MeasureRequest(
        place=place,
        suite=suite,
        workloads=workloads,
        passes=passes_of(arguments),
        seconds=seconds_of(arguments),
        access=TargetOptions(
            span_bytes=arguments.span,
            seed=arguments.seed,
            workers=arguments.workers,
            stall=arguments.stall,
            overwrite=Overwrite(arguments.overwrite, arguments.lose_contents),
            accept=arguments.accept,
            waited=waited,
            code=arguments.code,
            laying=laying_of(arguments),
        ),
        extras=extras_of(arguments),
    )


def _show(arguments: argparse.Namespace, env: Environment, request: MeasureRequest, finished: Kept[MeasureRun]) -> None:
    if arguments.json:
        from ulterion.features.measure.data import measured_answer

        drawn = _drawn(arguments, env, finished)
        env.show_json("measurement", measured_answer(finished), drawn.as_data())
        drawn.end(env)
        return
    from ulterion.features.measure.tables import results
    from ulterion.show.depth import Depth

    env.show(results(finished.run, finished.path, arguments.units, depth=Depth.of(arguments)))
    drawn = _drawn(arguments, env, finished)
    drawn.show(env)
    if finished.failure is None:
        env.show([_next_step(request, arguments.label)])
    drawn.end(env)


def _drawn(arguments: argparse.Namespace, env: Environment, finished: Kept[MeasureRun]) -> SavedFigures:
    if not arguments.figure or not any(r.counted for r in finished.run.workloads):
        return SavedFigures()
    from ulterion.features.measure.charts import run_chart

    chart = partial(run_chart, finished.run, arguments.units, finished.run.seen_link)
    return draw(arguments, [(env.folder / arguments.figure, "sweep", chart)])


def _next_step(request: MeasureRequest, label: str | None) -> str:
    from ulterion.show.next_steps import after_comparing
    from ulterion.show.sentences import listed

    review = request.place.review.review
    if request.place.setup is None and review.setups:
        return f"next: measure with --setup NAME to compare it with others; there are {listed([*review.setups])}"
    if request.place.setup is None:
        return f"next: give it a label to compare it: ulterion measure {request.place.target} --as 'front port'"
    if label is not None and len(review.setups) < 2:
        return f"next: plug it in elsewhere, then: ulterion measure {request.place.target} --as 'another label'"
    if label is not None:
        return "next: ulterion compare"
    measured = {s.setup for s in request.place.review.summaries() if s.kind in ("measure", "network")}
    left = [n for n in review.setups if n not in measured]
    if left:
        return f"next: ulterion measure --setup {left[0]}"
    return f"next: ulterion compare, then {after_comparing(review)}"
