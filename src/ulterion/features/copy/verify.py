"""A folder held against a manifest, made here or elsewhere, or against what it is a copy of."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Iterator, Sequence
from contextlib import closing
from pathlib import Path
from typing import BinaryIO

from ulterion.core.errors import UsageError
from ulterion.engine.copies import manifest, onepass, proof, walk
from ulterion.engine.copies.file_pool import FilePool
from ulterion.features.copy.preflight import check_manifest
from ulterion.features.copy.request import WORKERS
from ulterion.run.observers import Observer


def check(manifest_file: Path, folder: Path, observer: Observer, stall: float = 60.0) -> proof.Proof:
    """Hold a folder against a manifest, made here or elsewhere; raise UsageError."""
    if not folder.is_dir():
        raise UsageError(f"{folder} is not a folder; name the one that holds what the manifest lists")
    with closing(manifest.opened(manifest_file)) as out, FilePool(WORKERS, stall) as pool:
        name = str(manifest_file)
        observer.stage(
            "reading back", sum(line.size for line in manifest.read(out, name))
        )  # it is whole before anything is read
        start = time.perf_counter()
        out.seek(0)
        found = proof.prove(
            pool,
            manifest.read(out, name),
            os.fsencode(folder),
            watch=lambda: observer.tick(time.perf_counter() - start, pool.moved),
        )
        _tell_added(found, out, name, os.fsencode(folder))
        return found


def _tell_added(found: proof.Proof, out: BinaryIO, name: str, folder: bytes) -> None:
    """Record the files of a folder that a manifest does not name."""

    def lines() -> Iterator[manifest.Line]:
        out.seek(0)
        return manifest.read(out, name)

    for added in proof.extra(folder, lines):
        found.tell(os.fsdecode(added), "was added: it is not in the original")


def verify(
    sources: Sequence[Path], folder: Path, kept: Path | None, observer: Observer, stall: float = 60.0
) -> proof.Proof:
    """Hold a folder against what it is a copy of, file by file; `kept` is where the sums of the sources stay.  Raises UsageError."""
    for path in (*sources, folder):
        if not path.exists() or (path == folder and not path.is_dir()):
            what = "is not a folder" if path.exists() else "does not exist"
            raise UsageError(f"{path} {what}; give the originals first, and last the folder that holds the copy")
    check_manifest(kept)
    tops = [os.fsencode(p) for p in sources]
    out = manifest.scratch_in(Path(tempfile.gettempdir()) if kept is None else kept.parent)
    try:
        found = _held_against(out, tops, os.fsencode(folder), observer, stall)
        if kept is not None:
            manifest.keep(out, kept)
    finally:
        manifest.close(out)
    return found


def _held_against(out: BinaryIO, tops: Sequence[bytes], folder: bytes, observer: Observer, stall: float) -> proof.Proof:
    """Write the sums of sources, and hold a folder against them."""
    with FilePool(WORKERS, stall) as pool:
        writer = manifest.Writer(out, "the temporary folder")
        observer.stage("reading the source", walk.count(tops).bytes)
        missed = onepass.sum_all(pool, tops, writer, observer.tick)
        writer.end()
        observer.stage("reading the copy", writer.bytes)
        start, first = time.perf_counter(), pool.moved
        out.seek(0)
        found = proof.prove(
            pool,
            manifest.read(out, "the sums"),
            folder,
            proof.all_names(tops),
            lambda: observer.tick(time.perf_counter() - start, pool.moved - first),
        )
        _tell_added(found, out, "the sums", folder)
    for name in missed:
        found.tell(name, "the source cannot be read, so the copy is not verified")
    return found
