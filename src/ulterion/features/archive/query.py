"""Questions to the archive in words: 'USB 10 Gb/s enclosures, write over 900 MB/s, since 2025'."""

from __future__ import annotations

import datetime
import math
import re
from collections.abc import Iterator
from typing import get_type_hints

import sqlalchemy as sa
from sqlalchemy.engine import Engine

from ulterion.core.errors import UsageError
from ulterion.core.estimates.readers import MAX_WORDS, links_in
from ulterion.core.facts import differences
from ulterion.core.facts.differences import MAX_NAMED, RunFacts
from ulterion.core.facts.target import BenchFacts, TargetFacts
from ulterion.core.links.standards import Link
from ulterion.core.patterns import pattern
from ulterion.core.records import dataclass
from ulterion.core.text import spoken
from ulterion.core.units import bounded, parse_rate
from ulterion.features.archive.schema import CLAIMS, PARTS, RESULTS, RUNS, in_words

RATES = ("least", "most", "claimed")
FEW = 10_000  # runs that are named one by one
MAX_ROWS = 500  # rows of an answer
FIRST_LOOK, LAST_LOOK = 3, 192  # times as many rows as are wanted are looked at, for the best of each products
_OVER = pattern(r"\b(?:over|above|at least)\s+(\d[\d.]*\s*\S+/s)", re.IGNORECASE)
_UNDER = pattern(r"\b(?:under|below|at most)\s+(\d[\d.]*\s*\S+/s)", re.IGNORECASE)
_CLAIMED = pattern(r"\bclaim(?:s|ed|ing)?\s+(?:over|above|at least)\s+(\d[\d.]*\s*\S+/s)", re.IGNORECASE)
_SINCE = pattern(r"\b(?:since|from)\s+(\d{4}(?:-\d{2}(?:-\d{2})?)?)\b", re.IGNORECASE)
_UNTIL = pattern(r"\b(?:until|before|to)\s+(\d{4}(?:-\d{2}(?:-\d{2})?)?)\b", re.IGNORECASE)
_HOST = pattern(r"\bon\s+host\s+(\S+)", re.IGNORECASE)
_DIRECTIONS = {
    **dict.fromkeys(("read", "reads", "reading", "receive"), "read"),
    **dict.fromkeys(("write", "writes", "writing", "send"), "write"),
}
_PATTERNS = {
    "large": "sequential",
    "sequential": "sequential",
    "small": "random",
    "random": "random",
    "scattered": "random",
}
CACHED = "cached"
_STATES = {"cached": CACHED, "throttled": "throttled"}
_FILLERS = {"and", "with", "of", "in", "the", "a", "all", "on"}


@dataclass(frozen=True)
class Question:
    """A search: every field that is not None must match.

    Attributes:
        links: any part of the chain, or the run's own link, has one of these.
        words: each is in a part's name or is its kind, in the singular or the plural.
        direction, pattern, state: of the result.
        least, most: bytes per second.
        claimed: bytes per second that a part of the chain claims at least, in the direction that is asked for, or in either.
        since, until: begun on or after, and before.
        host: name of the bench.
        best_only: whether of each products and workload the best run alone is wanted.
    """

    links: tuple[Link, ...] = ()
    words: tuple[str, ...] = ()
    direction: str | None = None
    pattern: str | None = None
    state: str | None = None
    least: float | None = None
    most: float | None = None
    claimed: float | None = None
    since: str | None = None
    until: str | None = None
    host: str | None = None
    best_only: bool = True


@dataclass(frozen=True)
class Answer:
    """One result: the products, where and when they were measured, and the figure."""

    label: str
    setup: str | None
    title: str
    host: str
    started: str
    link: str | None
    driver: str | None
    filesystem: str | None
    version: str | None
    workload: str
    text: str
    state: str | None
    passes: int
    rate: float
    low: float | None
    high: float | None
    run: str
    review: str


KINDS = get_type_hints(Answer)


