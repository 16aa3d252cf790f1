"""Each kind of estimate: asked for, worked out, shown."""

from __future__ import annotations

import argparse
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.show.sentences import sentence_of
from ulterion.terminal.drawing import SavedFigures, draw_one, show_answer
from ulterion.terminal.environment import Environment
from ulterion.terminal.options import review_to_read
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from collections.abc import Sequence

    from ulterion.features.estimate.transfer_time import TransferTimeRow
    from ulterion.model.review import Review
    from ulterion.model.store import ReviewFolder
    from ulterion.show.charts import Chart


def for_reader(arguments: argparse.Namespace, env: Environment) -> Status:
    """What a reader gets on a port of his own."""
    from ulterion.core.errors import UsageError
    from ulterion.core.estimates.readers import parse_reader
    from ulterion.features.estimate.data import reader_answer
    from ulterion.features.estimate.other_port import suggestions
    from ulterion.features.estimate.other_port_tables import reader_table
    from ulterion.results.pooling import runs_for_results

    if arguments.what is not None:
        raise UsageError(f"--for stands alone; leave '{arguments.what}' out")
    reader = parse_reader(arguments.reader)
    folder = review_to_read(arguments, env.folder, env.tell)
    runs = runs_for_results(folder)
    found = [s for link in reader.links for s in suggestions(folder.review, runs, link, reader.size)]
    lines = reader_table(folder.review, runs, reader, found, arguments.units)
    return show_answer(arguments, env, "reader", reader_answer(reader, found), lines)


