"""What a run document is about, read without reading it all: so that a thousand runs are looked through in a second.

Our own documents begin with a header of a few lines, and have each long list on a line of its own; that is made use of
here.  A document that is laid out otherwise (written by hand, or by another program) is read whole instead.
"""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

from ulterion.core.documents.moments import moment_of
from ulterion.core.errors import UsageError
from ulterion.core.patterns import pattern
from ulterion.core.records import dataclass
from ulterion.model.reading import parse_json, read_bytes
from ulterion.model.runs.document import check_schema
from ulterion.model.runs.upgrades import Raw
from ulterion.model.work_beside import beside

_BODY = pattern(rb'\n  "(?:workloads": \[|soak": \{)')  # where a document's own part begins
_TEXT = b'\n      "text": "'
_NUMBER = pattern(rb'\n {10}"number": [1-9]')
_LIST = pattern(rb' *"\w+": \[[\[\dn-]')
_NOTED = pattern(rb'\n  "(?:notes|readings)": \[\n')
NOWHERE = Path()
MANY = 2000  # documents; to start a second process takes as long as reading some hundred
LONG_LINE = 120  # bytes; a list of numbers on a longer line is a series


@dataclass(frozen=True)
class RunSummary:
    """What a document is about.

    Attributes:
        path: where it is.
        id, kind, setup, started, ended: as in the document.
        simulated: whether it was made on a simulated bench.
        target: path of the target, or None.
        texts: the workloads it has counted passes of, in their canonical words.
        noted: whether it bears notes or readings.
        suite: the suite that was asked for, or None.
    """

    path: Path
    id: str
    kind: str
    setup: str | None
    started: datetime.datetime
    ended: datetime.datetime | None
    simulated: bool
    target: str | None
    texts: frozenset[str]
    noted: bool
    suite: str | None = None


def look_into(paths: Sequence[Path], read: Callable[[Path], RunSummary | None]) -> list[RunSummary | None]:
    """Return what `read` gives for each of these documents, in their order; of many a second process reads half."""
    if len(paths) < MANY:
        return [read(path) for path in paths]
    half = len(paths) // 2
    mine, others = paths[:half], paths[half:]
    with beside(lambda: [_if_sound(path) for path in others]) as theirs:
        found = [read(path) for path in mine]
        looked = theirs() or [None] * len(others)
    return found + [
        replace(summary, path=path) if summary else read(path) for summary, path in zip(looked, others, strict=True)
    ]


def _if_sound(path: Path) -> RunSummary | None:
    """Return what a document is about, without its path, which takes long to send; None where it cannot be read, so that `read` says why."""
    try:
        return replace(summary_of(read_bytes(path), path), path=NOWHERE)
    except UsageError:
        return None


def summary_of(data: bytes, path: Path) -> RunSummary:
    """Return what a document is about; raise UsageError where it is not a run document or not whole, NewerRunError for a later format."""
    summary = _by_layout(data, path)
    if summary is not None:
        return summary
    whole = check_schema(parse_json(data, path.name), path.name)
    records = whole.get("workloads")
    texts = [_counted(r) for r in records] if isinstance(records, list) else []
    return _summary(
        whole, path, frozenset(t for t in texts if t is not None), bool(whole.get("notes") or whole.get("readings"))
    )


def _counted(record: object) -> str | None:
    """Return a workload's words when it has passes that count."""
    if not isinstance(record, dict) or not isinstance(record.get("passes"), list):
        return None
    counted = any(isinstance(p, dict) and p.get("number") != 0 for p in record["passes"])
    text = record.get("text")
    return text if counted and isinstance(text, str) else None


def _by_layout(data: bytes, path: Path) -> RunSummary | None:
    """Return the summary of a document laid out as ours are, None of any other."""
    begun = _BODY.search(data)
    at = begun.start() if begun else -1
    if at < 0 or not data.startswith(b'{\n  "schema": {') or not data.endswith(b"\n}\n"):
        return None
    try:
        head = check_schema(parse_json(data[:at].rstrip(b",") + b"}", path.name), path.name)
    except UsageError:
        return None  # read whole, it says what is wrong with it
    begins = [*_texts_in(data, at), len(data)]
    texts = [
        data[begin : data.find(b'"', begin)].decode("utf-8", "replace")
        for begin, end in pairwise(begins)
        if _NUMBER.search(data, begin, end)
    ]
    return _summary(head, path, frozenset(texts), _is_noted(head, data, at))


def _texts_in(data: bytes, start: int) -> Iterator[int]:
    """Yield where the words of a workload begin.  One letter is found six times as fast as the whole name, and few others stand in a document."""
    place = data.find(b"x", start)
    while place >= 0:
        begin = place - _TEXT.index(b"x")
        if data.startswith(_TEXT, begin):
            yield begin + len(_TEXT)
        place = data.find(b"x", place + 1)


def _is_noted(head: Raw, data: bytes, at: int) -> bool:
    """Return whether notes or readings stand in the head; where it lacks either, whether they stand behind it."""
    if head.get("notes") or head.get("readings"):
        return True
    return not {"notes", "readings"} <= head.keys() and _NOTED.search(data, at) is not None


def _summary(head: Raw, path: Path, texts: frozenset[str], noted: bool) -> RunSummary:
    target = head.get("target")
    words = {k: head.get(k) for k in ("id", "kind", "started")}
    if not isinstance(target, dict) or not all(isinstance(v, str) for v in words.values()):
        raise UsageError(f"{path.name} is not valid: it has no id, kind, start or target")
    started, ended = _moment(words["started"]), _moment(head.get("ended"))
    if started is None:
        raise UsageError(f"{path.name} is not valid: its start is not a time")
    setup, where = (v if isinstance(v, str) else None for v in (head.get("setup"), target.get("path")))
    simulated = target.get("kind") == "simulated"
    suite = head.get("suite")
    return RunSummary(
        path=path,
        id=str(words["id"]),
        kind=str(words["kind"]),
        setup=setup,
        started=started,
        ended=ended,
        simulated=simulated,
        target=where,
        texts=texts,
        noted=noted,
        suite=suite if isinstance(suite, str) else None,
    )


def _moment(text: object) -> datetime.datetime | None:
    """Return a moment as documents state it; None for anything else."""
    try:
        return moment_of(text)
    except (ValueError, TypeError):
        return None


def without_series(data: bytes) -> bytes:
    """Return a document laid out as ours are with every long list of numbers emptied."""
    lines = data.split(b"\n")
    return b"\n".join(_emptied(line) if len(line) > LONG_LINE else line for line in lines)


def _emptied(line: bytes) -> bytes:
    if not line.endswith((b"]", b"],")) or not _LIST.match(line):
        return line
    return line[: line.index(b"[")] + (b"[]," if line.endswith(b",") else b"[]")
