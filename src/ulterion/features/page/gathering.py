"""Additions to a page: setups of other reviews, and runs under way."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import tomlkit

from ulterion.core.errors import UlterionError
from ulterion.model import bundle
from ulterion.model.journal import SUFFIX, recover
from ulterion.model.reading import read_bytes
from ulterion.model.review import FILE_NAME
from ulterion.model.store import ReviewFolder
from ulterion.results.other_reviews import joined, keys_here

if TYPE_CHECKING:
    from ulterion.results.other_reviews import OtherReview


UNDER_WAY = "the run is still under way"
FROM = "from the review "  # how the note of a setup begins that is another review's


def gathered(folder: ReviewFolder, guests: Sequence[OtherReview], scratch: Path, *, under_way: bool) -> ReviewFolder:
    """Return the review folder, or a copy of it in `scratch` with guests and the passes of runs under way.

    A page carries the files it is made from, so additions must be files too.  Raises UsageError.
    """
    started = _started(folder) if under_way else {}
    if not guests and not started:
        return folder
    files = bundle.contents(folder) | started
    for guest in guests:
        _add(files, folder, guest)
    logo = folder.review.report.logo
    if logo is not None:  # a bundle knows it by another name
        files[logo] = files.pop(f"logo{Path(logo).suffix.lower()}")
    return bundle.laid_out(files, scratch)


def _started(folder: ReviewFolder) -> dict[str, bytes]:
    """Return the runs under way, with the passes they have, as documents by the names of their files."""
    found = {}
    for path in sorted(folder.runs_folder.glob(f"*{SUFFIX}")):
        try:
            run = recover(path)
        except UlterionError:
            continue  # it ended in this moment, or a later version writes it
        if run is not None:
            state = run.state.changed(why=UNDER_WAY)
            found[f"runs/{path.stem}.json"] = run.changed(state=state).to_bytes()
    return found


def _add(files: dict[str, bytes], folder: ReviewFolder, guest: OtherReview) -> None:
    """Add a setup of another review: its parts and ports to review.toml, and its runs under their new setup."""
    joined(folder.review, [], guest)  # what cannot be joined is refused here
    name = _plain(guest.name)
    here = tomlkit.parse(files[FILE_NAME].decode("utf-8"))
    theirs = tomlkit.parse((guest.path / FILE_NAME).read_text("utf-8"))
    keys = {
        old: _plain(new) if old in guest.review.parts else new for old, new in keys_here(folder.review, guest).items()
    }
    for group in ("ports", "parts"):
        for old, new in keys.items():
            if old in theirs.get(group, {}) and new not in here.get(group, {}):
                here.setdefault(group, tomlkit.table())[new] = theirs[group][old]
    label = f"{guest.review.setup_label(guest.setup)} ({guest.called})"
    setup = {"chain": list(keys.values()), "label": label, "note": f"{FROM}{guest.called}"}
    here.setdefault("setups", tomlkit.table())[name] = setup
    files[FILE_NAME] = tomlkit.dumps(here).encode("utf-8")
    for summary in ReviewFolder.open(guest.path).summaries():
        if summary.setup == guest.setup:
            run = json.loads(read_bytes(summary.path))
            run |= {"setup": name, "chain": list(keys.values())}
            run.pop("cell", None)
            files[f"runs/{summary.path.name}"] = json.dumps(run).encode()


def _plain(name: str) -> str:
    """Return a name as review.toml takes it."""
    return re.sub(r"[^A-Za-z0-9_-]+", "-", name)
