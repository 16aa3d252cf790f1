"""`ulterion race`: two to six transfers on one clock."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.show.sentences import sentence_of
from ulterion.terminal import options
from ulterion.terminal.drawing import check_paths, draw
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.core.transfers.race import Runner
    from ulterion.model.review import Review
    from ulterion.show.charts import Chart


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument(
        "transfer",
        nargs="+",
        metavar="RUN",
        help="a run id, or a setup: its newest copy, soak or timing",
    )
    options.add_figure(parser, "progress against time, as FILE.png or FILE.svg")
    parser.add_argument("--film", type=Path, metavar="FILE", help="the race as a film, FILE.gif")
    parser.add_argument(
        "--speed",
        type=options.speed_up,
        metavar="TIMES",
        help="how many times faster than the race the film runs (default: it lasts 15 s)",
    )
    options.add_review(parser)
    options.add_json(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Race the transfers and show the result."""
    from ulterion.core.errors import UsageError
    from ulterion.features.clock.data import race_answer
    from ulterion.features.clock.race_judging import amount_words, runners_of
    from ulterion.features.clock.race_words import story

    if arguments.speed and not arguments.film:
        raise UsageError("--speed is for a film; add --film FILE.gif")
    if arguments.figure:
        check_paths(env.folder / arguments.figure)
    if arguments.film:
        from ulterion.show.figure_files import FILM_ENDINGS, check_figure_path

        check_figure_path(env.folder / arguments.film, FILM_ENDINGS)
    folder = options.review_to_read(arguments, env.folder, env.tell)
    runners = runners_of(folder.review, folder.runs_of("soak", "copy", "clock"), arguments.transfer)
    amount, told = amount_words(runners), story(runners)

    def chart() -> Chart:
        from ulterion.features.clock.race_charts import race_chart
        from ulterion.show.looks import Cast

        return race_chart(runners, amount, Cast.of(folder.review))

    wanted = [(env.folder / arguments.figure, "race", chart)] if arguments.figure else []
    drawn = draw(arguments, wanted, folder.review.report.titles)
    if arguments.json:
        env.show_json("race", race_answer(runners, told), drawn.as_data())
    else:
        env.show([f"{amount} on one clock: {sentence_of(told[0])}", *(sentence_of(words) for words in told[1:])])
        drawn.show(env)
    if arguments.film:
        _film(arguments, env, runners, folder.review)
    drawn.end(env)
    return Status.DONE


def _film(arguments: argparse.Namespace, env: Environment, runners: list[Runner], review: Review) -> None:
    from ulterion.core.errors import UsageError
    from ulterion.features.clock.race_charts import race_chart
    from ulterion.features.clock.race_film import MAX_SECONDS, film_race, usual_speed
    from ulterion.features.clock.race_judging import amount_words
    from ulterion.features.clock.race_words import drawing
    from ulterion.show.looks import Cast, look_of

    speed = arguments.speed or usual_speed(runners)
    seconds = max(r.end for r in runners) / speed
    if seconds > MAX_SECONDS:
        raise UsageError(
            f"the film would last {seconds:.0f} s; make it faster with --speed, to last {MAX_SECONDS:.0f} s at most"
        )
    path = env.folder / arguments.film
    chart = race_chart(runners, amount_words(runners), Cast.of(review))
    look = look_of(dark=arguments.dark)
    film_race(runners, chart, path, speed, look=look, tell=lambda share: env.show_progress(drawing(seconds, share)))
    env.show_progress("")
    if not arguments.json:
        env.show([f"film: {arguments.film}, {speed:g} times as fast"])
