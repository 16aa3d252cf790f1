"""Keeps the findings of soaks in the user's cache folder, because analysing a soak takes longer than the rest of an answer.

The name of a file is a digest of everything the analysis reads: the course, the facts of the drive, and the code of the core.  A changed
document or another version therefore has another file.  If a file cannot be read, the soak is analysed again.
"""

from __future__ import annotations

import contextlib
import functools
import hashlib
import io
import os
import pickle
import stat
import sys
from collections.abc import Iterator
from pathlib import Path

from ulterion.core.arrays import Floats, np
from ulterion.core.soak.findings import Findings, analyse
from ulterion.core.soak.trace import Trace
from ulterion.core.version import __version__

MOST = 400  # files, some kilobytes each; the oldest go
CORE = Path(__file__).parents[2] / "core"


def kept_findings(trace: Trace, room: float | None) -> Findings | None:
    """Return the findings of `analyse`, kept from an earlier call where there is one."""
    folder = _folder()
    if folder is None:
        return analyse(trace, room)
    place = folder / f"{_digest(trace, room)}.pickle"
    with contextlib.suppress(Exception):  # a damaged file may fail in any way
        found = _Reader(io.BytesIO(place.read_bytes())).load()
        if found is None or isinstance(found, Findings):
            return found
    found = analyse(trace, room)
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


def _digest(trace: Trace, room: float | None) -> str:
    digest = hashlib.sha256(_code().encode())
    for name, values in _series(trace):
        digest.update(f"{name}:{values.size}:".encode())
        digest.update(np.ascontiguousarray(values, dtype=np.float64).tobytes())
    rest = (trace.phases, trace.writes, trace.limit, trace.counters, trace.rotational, trace.bridged)
    digest.update(repr((*rest, trace.span, trace.block, trace.depth, room)).encode())
    return digest.hexdigest()


def _series(trace: Trace) -> Iterator[tuple[str, Floats]]:
    yield from (("at", trace.at), ("seconds", trace.seconds), ("rate", trace.rate))
    if trace.worst is not None:
        yield "worst", trace.worst
    for name, values in trace.sensors.items():
        yield f"sensor {name}", values


@functools.cache
def _code() -> str:
    """Return a digest of the core's code, and of the versions of the program, Python and NumPy."""
    digest = hashlib.sha256(f"{__version__} {sys.version} {np.__version__}".encode())
    for source in sorted(CORE.rglob("*")):  # the core imports nothing but itself and NumPy
        if source.suffix in (".py", ".f4"):
            digest.update(source.read_bytes())
    return digest.hexdigest()


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
