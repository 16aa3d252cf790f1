"""Files that we put into a folder of the reviewer's: known again by their sums, so that nobody else's file is ever replaced.

A table or a list of captions has no room for a mark of its own.  So the folder holds a list of the files that we wrote, each
with the SHA-256 of what was in it.  A file that is not in the list, or was changed since, stays as it is.
"""

from __future__ import annotations

import hashlib
import json
import stat
from collections.abc import Iterable
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.model.files import write_atomically
from ulterion.model.reading import MAX_RUN, NoSuchFile, parse_json, read_bytes

LIST = ".ulterion-files.json"
VERSION = 1
SUMS_KEPT = 2  # of each file: what was in it, and what is to be in it, for a program that is killed in between


class OwnFiles:
    """The files of a folder that are ours."""

    def __init__(self, folder: Path) -> None:
        """Make the folder where it is not there; raise UsageError where it cannot be, or its list cannot be read."""
        self._folder = folder
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except (OSError, ValueError) as error:
            why = getattr(error, "strerror", None) or str(error)
            raise UsageError(f"{folder} cannot be made: {why}; name another folder") from error
        self._sums = _read(folder / LIST)

    def check(self, names: Iterable[str]) -> None:
        """Raise UsageError for the first name under which there is a file that is not ours."""
        for name in names:
            path = self._folder / name
            try:
                facts = path.lstat()
            except FileNotFoundError:
                continue
            except OSError as error:
                raise UsageError(f"{path} cannot be read: {error.strerror}; name another folder") from error
            if not stat.S_ISREG(facts.st_mode) or _sum(read_bytes(path)) not in self._sums.get(name, []):
                raise UsageError(
                    f"{path} was not written by Ulterion, or was changed since, so it is left as it is; "
                    "move it away, or name another folder"
                )

    def write(self, name: str, data: bytes) -> Path:
        """Write a file, whole or not at all; return its path.  Raises UsageError for one that is not ours."""
        self.check([name])
        self._sums[name] = [*self._sums.get(name, []), _sum(data)][-SUMS_KEPT:]
        listed = {"ulterion-files": VERSION, "files": dict(sorted(self._sums.items()))}
        write_atomically(self._folder / LIST, json.dumps(listed, indent=1) + "\n")
        write_atomically(self._folder / name, data)
        return self._folder / name


def _sum(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def _read(path: Path) -> dict[str, list[str]]:
    """Return the sums of a list by the names of the files; raise UsageError for one that is not ours."""
    if path.is_symlink():
        raise UsageError(f"{path} is a link, not a list written by Ulterion; move it away, or name another folder")
    try:
        kept = parse_json(read_bytes(path, MAX_RUN), str(path))
    except NoSuchFile:
        return {}
    files = kept.get("files") if isinstance(kept, dict) and kept.get("ulterion-files") == VERSION else None
    if not isinstance(files, dict) or not all(isinstance(s, list) for s in files.values()):
        raise UsageError(f"{path} is not a list written by Ulterion; move it away, or name another folder")
    return {name: [str(s) for s in sums] for name, sums in files.items()}
