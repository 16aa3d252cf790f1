"""Is what arrived what was sent?  Every file of a manifest read back past the caches, and nothing missing and nothing more."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field

from ulterion.engine.copies import jobs
from ulterion.engine.copies.batches import batches
from ulterion.engine.copies.crew import Crew, Job
from ulterion.engine.copies.manifest import Line
from ulterion.engine.copies.walk import walk

MOST_TOLD = 100


@dataclass
class Proof:
    """What reading back found: files and bytes that are as they were, and (name, what) of those that are not, the first hundred."""

    files: int = 0
    bytes: int = 0
    wrong: list[tuple[str, str]] = field(default_factory=list)
    wrong_count: int = 0

    def tell(self, name: str, what: str) -> None:
        """Take down what is wrong."""
        self.wrong_count += 1
        if len(self.wrong) < MOST_TOLD:
            self.wrong.append((name, what))


def prove(
    crew: Crew,
    lines: Iterator[Line],
    folder: bytes,
    source_of: Callable[[bytes], bytes | None] = lambda path: None,
    watch: Callable[[], None] = lambda: None,
) -> Proof:
    """Read the files of a manifest back from a folder; `source_of` leads to the original, to find where a copy differs from it."""
    proof = Proof()
    for (_, batch), answers in crew.run(_jobs(lines, folder), watch):
        for (path, size, _, _), what in zip(batch, answers, strict=True):
            name = path[len(folder) + 1 :]
            if not what:
                proof.files, proof.bytes = proof.files + 1, proof.bytes + size
                continue
            proof.tell(os.fsdecode(name), what + (_where(source_of(name), path) if what == jobs.DIFFERS else ""))
    return proof


def _where(source: bytes | None, copy: bytes) -> str:
    place = jobs.first_difference(source, copy) if source is not None else None
    return "" if place is None else f" from byte {place} on"


def _jobs(lines: Iterator[Line], folder: bytes) -> Iterator[Job]:
    named = ((b"%b/%b" % (folder, line.path), line.size, line.modified, line.sum) for line in lines)
    return (("prove", batch) for batch in batches(named, lambda one: one[1]))


def extra(folder: bytes, lines: Callable[[], Iterator[Line]], files: int) -> list[bytes]:
    """Return the files of a folder that a manifest of `files` does not name, the first hundred; names are only held where the counts differ."""
    tops = [b"%b/%b" % (folder, name) for name in sorted(os.listdir(folder))]
    if sum(1 for e in walk(tops) if e.kind == "file") == files:
        return []
    known = {line.path for line in lines()}
    found = (e.name for e in walk(tops) if e.kind == "file" and e.name not in known)
    return [name for _, name in zip(range(MOST_TOLD), found, strict=False)]


def all_names(sources: Sequence[bytes]) -> Callable[[bytes], bytes | None]:
    """Return what leads from a path below a copy to the original's."""
    tops = {os.path.basename(s.rstrip(b"/")): s.rstrip(b"/") for s in sources}

    def source_of(path: bytes) -> bytes | None:
        top, _, rest = path.partition(b"/")
        return None if top not in tops else b"%b/%b" % (tops[top], rest) if rest else tops[top]

    return source_of