def parse_question(text: str) -> Question:
    """Read a question from words; raise UsageError for an invalid rate or date."""
    found: dict[str, str | float] = {}
    left = spoken(bounded(text, "question", "USB 10 Gb/s enclosures, write over 900 MB/s", MAX_WORDS))
    for name, expression in (
        ("claimed", _CLAIMED),
        ("least", _OVER),
        ("most", _UNDER),
        ("since", _SINCE),
        ("until", _UNTIL),
        ("host", _HOST),
    ):
        match = expression.search(left)
        if match is not None:
            found[name] = parse_rate(match[1].rstrip(",;")) if name in RATES else match[1].rstrip(",;")
            left = left[: match.start()] + " " + left[match.end() :]
    for name in ("since", "until"):
        if name in found:
            _check_date(str(found[name]))
    links = links_in(left)
    for link in links:
        for written in (link.name, *link.aliases):
            words_of = r"[\s_\-]*".join(re.escape(w) for w in re.split(r"[\s_\-]+", written))
            left = re.sub(rf"(?<![\w.]){words_of}(?!\w)", " ", left, flags=re.IGNORECASE)
    words = [w for w in re.findall(r"[^\s,;]+", left.casefold()) if w not in _FILLERS]
    direction, pattern, state = (next((t[w] for w in words if w in t), None) for t in (_DIRECTIONS, _PATTERNS, _STATES))
    rest = tuple(w for w in words if w not in {**_DIRECTIONS, **_PATTERNS, **_STATES})
    least, most, claimed = (float(found[n]) if n in found else None for n in RATES)
    since, until, host = (str(found[n]) if n in found else None for n in ("since", "until", "host"))
    return Question(
        links=links,
        words=rest,
        direction=direction,
        pattern=pattern,
        state=state,
        least=least,
        most=most,
        claimed=claimed,
        since=since,
        until=until,
        host=host,
    )


def _check_date(text: str) -> None:
    try:
        datetime.date.fromisoformat(text + "-01-01"[len(text) - 4 :])
    except ValueError as error:
        raise UsageError(f"'{text}' is not a date; write 2025, 2025-06 or 2025-06-30") from error


def _conditions(engine: Engine, question: Question) -> list[sa.ColumnElement[bool]]:
    runs, results = RUNS.c, RESULTS.c
    told: list[sa.ColumnElement[bool]] = []
    for column, value in (
        (results.direction, question.direction),
        (results.pattern, question.pattern),
        (runs.host, question.host),
    ):
        if value is not None:
            told.append(column == value)
    if question.state == CACHED:  # what showed no other state was written into the cache as well
        told.append(sa.or_(results.state.is_(None), results.state == CACHED))
    elif question.state is not None:
        told.append(results.state == question.state)
    if question.least is not None:
        told.append(results.rate >= question.least)
    if question.most is not None:
        told.append(results.rate <= question.most)
    if question.since is not None:
        told.append(runs.started >= question.since)
    if question.until is not None:
        told.append(runs.started < question.until)
    if question.links:
        names = [k.name for k in question.links]
        told.append(sa.or_(runs.link.in_(names), _has_part(PARTS.c.link.in_(names))))
    return [*told, *_with_parts(engine, question)]


def _with_parts(engine: Engine, question: Question) -> Iterator[sa.ColumnElement[bool]]:
    """Yield the conditions that a run has a part for each word, and one that claims enough.

    Where few runs have such parts, they are looked for first and named, and no long list of results is walked for them.
    """
    few: set[str] | None = None
    for condition in _wanted_parts(question):
        keys = _keys(engine, condition)
        if len(keys) > FEW:
            yield _has_part(condition)
        else:
            few = keys if few is None else few & keys
    if few is not None:
        yield RESULTS.c.key.in_(sorted(few))


def _wanted_parts(question: Question) -> Iterator[sa.ColumnElement[bool]]:
    if question.claimed is not None:
        ways = [c for w, c in CLAIMS.items() if question.direction in (w, None)]
        yield sa.or_(*(c >= question.claimed for c in ways))
    for word in question.words:
        kinds = {word, word.removesuffix("s"), word.removesuffix("es")}
        like = sa.func.lower(PARTS.c.name).like(f"%{_escaped(word)}%", escape="\\")
        yield sa.or_(PARTS.c.kind.in_(sorted(kinds)), like)


