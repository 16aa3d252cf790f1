"""Adding runs to the archive. Adding a run twice does no harm, a changed run replaces the old one, and each batch is one transaction."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from itertools import islice
from typing import TypeVar

import sqlalchemy as sa
from sqlalchemy.engine import Connection, Engine

from ulterion.core.records import dataclass
from ulterion.core.stats.estimates import estimate
from ulterion.core.text import spoken
from ulterion.features.archive.schema import ABOUT, META, PARTS, RESULTS, RUNS, VERSION, in_words
from ulterion.model.review import Review
from ulterion.model.run_summary import RunSummary
from ulterion.model.runs.document import AnyRun
from ulterion.model.runs.measure import MeasureRun
from ulterion.model.store import ReviewFolder

LOT = 400  # runs of one transaction
Item = TypeVar("Item")
Values = dict[str, object]


@dataclass(frozen=True)
class Added:
    """Number of runs that were new, had changed, were unchanged, and have gone from the folder."""

    new: int = 0
    changed: int = 0
    known: int = 0
    gone: int = 0

    def __add__(self, other: Added) -> Added:
        """Return both together."""
        return Added(
            self.new + other.new, self.changed + other.changed, self.known + other.known, self.gone + other.gone
        )


def add_review(engine: Engine, folder: ReviewFolder) -> Added:
    """Put every run of a review into the archive; runs that are no longer in its folder are taken out.

    Raises UsageError where the archive cannot be written; what was put in before stays whole.
    """
    with in_words("written"):
        return _add_review(engine, folder)


def rebuild(engine: Engine, folders: Sequence[ReviewFolder]) -> list[Added]:
    """Make the archive anew from review folders, all in one transaction: until it ends, and if it fails, the archive is as it was.

    Raises UsageError where the archive cannot be written.
    """
    with in_words("made anew"), engine.begin() as connection:
        META.drop_all(connection)
        META.create_all(connection)
        connection.execute(ABOUT.insert().values(version=VERSION))
        return [_put_in(connection, folder) for folder in folders]


def _put_in(connection: Connection, folder: ReviewFolder) -> Added:
    place, base = _place_of(folder)
    added = Added()
    for lot in _lots(_keyed(folder, place), LOT):
        added += _add_lot(connection, folder, place, base, lot)
    return added


def _add_review(engine: Engine, folder: ReviewFolder) -> Added:
    place, base = _place_of(folder)
    summaries = _keyed(folder, place)
    added = Added()
    for lot in _lots(summaries, LOT):
        with engine.begin() as connection:
            _alone(connection, place)
            added += _add_lot(connection, folder, place, base, lot)
    with engine.begin() as connection:
        _alone(connection, place)
        there = {k for (k,) in connection.execute(sa.select(RUNS.c.key).where(RUNS.c.review == place))}
        gone = there - {key for key, _ in summaries}
        for some in _lots(sorted(gone), LOT):
            _take_out(connection, some)
    return added + Added(gone=len(gone))


def _place_of(folder: ReviewFolder) -> tuple[str, str]:
    """Return where a review is, and the SHA-256 of its review.toml."""
    path = folder.path.resolve()
    return spoken(str(path)), hashlib.sha256((path / "review.toml").read_bytes()).hexdigest()


def _keyed(folder: ReviewFolder, place: str) -> list[tuple[str, RunSummary]]:
    return list({_key(place, s.id): s for s in folder.summaries()}.items())


def _key(place: str, run: str) -> str:
    return hashlib.sha256(f"{place}\0{spoken(run)}".encode()).hexdigest()


def _lots(items: Sequence[Item], size: int) -> Iterator[list[Item]]:
    waiting = iter(items)
    while lot := list(islice(waiting, size)):
        yield lot


def _add_lot(
    connection: Connection, folder: ReviewFolder, place: str, base: str, lot: Sequence[tuple[str, RunSummary]]
) -> Added:
    sums = {key: hashlib.sha256(base.encode() + summary.path.read_bytes()).hexdigest() for key, summary in lot}
    found = connection.execute(sa.select(RUNS.c.key, RUNS.c.sum).where(RUNS.c.key.in_(list(sums))))
    there = {row.key: row.sum for row in found}
    changed = [k for k in there if there[k] != sums[k]]
    wanted = [(k, s) for k, s in lot if there.get(k) != sums[k]]
    _take_out(connection, changed)
    rows: tuple[list[Values], list[Values], list[Values]] = ([], [], [])
    runs = folder.without_series([summary for _, summary in wanted])
    by_id = {run.id: run for run in runs}
    for key, summary in wanted:
        run = by_id.get(summary.id)
        if run is not None:
            _collect(rows, folder.review, run, key=key, known=sums[key], place=place, path=str(summary.path))
    for table, values in zip((RUNS, PARTS, RESULTS), rows, strict=True):
        if values:
            connection.execute(table.insert(), [_storable(row) for row in values])
    return Added(len(wanted) - len(changed), len(changed), len(lot) - len(wanted))


def _storable(row: Values) -> Values:
    """Return a row in which no text holds what a database does not take: halves of surrogate pairs, and NUL."""
    return {k: spoken(v).replace("\0", "\\x00") if isinstance(v, str) else v for k, v in row.items()}


def _alone(connection: Connection, place: str) -> None:
    """Let nobody else put the same review in until this transaction ends; SQLite has one writer anyway."""
    if connection.dialect.name == "postgresql":
        number = int.from_bytes(hashlib.sha256(place.encode()).digest()[:8], "big", signed=True)
        connection.execute(sa.select(sa.func.pg_advisory_xact_lock(number)))


def _take_out(connection: Connection, keys: Sequence[str]) -> None:
    for table in (RESULTS, PARTS, RUNS):
        connection.execute(table.delete().where(table.c.key.in_(list(keys))))


def _collect(
    rows: tuple[list[Values], list[Values], list[Values]],
    review: Review,
    run: AnyRun,
    key: str,
    known: str,
    *,
    place: str,
    path: str,
) -> None:
    """Collect the rows of a run for the archive."""
    setup = review.setups.get(run.setup or "")
    chain = setup.chain if setup is not None else list(run.chain)
    label = " + ".join(review.label(k) for k in chain if k in review.parts) or run.target.model or run.target.kind
    rows[0].append(
        {
            "key": key,
            "run": run.id,
            "sum": known,
            "review": place,
            "title": review.review.title,
            "path": path,
            "kind": run.kind,
            "setup": run.setup,
            "label": label,
            "host": run.bench.host,
            "system": run.bench.system,
            "version": run.bench.versions.get("ulterion"),
            "started": run.started.isoformat(),
            "state": run.state.name,
            "link": run.target.link,
            "driver": run.target.driver,
            "filesystem": run.target.filesystem,
            "baseline": setup is not None and setup.baseline,
        }
    )
    for number, name in enumerate(k for k in chain if k in review.parts):
        part = review.parts[name]
        rows[1].append(
            {
                "key": key,
                "place": number,
                "name": part.name,
                "kind": part.kind,
                "link": part.link.name if part.link else None,
                "claims_read": part.claims.read,
                "claims_write": part.claims.write,
            }
        )
    if isinstance(run, MeasureRun) and not run.excluded:
        rows[2].extend(_results(run, key))


def _results(run: MeasureRun, key: str) -> Iterator[Values]:
    for record in run.workloads:
        for figure in record.figures:
            found = estimate(run.rates_of(figure))
            yield {
                "key": key,
                "workload": figure.workload.title,
                "text": figure.text,
                "direction": figure.workload.drive_direction,
                "pattern": figure.workload.drive_pattern,
                "state": figure.passes[0].state,
                "passes": found.passes,
                "rate": found.rate,
                "low": found.low,
                "high": found.high,
            }
