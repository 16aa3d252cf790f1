"""`ulterion survey`: what this machine sees, and how each drive is linked."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.core.facts.devices import Change, Survey


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument(
        "drive", nargs="*", default=[], metavar="DRIVE", help="only these, by kernel name or serial (default: all)"
    )
    parser.add_argument("--brief", action="store_true", help="a line for each drive, and what is wrong")
    parser.add_argument(
        "--ask",
        action="store_true",
        help="also ask drives behind USB bridges for temperature and health (root); a bridge that does not "
        "know such commands may reset itself",
    )
    parser.add_argument("--watch", action="store_true", help="keep running, and say what comes, goes and changes")
    parser.add_argument(
        "--for",
        dest="seconds",
        type=options.quantity("parse_duration"),
        metavar="TIME",
        help="with --watch: stop after this time",
    )
    parser.add_argument("--learn", metavar="SETUP", help="write what is plugged in now into this setup of review.toml")
    parser.add_argument("--simulated", action="store_true", help="what the simulated bench of the review shows")
    parser.add_argument(
        "--record", type=Path, metavar="FILE", help="record the machine in a file, to survey it elsewhere"
    )
    parser.add_argument("--replay", type=Path, metavar="FILE", help="survey a machine that was recorded")
    options.add_review(parser)
    options.add_json(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Survey and show."""
    from ulterion.core.errors import UsageError
    from ulterion.features.survey.run import chosen, surveyed
    from ulterion.features.survey.tables import survey_lines
    from ulterion.terminal.signals import stoppable

    given = [o for o in ("watch", "learn", "simulated", "record", "replay") if getattr(arguments, o)]
    if len(given) > 1 and set(given) != {"learn", "replay"}:
        raise UsageError(f"--{given[0]} and --{given[1]} cannot be combined; give one of them")
    if arguments.record:
        from ulterion.host.recorded import write_record

        count = write_record(env.folder / arguments.record)
        if arguments.json:
            env.show_json("recorded", {"recorded": str(arguments.record), "files_and_links": count})
        else:
            env.show([f"{count} files and links of this machine, serial numbers included, are in {arguments.record}"])
        return Status.DONE
    if arguments.simulated:
        return _show_simulated(arguments, env)
    with surveyed(env.folder / arguments.replay if arguments.replay else None, ask_usb=arguments.ask) as survey:
        if arguments.learn:
            return _learn(arguments, env, survey)
        survey = chosen(survey, arguments.drive)
        if arguments.watch:
            with stoppable():
                return _watch(arguments, env, survey)
        if arguments.json:
            env.show_json("survey", survey)
        else:
            env.show(survey_lines(survey, brief=arguments.brief))
    return Status.DONE


def _show_simulated(arguments: argparse.Namespace, env: Environment) -> Status:
    from ulterion.features.survey.run import chosen, simulated
    from ulterion.features.survey.tables import survey_lines
    from ulterion.run.review_folders import open_review

    folder = open_review(arguments.review, env.folder, env.tell)
    survey = chosen(simulated(folder.review, folder.path), arguments.drive)
    if arguments.json:
        env.show_json("survey", survey)
    else:
        env.show(survey_lines(survey, brief=arguments.brief))
    return Status.DONE


def _learn(arguments: argparse.Namespace, env: Environment, survey: Survey) -> Status:
    from ulterion.features.survey.run import alike, find_drive, teach
    from ulterion.run.review_folders import open_review

    folder = open_review(arguments.review, env.folder, env.tell)
    drive = find_drive(survey, arguments.drive[0] if arguments.drive else None)
    facts = teach(folder.path / "review.toml", arguments.learn, drive)
    others = alike(survey, drive)
    for sentence in others:
        env.tell(f"warning: {sentence}")
    if arguments.json:
        env.show_json("learned", {"setup": arguments.learn, "drive": drive.name, "expect": facts, "alike": others})
    else:
        told = ", ".join(f"{k} {v}" for k, v in facts.items())
        env.show([f"setup '{arguments.learn}' now expects {told}", f"next: ulterion measure --setup {arguments.learn}"])
    return Status.DONE


def _watch(arguments: argparse.Namespace, env: Environment, survey: Survey) -> Status:
    """Say what comes, goes and changes until stopped."""
    import time

    from ulterion.core.facts.devices import changes
    from ulterion.features.survey.run import only
    from ulterion.features.survey.tables import change_line, survey_lines
    from ulterion.host import machine
    from ulterion.host.uevents import Uevents

    if not arguments.json:
        env.show([*survey_lines(survey, brief=True), "", "watching; Ctrl-C ends it"])
        env.out.flush()
    events = Uevents()
    until = time.monotonic() + arguments.seconds if arguments.seconds else None
    try:
        while until is None or time.monotonic() < until:
            # mounting sends no message, so it is looked at every second as well
            events.wait(max(0.0, min(1.0, until - time.monotonic())) if until else 1.0)
            now = only(machine.survey(), arguments.drive)
            for change in changes(survey, now):
                if arguments.json:
                    env.out.write(_as_line(change))
                else:
                    env.show([change_line(change)])
                env.out.flush()
            survey = now
    finally:
        events.close()
    return Status.DONE


def _as_line(change: Change) -> str:
    import json

    from ulterion.core.text import json_safe
    from ulterion.show.answers import as_json

    return json_safe(json.dumps(as_json(change), ensure_ascii=False)) + "\n"