def _keys(engine: Engine, condition: sa.ColumnElement[bool]) -> set[str]:
    """Return the runs that have a part that fits, one more than a few at most."""
    wanted = sa.select(PARTS.c.key).where(condition).distinct().limit(FEW + 1)
    with in_words("read"), engine.connect().execution_options(reads=True) as connection:
        return set(connection.execute(wanted).scalars())


def _has_part(condition: sa.ColumnElement[bool]) -> sa.ColumnElement[bool]:
    """Return whether a run has a part that fits, asked run by run: the best results are walked, and no list of all runs is made.

    It is a value and not EXISTS, which PostgreSQL makes a join of, and then sorts everything.
    """
    first = sa.select(PARTS.c.place).where(PARTS.c.key == RUNS.c.key, condition).limit(1)
    return first.scalar_subquery().is_not(None)


def _escaped(word: str) -> str:
    return word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")


def ask(engine: Engine, question: Question, limit: int = MAX_ROWS) -> list[Answer]:
    """Return the results that fit, the highest rate first: of each products and workload the best run alone, unless all are wanted."""
    columns = [
        getattr(RUNS.c, n)
        for n in ("label", "setup", "title", "host", "started", "link", "driver", "filesystem", "version")
    ]
    figures = [getattr(RESULTS.c, n) for n in ("workload", "text", "state", "passes", "rate", "low", "high")]
    wanted = (
        sa.select(*columns, *figures, RUNS.c.run, RUNS.c.review)
        .join(RUNS, RESULTS.c.key == RUNS.c.key)
        .where(*_conditions(engine, question))
        .order_by(RESULTS.c.rate.desc(), RESULTS.c.key)
    )
    if not question.best_only:
        return _rows(engine, wanted.limit(limit))
    much = limit * FIRST_LOOK
    while True:  # as far down the list as it takes; mostly the first look is enough
        rows, best = _rows(engine, wanted.limit(much)), dict[tuple[str, str, str], Answer]()
        for one in rows:
            best.setdefault((one.label, one.text, one.review), one)
        if len(best) >= limit or len(rows) < much or much >= limit * LAST_LOOK:
            return list(best.values())[:limit]
        much *= 4


def _rows(engine: Engine, wanted: sa.Executable) -> list[Answer]:
    with in_words("read"), engine.connect().execution_options(reads=True) as connection:
        return [_checked(Answer(*tuple(row))) for row in connection.execute(wanted)]


def _checked(answer: Answer) -> Answer:
    """Return a row of the archive; raise UsageError for values that this program never writes."""
    for name, kind in KINDS.items():
        value = getattr(answer, name)
        is_number = isinstance(value, float | int) and isinstance(
            0.0, kind
        )  # databases hand whole floats back as integers
        if not (is_number or isinstance(value, kind)) or (isinstance(value, float) and not 0 <= value < math.inf):
            raise UsageError(
                f"the archive is damaged ({name} of run {answer.run!r:.20} is {value!r:.20}); "
                "move it away, then build it again with 'ulterion archive rebuild'"
            )
    return answer


def unlike(answers: list[Answer]) -> list[str]:
    """Return what differs between the runs behind several answers besides the products, and so makes a comparison doubtful."""
    runs = [
        RunFacts(
            TargetFacts(path="", kind="", driver=a.driver, filesystem=a.filesystem),
            BenchFacts(a.host),
            engine=a.version,
        )
        for a in answers
    ]
    workloads = sorted({a.text for a in answers})
    more = ", ..." if len(workloads) > MAX_NAMED else ""
    told = [f"workload: {', '.join(workloads[:MAX_NAMED])}{more}"] if len(workloads) > 1 else []
    return [*differences.unlike(runs), *told]


def places_of(engine: Engine, title: str) -> list[str]:
    """Return the folders of the reviews that have a title, or whose folder is called so; upper and lower case are the same."""
    wanted = sa.select(RUNS.c.review, RUNS.c.title).distinct()
    with in_words("read"), engine.connect().execution_options(reads=True) as connection:
        rows = list(connection.execute(wanted))
    key = title.casefold()
    return sorted(
        {r.review for r in rows if key in (r.title.casefold(), r.review.rstrip("/").rpartition("/")[2].casefold())}
    )
