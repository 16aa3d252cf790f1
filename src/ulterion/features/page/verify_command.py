"""`ulterion verify`: a report made anew from the runs it carries, and compared line by line."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.features.page.command import DEFAULT
from ulterion.terminal import options
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.features.page.verify import Checked
    from ulterion.results.agreement import Pair

MEMORY = 2**30  # bytes that making a page anew may take


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument(
        "report", type=Path, metavar="REPORT", help="a report's page, or a review folder with its report.html"
    )
    parser.add_argument(
        "--beside", type=Path, metavar="REPORT", help="another reviewer's report or review folder, to compare with"
    )
    options.add_units(parser)
    options.add_json(parser)


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Verify and show; status 4 when anything is different."""
    import tempfile

    from ulterion.core.errors import UsageError
    from ulterion.engine.workers.bounded import bounded
    from ulterion.features.page.data import VerifiedData
    from ulterion.features.page.tables import agreement_table, verified_lines
    from ulterion.features.page.verify import read_page
    from ulterion.terminal.signals import stoppable

    given = env.folder / arguments.report
    path = given / DEFAULT if given.is_dir() else given
    if given.is_dir() and not path.is_file():
        raise UsageError(f"{arguments.report} has no {DEFAULT}; make it with 'ulterion report', or name the page")
    text, pairs = read_page(path), list["Pair"]()
    with stoppable(), tempfile.TemporaryDirectory(prefix="ulterion-verify-") as scratch:
        checked = _checked(text, path, Path(scratch), env)
        if arguments.beside is not None:
            other = env.folder / arguments.beside
            pairs, notices = bounded(
                lambda: _beside(text, path, other, Path(scratch)), MEMORY, f"comparing with {other}"
            )
            for sentence in notices:
                env.tell(sentence)
    if arguments.json:
        beside = tuple(_as_data(p) for p in pairs) if arguments.beside else None
        env.show_json("verified", VerifiedData.of(checked, beside=beside))
    else:
        env.show(verified_lines(checked))
        env.show(agreement_table(pairs, arguments.units) if arguments.beside else [])
    return Status.DONE if checked.same else Status.BAD_VERDICT


def _checked(text: str, path: Path, scratch: Path, env: Environment) -> Checked:
    """Return what came of the page itself, and of the review folder that it stands in, where it does."""
    from dataclasses import replace

    from ulterion.engine.workers.bounded import bounded
    from ulterion.features.notes.entries import outcomes
    from ulterion.features.page.verify import check_folder, check_page
    from ulterion.model.review import FILE_NAME
    from ulterion.model.store import ReviewFolder

    found = bounded(lambda: check_page(text, path.name, scratch / "mine", outcomes), MEMORY, f"making {path.name} anew")
    if not (path.parent / FILE_NAME).is_file():
        return found
    beside = check_folder(text, path.name, ReviewFolder.open(path.parent, env.tell))
    return replace(found, looked_at=found.looked_at + beside.looked_at, different=found.different + beside.different)


def _beside(text: str, path: Path, other: Path, scratch: Path) -> tuple[list[Pair], list[str]]:
    """Return how two reports agree, and what is to be said of the other's folder."""
    from ulterion.features.page.verify import carried, read_page
    from ulterion.model import bundle
    from ulterion.model.review import FILE_NAME
    from ulterion.model.store import ReviewFolder
    from ulterion.results.agreement import agreements
    from ulterion.results.pooling import runs_for_results

    mine = bundle.laid_out(carried(text, path.name)[0], scratch / "one")
    if other.is_dir() and (other / FILE_NAME).is_file():
        theirs = ReviewFolder.open(other)
    else:
        theirs = bundle.laid_out(carried(read_page(other), other.name)[0], scratch / "other")
    return agreements(mine.review, runs_for_results(mine), theirs.review, runs_for_results(theirs)), theirs.notices


def _as_data(pair: Pair) -> dict[str, str | float | None]:
    return {
        "setup": pair.setup,
        "other": pair.other,
        "workload": pair.workload,
        "mine": pair.mine.rate,
        "theirs": pair.theirs.rate,
        "ratio": pair.ratio.value,
        "low": pair.ratio.low,
        "high": pair.ratio.high,
        "agreement": pair.agreement,
    }
