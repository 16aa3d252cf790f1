"""Keeps the findings of soaks in the user's cache folder, because analysing a soak takes longer than the rest of an answer.

The name of a file is a digest of everything the analysis reads: the soak, the facts of the drive, and the code of the core.  A changed
document or another version therefore has another file.  If a file cannot be read, the soak is analysed again.  NumPy is loaded only then.
"""

from __future__ import annotations

import contextlib
import functools
import hashlib
import importlib.util
import io
import math
import os
import pickle
import stat
import sys
from array import array
from collections.abc import Iterator
from pathlib import Path
from types import NoneType

from ulterion.core.documents.plain import plain
from ulterion.core.soak.findings import Findings, analyse
from ulterion.core.version import __version__
from ulterion.model.runs.soak import SoakRun

MOST = 400  # files, some kilobytes each; the oldest go
CORE = Path(__file__).parents[2] / "core"


def kept_findings(run: SoakRun, room: float | None) -> Findings | None:
    """Return the findings of `analyse` on a soak in a room (C), kept from an earlier call where there is one."""
    folder = _folder()
    if folder is None:
        return analyse(run.trace(), room)
    place = folder / f"{_digest(run, room)}.pickle"
    with contextlib.suppress(Exception):  # a damaged file may fail in any way
        found = _Reader(io.BytesIO(place.read_bytes())).load()
        if found is None or isinstance(found, Findings):
            return found
    found = analyse(run.trace(), room)
    with contextlib.suppress(OSError):
        scratch = place.with_suffix(f".{os.getpid()}.new")
        scratch.write_bytes(pickle.dumps(found))
        scratch.replace(place)
        _tidy(folder)
    return found


class _Reader(pickle.Unpickler):
    """Reads findings, and refuses any other class that a file names."""

    def find_class(self, module: str, name: str) -> object:
        if not module.startswith(("ulterion.core.soak.", "ulterion.core.stats.")) or "." in name:
            raise pickle.UnpicklingError(f"{module}.{name} is nothing of an analysis")
        return super().find_class(module, name)


def _digest(run: SoakRun, room: float | None) -> str:
    digest = hashlib.sha256(_code().encode())
    for part in _parts([plain(run.soak), dict(run.trace_facts), room]):
        digest.update(part)
    return digest.hexdigest()


def _parts(value: object) -> Iterator[bytes]:
    """Yield plain data as bytes; a series as packed numbers, since writing them out takes too long."""
    if isinstance(value, dict):
        yield f"{{{len(value)}}}".encode()
        for key, each in value.items():
            yield f"{key!r}:".encode("utf-8", "surrogatepass")
            yield from _parts(each)
    elif isinstance(value, list):
        yield f"[{len(value)}]".encode()
        if set(map(type, value)) <= {int, float, NoneType}:
            yield array("d", [math.nan if v is None else v for v in value]).tobytes()
        else:
            for each in value:
                yield from _parts(each)
    else:
        yield f"{value!r};".encode("utf-8", "surrogatepass")


@functools.cache
def _code() -> str:
    """Return a digest of the core's code, and of the versions of the program, Python and NumPy."""
    digest = hashlib.sha256(f"{__version__} {sys.version} {_numpy_version()}".encode())
    for source in sorted(CORE.rglob("*")):  # the core imports nothing but itself and NumPy
        if source.suffix in (".py", ".f4"):
            digest.update(source.read_bytes())
    return digest.hexdigest()


def _numpy_version() -> str:
    """Return NumPy's own version file, without loading NumPy."""
    found = importlib.util.find_spec("numpy")
    if found is None or found.origin is None:
        return ""
    return (Path(found.origin).parent / "version.py").read_text()


def _folder() -> Path | None:
    """Return the folder, created if needed; None if others could write to it."""
    import platformdirs

    folder = platformdirs.user_cache_path("ulterion") / "soaks"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        facts = folder.stat()
    except OSError:
        return None
    ours = not hasattr(os, "geteuid") or (
        facts.st_uid == os.geteuid() and not facts.st_mode & (stat.S_IWGRP | stat.S_IWOTH)
    )
    return folder if ours else None


def _tidy(folder: Path) -> None:
    """Remove the oldest files above `MOST`."""
    files = list(folder.iterdir())
    if len(files) > MOST:
        for old in sorted(files, key=lambda p: p.stat().st_mtime)[: len(files) - MOST]:
            old.unlink()
