"""The files that a review rests on, packed so that the same files always give the same bytes; and taken out again with care."""

from __future__ import annotations

import hashlib
import io
import zipfile
import zlib
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.core.patterns import pattern
from ulterion.model import setup_notes
from ulterion.model.photographs import FOLDER as PHOTOS
from ulterion.model.photographs import MAX_PHOTO, photographs, prepared
from ulterion.model.reading import MAX_RUN, MAX_TEXT_BYTES, read_bytes
from ulterion.model.review import FILE_NAME
from ulterion.model.store import ReviewFolder

REMARKS = "remarks"
NAMES = pattern(
    r"(?:review\.toml|notes\.json|runs/[^/\\]{1,200}\.json|remarks/[^/\\]{1,100}\.md|logo\.(?:png|jpe?g|svg)|photos/[^/\\]{1,100}\.jpg)"
)
MAX_FILES, MAX_BYTES = 20_000, 2**28  # in a bundle that is taken out
MAX_TIMES = 100  # as large as its archive; series of numbers come to some ten times
LARGE = 20_000_000  # bytes from which on packing hard takes longer than all the rest
MAX_LOGO, MAX_REMARK = 300_000, 200_000  # bytes
_MOMENT = (1980, 1, 1, 0, 0, 0)  # of every file in it


def contents(folder: ReviewFolder) -> dict[str, bytes]:
    """Return the files of a review by their names: review.toml, notes, runs, remarks, photographs as they are published, logo.  Raises UsageError."""
    found = {FILE_NAME: read_bytes(folder.path / FILE_NAME, MAX_TEXT_BYTES)}
    if (folder.path / setup_notes.FILE_NAME).is_file():
        found["notes.json"] = _read(folder.path, setup_notes.FILE_NAME, MAX_TEXT_BYTES)
    for summary in folder.summaries():
        found[f"runs/{summary.path.name}"] = _read(folder.runs_folder, summary.path.name, MAX_RUN)
    for path in sorted((folder.path / REMARKS).glob("*.md")):
        found[f"{REMARKS}/{path.name}"] = _read(folder.path, f"{REMARKS}/{path.name}", MAX_REMARK)
    for path in photographs(folder.path):
        name = f"{PHOTOS}/{path.stem}.jpg"
        found[name] = prepared(_read(folder.path, f"{PHOTOS}/{path.name}", MAX_PHOTO), f"{PHOTOS}/{path.name}")
    logo = folder.review.report.logo
    if logo is not None:
        ending = Path(logo).suffix.lower()
        if ending not in (".png", ".jpg", ".jpeg", ".svg"):
            raise UsageError(f"report.logo: {logo} is not PNG, JPEG or SVG; save it as one of them")
        found[f"logo{ending}"] = _read(folder.path, logo, MAX_LOGO)
    return found


def _read(folder: Path, name: str, most: int) -> bytes:
    """Return a file of a folder, which must lie in it; raise UsageError.

    A report is published: a link out of a review from a stranger must not take a reviewer's other files along.
    """
    path = folder / name
    try:
        outside = not path.resolve().is_relative_to(folder.resolve())
    except (OSError, ValueError, RuntimeError) as error:  # a ring of links is a RuntimeError in Python 3.11
        raise UsageError(f"{path} cannot be read: {error}; put a plain file in its place") from error
    if outside:
        raise UsageError(
            f"{path} points outside {folder}, and its contents would be published; copy the file into the folder"
        )
    return read_bytes(path, most)


def sums(files: dict[str, bytes]) -> dict[str, str]:
    """Return the SHA-256 of each file."""
    return {name: hashlib.sha256(data).hexdigest() for name, data in sorted(files.items())}


def packed(files: dict[str, bytes]) -> bytes:
    """Return the files but the photographs as a ZIP archive, always the same bytes for the same files."""
    out = io.BytesIO()
    level = 9 if sum(map(len, files.values())) < LARGE else 4
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in sorted(files.items()):
            if name.startswith(f"{PHOTOS}/"):
                continue  # they stand in the page already
            entry = zipfile.ZipInfo(name, _MOMENT)
            entry.compress_type, entry.create_system = zipfile.ZIP_DEFLATED, 3
            archive.writestr(entry, data, compresslevel=level)
    return out.getvalue()


def unpacked(data: bytes) -> dict[str, bytes]:
    """Return the files of an archive; raise UsageError where it is not one, is damaged, or holds files that no review has."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            entries = archive.infolist()
            size = sum(e.file_size for e in entries)
            if len(entries) > MAX_FILES or size > min(MAX_BYTES, MAX_TIMES * len(data) + MAX_TEXT_BYTES):
                raise UsageError("the runs in it are more than any review has")
            strange = next((e.filename for e in entries if not NAMES.fullmatch(e.filename)), None)
            if strange is not None:
                raise UsageError(f"the runs in it hold '{strange[:80]}', which no review has")
            return {e.filename: archive.read(e) for e in entries}
    except (zipfile.BadZipFile, zipfile.LargeZipFile, zlib.error, OSError, ValueError, RuntimeError, EOFError) as error:
        # RuntimeError: encrypted, or packed in a way that this Python does not know
        raise UsageError(f"the runs in it are damaged: {error}; get it again from where it was published") from error


def laid_out(files: dict[str, bytes], folder: Path) -> ReviewFolder:
    """Write the files of a bundle into an empty folder and open the review there; raise UsageError."""
    for name, data in files.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
    return ReviewFolder.open(folder)
