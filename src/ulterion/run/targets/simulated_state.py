"""What a simulated run leaves in its medium for the next one: heat, and a write cache in use, as on a real bench.

It lies beside the bench's file as `.NAME.left`, is no result, and may be deleted at any time: every medium is then cold and empty.
"""

from __future__ import annotations

import json
import math
from dataclasses import asdict
from pathlib import Path

from ulterion.core.errors import UsageError
from ulterion.model.files import write_atomically
from ulterion.model.reading import read_bytes
from ulterion.sim.state import Left
from ulterion.sim.target import SimTarget


def _file(bench_file: Path) -> Path:
    return bench_file.with_name(f".{bench_file.name}.left")


def _read(path: Path) -> dict[str, dict[str, float]]:
    """Return what every medium was left like; nothing where the file is not there, or is not ours."""
    try:
        kept = json.loads(read_bytes(path))
        return {str(k): {"at": float(v["at"]), **asdict(_left(v))} for k, v in kept.items()}
    except (OSError, UsageError, ValueError, TypeError, KeyError, AttributeError):
        return {}


def _left(kept: dict[str, float]) -> Left:
    inside, cached, written = (float(kept[name]) for name in ("inside", "cached", "written"))
    if not all(map(math.isfinite, (inside, cached, written))):
        raise ValueError("no state that a medium can be in")
    return Left(inside, cached, written, bool(kept["hot"]))


def take_up(target: SimTarget, bench_file: Path) -> None:
    """Let a run that begins at `target.began` find its medium as the last one left it, and as it has cooled since."""
    kept = _read(_file(bench_file)).get(target.names[-1])
    if kept is not None and kept["at"] <= target.began:
        target.state.take_up(_left(kept), target.began - kept["at"])


def leave(target: SimTarget, bench_file: Path) -> None:
    """Keep how a run leaves its medium; a folder that cannot be written to forgets it."""
    path = _file(bench_file)
    every = _read(path) | {target.names[-1]: {"at": target.began + target.elapsed, **asdict(target.state.left())}}
    try:
        write_atomically(path, json.dumps(every) + "\n")
    except UsageError:
        return
