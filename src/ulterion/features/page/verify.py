"""A report checked: everything in it is made anew from the runs that it carries, and compared line by line."""

from __future__ import annotations

import base64
import binascii
import hashlib
import json
import re
import tomllib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.patterns import pattern
from ulterion.core.records import dataclass
from ulterion.core.version import __version__
from ulterion.features.page.build import composed, published
from ulterion.features.page.gathering import FROM
from ulterion.features.page.html import page
from ulterion.features.page.inputs import ReportInputs
from ulterion.model import bundle
from ulterion.model.reading import read_bytes
from ulterion.model.review import FILE_NAME
from ulterion.model.store import ReviewFolder
from ulterion.show.sentences import listed

MAX_PAGE = 100_000_000  # bytes
MAX_TOLD = 60  # lines that are told to be different
MAX_LINE = 110  # characters of a line that is told
_RUNS = pattern(r'<script type="text/plain" id="runs">([^<]*)</script>')
_SUMS = pattern(r'<script type="application/json" id="sums">([^<]*)</script>')
_PHOTO = pattern(r'<img class="photo" data-file="([^"]{1,200})" src="data:image/jpeg;base64,([^"]*)"')
_UNIT = pattern(r'<meta name="ulterion-unit" content="([^"]{1,10})">')

Outcomes = Callable[[ReviewFolder], Mapping[str, Sequence[str]]]


@dataclass(frozen=True)
class Checked:
    """What came of looking at a report.

    Attributes:
        looked_at: what was looked at, in sentences; `different` what is not as the report says, in sentences, empty when all is the same.
    """

    looked_at: tuple[str, ...]
    different: tuple[str, ...]

    @property
    def same(self) -> bool:
        """Whether all is as the report says."""
        return not self.different


def read_page(path: Path) -> str:
    """Return the text of a page; raise UsageError."""
    return read_bytes(path, MAX_PAGE).decode("utf-8", "surrogateescape")


def carried(text: str, name: str) -> tuple[dict[str, bytes], str]:
    """Return the files that a page carries, and their archive as it stands there; raise UsageError."""
    match = _RUNS.search(text)
    if match is None:
        raise UsageError(
            f"{name} is not a report made by Ulterion, or its runs were cut out; get it from where it was published"
        )
    try:
        archive = base64.b64decode(match[1], validate=True)
    except (binascii.Error, ValueError) as error:
        raise UsageError(
            f"{name}: the runs in it are damaged: {error}; get it again from where it was published"
        ) from error
    return bundle.unpacked(archive) | _photographs(text, name), match[1]


def _photographs(text: str, name: str) -> dict[str, bytes]:
    """Return the photographs that stand in a page, by their names in the review; raise UsageError."""
    found = {}
    for file, data in _PHOTO.findall(text):
        if not bundle.NAMES.fullmatch(file):
            raise UsageError(f"{name}: it holds a photograph called '{file[:80]}', which no review has")
        try:
            found[file] = base64.b64decode(data, validate=True)
        except (binascii.Error, ValueError) as error:
            raise UsageError(
                f"{name}: the photograph {file} is damaged: {error}; get the page again from where it was published"
            ) from error
    return found


def check_page(text: str, name: str, scratch: Path, outcomes: Outcomes) -> Checked:
    """Make a page anew from what it carries, in an empty folder, and compare; raise UsageError where it carries nothing that can be read."""
    files, archive = carried(text, name)
    stated, different = _stated(text), list[str]()
    sums = bundle.sums(files)
    told = stated.get("files")
    told = told if isinstance(told, dict) else {}
    for file in sorted({*sums, *told}):
        if sums.get(file) != told.get(file):
            different.append(f"{file} is not the one that the report was made from: its checksum differs")
    if hashlib.sha256(archive.encode()).hexdigest() != stated.get("archive"):
        different.append("the archive of the runs is not the one that was put into the page")
    version = str(stated.get("version"))[:40]
    if version != __version__:
        different.append(f"made by Ulterion {version}; this is {__version__}, which may word it differently")
    anew = _made_anew(files, archive, text, scratch, outcomes)
    different += _lines_that_differ(text, anew)
    count = sum(n.startswith("runs/") for n in files)
    return Checked(
        (f"{count} runs and review.toml, by their checksums", "every line, figure and verdict of the page"),
        tuple(different),
    )


def _stated(text: str) -> dict[str, object]:
    match = _SUMS.search(text)
    try:
        data = json.loads(match[1]) if match else {}
    except (ValueError, RecursionError):
        data = {}
    return data if isinstance(data, dict) else {}


def _made_anew(files: dict[str, bytes], archive: str, text: str, scratch: Path, outcomes: Outcomes) -> str:
    folder = bundle.laid_out(files, scratch)
    unit = _UNIT.search(text)
    rates = unit[1] if unit else "MB/s"
    made = composed(ReportInputs(folder, outcomes(folder), rates), files)
    return page(made.article, published(folder, replace(made, runs=archive, sums=bundle.sums(files)), rates))


def _lines_that_differ(text: str, anew: str) -> list[str]:
    """Return what stands in a page and what should, line by line where it differs."""
    if text == anew:
        return []
    here, there = text.split("\n"), anew.split("\n")
    told = []
    for number in range(max(len(here), len(there))):
        one = here[number] if number < len(here) else "(nothing)"
        other = there[number] if number < len(there) else "(nothing)"
        if one != other:
            told.append(f"line {number + 1}: {_around(one, other)}")
            if len(told) >= MAX_TOLD:
                return [*told, "and more"]
    return told


def _around(one: str, other: str) -> str:
    """Return both lines from a little before where they part."""
    at = next((i for i, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))
    start = max(at - 40, 0)
    return f"'{_plain(one[start : start + MAX_LINE])}' in the page, but the runs give '{_plain(other[start : start + MAX_LINE])}'"


def _plain(text: str) -> str:
    return re.sub(r"\s+", " ", text.encode("utf-8", "replace").decode()).strip()


def check_folder(text: str, name: str, folder: ReviewFolder) -> Checked:
    """Compare the files that a page carries with those of a review folder: what was changed since, what is missing or new."""
    files, _ = carried(text, name)
    guests = _guests(files)
    if guests:
        told = f"the page includes {listed(guests)} from other reviews, so it was not compared with the files in {folder.path}"
        return Checked((told,), ())
    here, there = bundle.sums(files), bundle.sums(bundle.contents(folder))
    different = []
    for file in sorted({*here, *there}):
        if file not in there:
            different.append(f"{file} is in the report, and not in the folder any more")
        elif file not in here:
            different.append(f"{file} is new since the report was made")
        elif here[file] != there[file]:
            different.append(f"{file} was changed since the report was made")
    return Checked((f"{len(here)} files of {folder.path}, by their checksums",), tuple(different))


def _guests(files: Mapping[str, bytes]) -> list[str]:
    """Return the setups of other reviews in a page's review.toml."""
    try:
        setups = tomllib.loads(files[FILE_NAME].decode("utf-8"))["setups"]
        return [name for name, setup in setups.items() if str(setup.get("note", "")).startswith(FROM)]
    except (KeyError, ValueError, AttributeError):
        return []
