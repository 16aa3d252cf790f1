"""Did what was sent arrive?  Every file of a manifest is read back past the caches, with none missing and none added."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from dataclasses import field

from ulterion.core.records import dataclass
from ulterion.engine.copies.batches import batches
from ulterion.engine.copies.file_pool import FileJob, FilePool
from ulterion.engine.copies.manifest import Line
from ulterion.engine.copies.readback import DIFFERS, first_difference
from ulterion.engine.copies.walk import walk

MAX_TOLD = 100
COUNTED = ("file", "other")  # what is looked at for more than was sent; folders and links are in no manifest


@dataclass
class Proof:
    """The result of reading back: files and bytes that are as they were, and (name, fault) of the first hundred that are not."""

    files: int = 0
    bytes: int = 0
    wrong: list[tuple[str, str]] = field(default_factory=list)
    wrong_count: int = 0

    def tell(self, name: str, what: str) -> None:
        """Take down what is wrong."""
        self.wrong_count += 1
        if len(self.wrong) < MAX_TOLD:
            self.wrong.append((name, what))


def prove(
    pool: FilePool,
    lines: Iterator[Line],
    folder: bytes,
    source_of: Callable[[bytes], bytes | None] = lambda path: None,
    watch: Callable[[], None] = lambda: None,
) -> Proof:
    """Read the files of a manifest back from a folder; `source_of` gives the original, to find where a copy differs from it."""
    proof = Proof()
    for (_, (_, batch)), answers in pool.run(_jobs(lines, folder), watch):
        for line, what in zip(batch, answers, strict=True):
            if not what:
                proof.files, proof.bytes = proof.files + 1, proof.bytes + line.size
                continue
            where = _where(source_of(line.path), folder, line.path) if what == DIFFERS else ""
            proof.tell(os.fsdecode(line.path), what + where)
    return proof


def _where(source: bytes | None, folder: bytes, path: bytes) -> str:
    place = first_difference(source, folder, path) if source is not None else None
    return "" if place is None else f" from byte {place} on"


def _jobs(lines: Iterator[Line], folder: bytes) -> Iterator[FileJob]:
    return (("prove", (folder, batch)) for batch in batches(lines, lambda line: line.size))


def extra(folder: bytes, lines: Callable[[], Iterator[Line]]) -> Iterator[bytes]:
    """Yield the files, pipes, sockets and devices that a manifest does not name, in the folders at the top that it names.

    Names are only held where the counts differ.
    """
    named, count = set[bytes](), 0
    for line in lines():
        named.add(line.path.partition(b"/")[0])
        count += 1
    tops = [b"%b/%b" % (folder, name) for name in sorted(named)]
    if sum(1 for e in walk(tops, follow=False) if e.kind in COUNTED) == count:
        return
    known = {line.path for line in lines()}
    yield from (e.name for e in walk(tops, follow=False) if e.kind in COUNTED and e.name not in known)


def all_names(sources: Sequence[bytes]) -> Callable[[bytes], bytes | None]:
    """Return a function that gives the path of the original for a path below a copy."""
    tops = {os.path.basename(s.rstrip(b"/")): s.rstrip(b"/") for s in sources}

    def source_of(path: bytes) -> bytes | None:
        top, _, rest = path.partition(b"/")
        return None if top not in tops else b"%b/%b" % (tops[top], rest) if rest else tops[top]

    return source_of
