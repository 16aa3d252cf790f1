"""Where compiled code is kept: a folder of the user's own, new for each version of the loops and of Python.

The compiler sees for itself to its own version and to the kind of processor.
"""

from __future__ import annotations

import contextlib
import functools
import hashlib
import shutil
import sys
import tempfile
from pathlib import Path

import platformdirs

HERE = Path(__file__).parent
SOURCES = (
    *(HERE / f"{name}.py" for name in ("loops", "calls", "compiled_calls", "compiler")),
    *(HERE.parents[1] / "core" / "workloads" / f"{name}.py" for name in ("histogram", "series")),
)
"""What the compiled code follows from.  The compiler itself would not notice a change in another file than a function's own."""


def _mark() -> str:
    digest = hashlib.sha256(sys.version.encode())
    for source in SOURCES:
        digest.update(source.read_bytes())
    return digest.hexdigest()[:12]


@functools.cache
def folder() -> Path | None:
    """Return the folder, made if need be; None where the user has no writable place."""
    place = platformdirs.user_cache_path("ulterion") / "engine"
    mine = place / _mark()
    try:
        if not mine.is_dir():
            for old in place.glob("*"):
                shutil.rmtree(old, ignore_errors=True)
            mine.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryFile(dir=mine):
            return mine
    except OSError:
        return None


def is_kept() -> bool:
    """Return whether compiled code is there from an earlier run, so that there is no wait."""
    mine = folder()
    with contextlib.suppress(OSError):
        return mine is not None and any(mine.rglob("loops.on_a_ring*.nbc"))
    return False
