"""`ulterion measure`: run a suite of transfer tests."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from ulterion.cli import options
from ulterion.cli.environment import Environment
from ulterion.cli.status import Status

if TYPE_CHECKING:
    from ulterion.model.store import ReviewFolder
    from ulterion.tasks.measuring import Finished, Request

DEFAULT_PASSES, DEFAULT_SECONDS = 5, 5.0


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    from ulterion.core.suites import DEFAULT_SUITE, SUITES

    suites = "; ".join(f"{s.name}: {s.why}" for s in SUITES.values())
    parser.add_argument(
        "target",
        nargs="?",
        metavar="TARGET",
        help="a folder on the mounted drive, or a large file to read (default: the hookup's)",
    )
    parser.add_argument("--hookup", metavar="NAME", help="the hookup of the review that is plugged in now")
    options.add_review(parser)
    parser.add_argument("--suite", metavar="NAME", help=f"what to run (default: {DEFAULT_SUITE}). {suites}")
    parser.add_argument(
        "--workload",
        action="append",
        metavar="WORDS",
        help="run this instead of a suite, such as 'random read 4 KiB depth 16'; may be repeated",
    )
    parser.add_argument(
        "--passes",
        type=options.passes,
        default=DEFAULT_PASSES,
        metavar="N",
        help="repetitions of each workload (default: %(default)s; 3 is the least for an interval)",
    )
    parser.add_argument(
        "--seconds",
        type=options.seconds,
        default=DEFAULT_SECONDS,
        metavar="TIME",
        help="length of a pass, such as 5 or 2m (default: 5 s)",
    )
    parser.add_argument(
        "--span",
        type=options.quantity("parse_size"),
        metavar="SIZE",
        help="how much of the medium is covered, such as '8 GiB' (default: 1 GiB, less if it is full)",
    )
    parser.add_argument(
        "--seed", type=options.seed, metavar="N", help="repeat the offsets (and simulated noise) of an earlier run"
    )
    options.add_units(parser)
    options.add_json(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Measure, keep the run, show it."""
    from ulterion.cli.signals import stoppable
    from ulterion.report.progress import make_display
    from ulterion.tasks.measuring import measure

    request = _request(arguments, env)
    env.notice(request.review.notices)
    display = make_display(env.err, arguments.units)
    with stoppable():
        try:
            finished = measure(request, display)
        finally:
            display.close()
    _show(arguments, env, request, finished)
    if finished.failure is not None:
        raise finished.failure
    return Status.DONE


def _request(arguments: argparse.Namespace, env: Environment) -> Request:
    from ulterion.core.errors import UsageError
    from ulterion.core.suites import DEFAULT_SUITE, find_suite
    from ulterion.core.workload import parse_workload
    from ulterion.tasks.measuring import Request

    if arguments.suite and arguments.workload:
        raise UsageError("--suite and --workload exclude each other; give one of them")
    if arguments.target is None and arguments.hookup is None:
        raise UsageError("nothing to measure: name a folder on the drive, or a hookup of the review with --hookup")
    if arguments.workload:
        suite, workloads = "ad hoc", [parse_workload(w) for w in arguments.workload]
        doubled = next((w for i, w in enumerate(workloads) if w.text in [o.text for o in workloads[:i]]), None)
        if doubled:
            raise UsageError(f"workload '{doubled.text}' is given twice; for more passes use --passes")
    else:
        suite = arguments.suite or DEFAULT_SUITE
        workloads = list(find_suite(suite).workloads)
    return Request(
        review=_review(arguments, env),
        target=arguments.target,
        hookup=arguments.hookup,
        suite=suite,
        workloads=workloads,
        passes=arguments.passes,
        seconds=arguments.seconds,
        span_bytes=arguments.span,
        seed=arguments.seed,
    )


def _review(arguments: argparse.Namespace, env: Environment) -> ReviewFolder:
    """Return the review named or found; a target measured outside any review goes to the personal one."""
    from ulterion.model.store import find_review
    from ulterion.tasks.places import open_default_review, open_review

    if arguments.review is None and arguments.hookup is None and find_review(env.folder) is None:
        return open_default_review()
    return open_review(arguments.review, env.folder)


def _show(arguments: argparse.Namespace, env: Environment, request: Request, finished: Finished) -> None:
    if arguments.json:
        from ulterion.tasks.measuring import finished_as_data

        env.show_json(finished_as_data(finished))
        return
    from ulterion.report.measured import results

    env.show(results(finished.run, finished.path, arguments.units))
    if finished.failure is None:
        env.show([_next_step(request)])


def _next_step(request: Request) -> str:
    review = request.review.review
    if request.hookup is None:
        return "next: 'ulterion new DIR' starts a review, in which drives and hookups are compared"
    left = [n for n in review.hookups if n not in {r.hookup for r in request.review.runs()}]
    if left:
        return f"next: ulterion measure --hookup {left[0]}"
    return "next: ulterion compare, then ulterion claims"