def energy(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    """What moving bytes draws."""
    from ulterion.core.errors import UsageError
    from ulterion.core.units import parse_size
    from ulterion.features.estimate.charts import energies_chart
    from ulterion.features.estimate.data import energies_answer
    from ulterion.features.estimate.energy import energies
    from ulterion.features.estimate.other_port_tables import energies_table

    size = parse_size(arguments.amount) if arguments.amount else None
    found = energies(folder.runs_of("soak"), arguments.setup)
    if not found:
        raise UsageError(
            "no soak logged power; log it with ulterion soak --probe 'power=COMMAND', a command that prints the watts of a meter"
        )
    chart = partial(energies_chart, folder.review, found)
    drawn = draw_one(arguments, env, "energy", chart, folder.review.report.titles)
    lines = energies_table(found, size)
    return show_answer(arguments, env, "energies", energies_answer(found, size), lines, drawn=drawn)


AS_MANY = "*"
"""After a part's name: as many of it as the supply runs."""

WHOLE = {"read": "each full drive read", "write": "each drive filled"}
"""What is estimated where no size is given."""


def _known(arguments: argparse.Namespace, folder: ReviewFolder) -> None:
    """Take the labels of setups for their names; raise UsageError for one that is not there."""
    called = folder.review.setup_called
    arguments.setup = [called(name) for name in arguments.setup]
    for end in ("source", "target"):
        if getattr(arguments, end) is not None:
            setattr(arguments, end, called(getattr(arguments, end)))


def _works_chart(review: Review, rows: Sequence[TransferTimeRow], title: str) -> Chart:
    """Return the bars of how long it takes; what draws is loaded for a figure only."""
    from ulterion.features.estimate.charts import works_chart

    return works_chart(review, rows, title)


def _works_data(rows: Sequence[TransferTimeRow], size: int | None, title: str) -> object:
    """Return the answer for JSON, whose shapes are loaded for it only."""
    from ulterion.features.estimate.data import works_answer

    return works_answer(rows, size, title)


def moving(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    """How long a size takes, read or written, on every setup."""
    from ulterion.core.units import parse_size, show_size
    from ulterion.features.estimate.tables import work_answer, works_table
    from ulterion.features.estimate.transfer_time import moving
    from ulterion.results.pooling import runs_for_results

    _known(arguments, folder)
    size, way = parse_size(arguments.amount) if arguments.amount else None, arguments.what
    rows = moving(folder.review, runs_for_results(folder), size, way, arguments.setup)
    title = WHOLE[way] if size is None else f"{show_size(size)} {'read' if way == 'read' else 'written'} in one go"
    drawn = SavedFigures()
    if any(r.work for r in rows):
        chart = partial(_works_chart, folder.review, rows, title)
        drawn = draw_one(arguments, env, f"work-{way}", chart, folder.review.report.titles)
    lines = [
        sentence_of(work_answer(folder.review, rows, title)),
        *works_table(folder.review, rows, arguments.units),
    ]
    return show_answer(arguments, env, "works", data=partial(_works_data, rows, size, title), lines=lines, drawn=drawn)


def copy(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    """How long a copy takes between two setups."""
    from ulterion.core.errors import UsageError
    from ulterion.core.units import show_size
    from ulterion.features.copy.preflight import cost_between
    from ulterion.features.estimate.tables import work_answer, works_table
    from ulterion.features.estimate.transfer_time import between
    from ulterion.results.pooling import runs_for_results

    _known(arguments, folder)
    if arguments.source is None or arguments.target is None:
        raise UsageError("a copy has two ends: name them with --from SETUP and --to SETUP")
    size, files = _counted(env, arguments.amount)
    cost = cost_between(folder, arguments.source, arguments.target)
    per_file = cost.per_file if cost is not None and files else 0.0
    row = between(
        folder.review,
        runs_for_results(folder),
        size,
        arguments.source,
        arguments.target,
        files=files,
        per_file=per_file,
        check=arguments.check,
    )
    title = (
        f"{show_size(size)}{f' in {files} files' if files else ''}, copied{' and checked' if arguments.check else ''}"
    )
    lines = [sentence_of(work_answer(folder.review, [row], title)), *works_table(folder.review, [row], arguments.units)]
    if files and cost is None:
        lines.append(
            "the cost of opening each file is not included: copy three different folders between these two first (ulterion copy)"
        )
    drawn = SavedFigures()
    if row.work is not None:
        drawn = draw_one(arguments, env, "copy", partial(_works_chart, folder.review, [row], title))
    return show_answer(arguments, env, "works", partial(_works_data, [row], size, title), lines, drawn=drawn)


def _counted(env: Environment, amount: str) -> tuple[int, int]:
    """Return bytes and files of a folder, or a size and no files."""
    import os

    from ulterion.core.units import parse_size
    from ulterion.engine.copies import walk

    path = env.folder / Path(amount)
    if not path.exists():
        return parse_size(amount), 0
    count = walk.count([os.fsencode(path)])
    return count.bytes, count.files


def record(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    """Whether a stream is taken, by its rate or a speed class, and what so long a recording fills."""
    from ulterion.core.units import show_duration, show_rate, show_size
    from ulterion.features.estimate.charts import recordings_chart
    from ulterion.features.estimate.data import recordings_answer
    from ulterion.features.estimate.recordings import recordings, stream_of
    from ulterion.features.estimate.tables import recordings_table
    from ulterion.results.pooling import runs_for_results

    _known(arguments, folder)
    stream = stream_of(arguments.amount)
    size = None if arguments.length is None else stream * arguments.length
    found = recordings(
        folder.review, runs_for_results(folder), stream, buffer=arguments.buffer, size=size, setups=arguments.setup
    )
    rate = "" if "MB/s" in arguments.amount else f" ({show_rate(stream)})"
    title = f"a recording of {arguments.amount}{rate}"
    title += f", {show_size(size)} in {show_duration(arguments.length)}" if size is not None else ""
    lines = recordings_table(folder.review, found, title, arguments.units)
    chart = recordings_chart(folder.review, found, stream, title, arguments.units) if arguments.figure else None
    drawn = SavedFigures() if chart is None else draw_one(arguments, env, "record", lambda: chart)
    return show_answer(arguments, env, "recordings", recordings_answer(found, stream, size), lines, drawn=drawn)


def power(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    """What a supply leaves for what hangs on it."""
    from ulterion.core.errors import UsageError
    from ulterion.core.estimates.power import Cable, budget, most_of
    from ulterion.features.estimate.charts import power_chart
    from ulterion.features.estimate.data import power_answer
    from ulterion.features.estimate.power_budget import load_of, supply_of
    from ulterion.features.estimate.tables import budget_table

    if not arguments.part:
        raise UsageError("name the parts connected to it: --part NAME, once for each")
    supply, runs = supply_of(folder.review, arguments.amount), folder.for_judging(folder.summaries())
    cable = None if arguments.cable is None else Cable.of(*_cable(arguments.cable), supply.volts)
    gives = supply.gives if cable is None else cable.passes(supply.gives)
    loads = [load_of(folder.review, runs, name) for name in arguments.part if not name.endswith(AS_MANY)]
    repeated = [name.removesuffix(AS_MANY) for name in arguments.part if name.endswith(AS_MANY)]
    if len(repeated) > 1:
        raise UsageError(f"--part {repeated[1]}*: only one part can be counted; leave one of the {AS_MANY} out")
    most = None
    if repeated:
        load = load_of(folder.review, runs, repeated[0])
        if not load.draws:
            raise UsageError(
                f"{load.name} draws 0 W by {load.source}, so any number of it would run; measure it at work"
            )
        most = most_of(gives, loads, load)
        loads += [most.load] * max(1, most.one_by_one)
    found = budget(gives, loads)
    shown = budget_table(supply, cable, found, most)
    chart = partial(power_chart, supply.name, found, supply.source)
    drawn = draw_one(arguments, env, "power", chart, folder.review.report.titles)
    return show_answer(arguments, env, "power", power_answer(supply, cable, found, most), shown, drawn=drawn)


def _cable(text: str) -> tuple[float, int]:
    """Return length in metres and gauge number of '2 m 28 AWG'."""
    import re

    from ulterion.core.errors import UsageError

    match = re.fullmatch(r"\s*(\d+(?:\.\d+)?)\s*m[\s,]+(?:AWG\s*)?(\d{1,2})(?:\s*AWG)?\s*", text)
    if match is None or not 0 < float(match[1]) <= 100:
        raise UsageError(f"--cable '{text}' is not a cable; write it like '2 m 28 AWG'")
    return float(match[1]), int(match[2])


def value(arguments: argparse.Namespace, env: Environment, folder: ReviewFolder) -> Status:
    """What money buys."""
    from ulterion.core.errors import UsageError
    from ulterion.core.units import parse_size, show_size
    from ulterion.features.estimate.charts import values_chart
    from ulterion.features.estimate.data import values_answer
    from ulterion.features.estimate.tables import values_table
    from ulterion.features.estimate.value import cheapest, parse_mix, values
    from ulterion.results.pooling import runs_for_results

    size = parse_size(arguments.amount)
    if arguments.mix and arguments.writes:
        raise UsageError("--mix says what is done; leave --writes out")
    mix = parse_mix(arguments.mix) if arguments.mix else {"write" if arguments.writes else "read": 1.0}
    found = values(folder.review, runs_for_results(folder), size, mix, arguments.least)
    if not found:
        raise UsageError('no part of the review has a price; add price = "34 EUR" to its entry')
    best = cheapest(found)
    chart = values_chart(folder.review, found, show_size(size), arguments.units) if arguments.figure else None
    if arguments.figure and chart is None:
        raise UsageError("no product has both a price and a measured rate, so there is nothing to draw")
    drawn = SavedFigures()
    if chart is not None:
        drawn = draw_one(arguments, env, "value", lambda: chart, folder.review.report.titles)
    lines = values_table(folder.review, found, best, arguments.units)
    return show_answer(arguments, env, "values", values_answer(found, best), lines, drawn=drawn)
