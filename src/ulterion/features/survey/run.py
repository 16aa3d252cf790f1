"""The survey of a machine, live, replayed or simulated; and what it teaches a review about a setup."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

from ulterion.core.errors import UsageError, unknown
from ulterion.core.facts.devices import Adapter, Drive, Survey, as_target
from ulterion.core.facts.target import BenchFacts
from ulterion.host import machine
from ulterion.host.recorded import replayed
from ulterion.model.review import Review
from ulterion.model.review_editing import change_document, setup_expects
from ulterion.run.naming import expected_facts
from ulterion.run.place import SIM
from ulterion.sim.bench import load_bench
from ulterion.sim.network import shown_adapter
from ulterion.sim.shown import shown_drive


@contextmanager
def surveyed(replay: Path | None = None, *, ask_usb: bool = False) -> Iterator[Survey]:
    """Yield the survey of this machine, or of a recorded one; raise UsageError."""
    if replay is None:
        yield machine.survey(ask_usb=ask_usb)
        return
    with replayed(replay) as (root, host):
        survey = machine.survey(root=root)
        yield replace(survey, bench=replace(survey.bench, host=host, system="recorded"), root_would_add=())


def simulated(review: Review, folder: Path) -> Survey:
    """Return what the simulated bench shows of every simulated setup, as a survey of real hardware would."""
    drives, adapters, bench = list[Drive](), list[Adapter](), None
    for name, setup in review.setups.items():
        if setup.target is None or not setup.target.startswith(SIM):
            continue
        bench = load_bench(folder / setup.target.removeprefix(SIM))
        chain = bench.chain(setup.chain, folder)
        shown = shown_drive(name, setup.chain, chain)
        if chain[-1].peer:
            adapters.append(shown_adapter(setup.chain, chain, shown.steps))
        else:
            drives.append(shown)
    if bench is None:
        raise UsageError("no setup of this review is on a simulated bench; leave --simulated out")
    return Survey(BenchFacts(bench.bench.host, bench.bench.system), tuple(drives), tuple(adapters))


def find_drive(survey: Survey, name: str | None) -> Drive:
    """Return a drive by its kernel name or serial number, or the only one that is not the system's; raise UsageError."""
    if name is None:
        others = [d for d in survey.drives if not d.system and d.size]
        if len(others) != 1:
            raise UsageError(
                f"there are {len(others)} drives besides the system's; name one: {', '.join(d.name for d in others)}"
            )
        return others[0]
    found = survey.drive_called(name)
    if found is None:
        raise UsageError(unknown("drive", name.removeprefix("/dev/"), [d.name for d in survey.drives]))
    return found


def only(survey: Survey, names: list[str]) -> Survey:
    """Return what a survey shows of the drives named, by kernel name or serial, those that are gone left out."""
    wanted = {n.removeprefix("/dev/") for n in names}
    if not wanted:
        return survey
    return replace(
        survey, drives=tuple(d for d in survey.drives if {d.name, d.serial} & wanted), adapters=(), tunnels=()
    )


def chosen(survey: Survey, names: list[str]) -> Survey:
    """Return a survey of the drives named only; all of it without names.  Raises UsageError."""
    if not names:
        return survey
    return replace(survey, drives=tuple(find_drive(survey, n) for n in names), adapters=(), tunnels=())


def alike(survey: Survey, drive: Drive) -> list[str]:
    """Return in words which other drives show what this one shows, and what is left to tell them apart by."""
    sentences = []
    for other in survey.drives:
        if (
            other.name == drive.name
            or other.serial != drive.serial
            or (drive.serial is None and other.model != drive.model)
        ):
            continue
        same = f"the same serial {drive.serial}" if drive.serial else "no serial, as this one"
        if drive.port is not None and other.port is not None and other.port != drive.port:
            rest = "only the port tells them apart, so leave each where it is plugged in"
        else:
            rest = "nothing tells them apart, so plug in one at a time"
        sentences.append(f"{other.name} shows {same}: {rest}")
    return sentences


def teach(path: Path, setup: str, drive: Drive) -> dict[str, str]:
    """Write what is plugged in into a setup's `expect` in review.toml, keeping the rest as it is; return it.

    Raises UsageError when the setup is not there, or nothing is known of the drive.
    """
    facts = expected_facts(as_target(drive, drive.name, "device", drive.name))
    if not facts:
        raise UsageError(f"{drive.name} shows no serial, port, link or driver; there is nothing to learn")
    change_document(path, lambda document: setup_expects(document, path, setup, facts))
    return facts
