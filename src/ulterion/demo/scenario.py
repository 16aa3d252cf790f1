"""Playing the demo: an ordinary review folder, measured on the simulated bench it brings along."""

from __future__ import annotations

from collections.abc import Iterator
from importlib import resources
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.workloads.network import NETWORK_SUITE
from ulterion.core.workloads.suites import DEFAULT_SUITE, SUITES
from ulterion.core.workloads.workload import parse_workload
from ulterion.features.capacity.media import CapacityRequest
from ulterion.features.capacity.run import prove
from ulterion.features.measure.run import measure
from ulterion.features.soak.run import soak
from ulterion.model.runs.capacity import CapacityRun
from ulterion.model.runs.measure import MeasureRun
from ulterion.model.runs.soak import SoakPlan, SoakRun
from ulterion.model.store import ReviewFolder
from ulterion.run.observers import Kept, Observer
from ulterion.run.place import Place
from ulterion.run.requests import MeasureRequest, SoakRequest

FILES = ("review.toml", "bench.toml")
FOLDER = "ulterion-demo"
PASSES, SECONDS = 5, 2.0  # short enough that the write caches last for all passes
SOAKED = ("pod", "draught", "slip", "duo", "crumble")
CARDS = ("crumble",)
SOAK_LOAD, SOAK_SECONDS, COOL_SECONDS = "sequential write 1 MiB depth 4", 1800.0, 300.0


def _free_name(parent: Path) -> Path:
    """Return the first of ulterion-demo, ulterion-demo-2, ... that does not exist."""
    number = 1
    while (parent / (FOLDER if number == 1 else f"{FOLDER}-{number}")).exists():
        number += 1
    return parent / (FOLDER if number == 1 else f"{FOLDER}-{number}")


def start(parent: Path, named: Path | None, data: str = "data") -> ReviewFolder:
    """Make the demo's review folder ('data', or the one with a 'plan') and open it; raise UsageError when the named folder has something in it."""
    folder = parent / named if named else _free_name(parent)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        if any(folder.iterdir()):
            raise UsageError(f"{folder} is not empty and was left as it is; name another folder")
        for name in FILES:
            text = resources.files("ulterion.demo").joinpath(data, name).read_text(encoding="utf-8")
            (folder / name).write_text(text, encoding="utf-8")
    except OSError as error:
        raise UsageError(f"{folder} cannot hold the demo: {error.strerror}; name another folder") from error
    return ReviewFolder.open(folder)


def measure_all(folder: ReviewFolder) -> Iterator[Kept[MeasureRun]]:
    """Measure every setup in the order of the review."""
    for setup in folder.review.setups:
        place = Place(folder, folder.path, None, setup)
        suite = NETWORK_SUITE if place.over_network else SUITES[DEFAULT_SUITE]
        request = MeasureRequest(place, suite.name, suite.workloads, PASSES, SECONDS)
        yield measure(request, Observer())


def soak_some(folder: ReviewFolder) -> Iterator[Kept[SoakRun]]:
    """Soak the enclosures and the cards, half an hour each."""
    plan = SoakPlan(idle=None, load_seconds=SOAK_SECONDS, cool=COOL_SECONDS)
    for setup in SOAKED:
        place = Place(folder, folder.path, None, setup)
        yield soak(SoakRequest(place, parse_workload(SOAK_LOAD), plan), Observer())


def prove_some(folder: ReviewFolder) -> Iterator[Kept[CapacityRun]]:
    """Take a quick look at whether the cards hold what they state."""
    for setup in CARDS:
        yield prove(CapacityRequest(Place(folder, folder.path, None, setup), quick=True), Observer())
