"""A folder held against a manifest, made here or elsewhere."""

from __future__ import annotations

import os
import time
from contextlib import closing
from pathlib import Path

from ulterion.conduct.copyrequest import CopyObserver
from ulterion.conduct.copystart import WORKERS
from ulterion.core.errors import UsageError
from ulterion.engine.copies import manifest, proof
from ulterion.engine.copies.crew import Crew


def check(manifest_file: Path, folder: Path, observer: CopyObserver, stall: float = 60.0) -> proof.Proof:
    """Hold a folder against a manifest, made here or elsewhere; raise UsageError."""
    if not folder.is_dir():
        raise UsageError(f"{folder} is no folder; name the one that holds what the manifest names")
    with closing(manifest.opened(manifest_file)) as out, Crew(WORKERS, stall) as crew:
        name = str(manifest_file)
        observer.begin(
            "reading back", sum(line.size for line in manifest.read(out, name))
        )  # it is whole before anything is read
        start = time.perf_counter()
        out.seek(0)
        return proof.prove(
            crew,
            manifest.read(out, name),
            os.fsencode(folder),
            watch=lambda: observer.tick(time.perf_counter() - start, crew.moved),
        )
