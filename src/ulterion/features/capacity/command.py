"""`ulterion capacity`: prove that the capacity is really there."""

from __future__ import annotations

import argparse
from contextlib import closing
from pathlib import Path

from ulterion.terminal import options
from ulterion.terminal.drawing import check_paths, draw_one
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument(
        "path",
        nargs="?",
        type=Path,
        metavar="PATH",
        help="a folder on the drive, whose free room is proven, or its raw device",
    )
    parser.add_argument("--setup", metavar="SETUP", help="the setup it is; its target where no path is named")
    options.add_label(parser)
    parser.add_argument(
        "--quick",
        action="store_true",
        help="a raw device: a few hundred places instead of all of it; finds every wrap-round and every end, not bad areas",
    )
    parser.add_argument(
        "--resume", action="store_true", help="go on with the newest proof of this device that was cut off"
    )
    options.add_device(parser)
    options.add_stall(parser)
    options.add_figure(parser)
    options.add_review(parser)
    options.add_units(parser)
    options.add_json(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Prove it, keep the run, show it."""
    from ulterion.core.errors import UsageError
    from ulterion.features.capacity.charts import capacity_chart
    from ulterion.features.capacity.data import capacity_answer
    from ulterion.features.capacity.media import CapacityRequest
    from ulterion.features.capacity.run import prove
    from ulterion.features.capacity.tables import after
    from ulterion.features.copy.command import copy_display
    from ulterion.run.overwrite_guard import Overwrite
    from ulterion.run.place import Place
    from ulterion.terminal.signals import stoppable

    if arguments.figure:
        check_paths(env.folder / arguments.figure)
    review = options.review_for(arguments, env.folder, env.tell)
    target = str(arguments.path) if arguments.path else None
    options.name_setup(arguments, review, target, env.folder)
    place = Place(review, env.folder, target, arguments.setup)
    if place.where is None:
        raise UsageError(
            "nothing to prove: name a folder on the drive, its device, or a setup of the review with --setup"
        )
    permit = Overwrite(arguments.overwrite, arguments.lose_contents)
    request = CapacityRequest(place, permit, arguments.quick, arguments.resume, arguments.stall)
    with stoppable(), closing(copy_display(arguments, env)) as display:
        done = prove(request, display)
    drawn = draw_one(arguments, env, "capacity", lambda: capacity_chart(done.run), review.review.report.titles)
    if arguments.json:
        env.show_json("capacity", capacity_answer(done.run, done.path), drawn.as_data())
    else:
        env.show(after(done.run, done.path, arguments.units))
        drawn.show(env)
    drawn.end(env)
    if done.failure is not None:
        raise done.failure
    return Status.DONE if done.run.capacity.finding in ("whole", "unproven") else Status.BAD_VERDICT
