"""Opening an archive: one of ours, known by its mark, or an empty one.  Every other database is refused before anything in it changes.

The mark of an SQLite file is its `application_id`.  On PostgreSQL, and in files that were made before the mark, it is the
tables `about` and `runs` with exactly our columns.
"""

from __future__ import annotations

import os
import sqlite3
import stat
import urllib.parse
from collections.abc import Collection, Mapping
from functools import partial
from pathlib import Path

import sqlalchemy as sa
from sqlalchemy.engine import Connection, Engine
from sqlalchemy.exc import SQLAlchemyError

from ulterion.core.errors import UsageError
from ulterion.features.archive.schema import ABOUT, META, MIGRATIONS, RUNS, VERSION, columns_of, first_line

APPLICATION = 0x556C7472  # the letters Ultr
WAIT = 60  # seconds that a writer waits for another (SQLite)
POSTGRES = ("postgresql", "postgres")
HEADER = b"SQLite format 3\0"  # the first bytes of a database file (SQLite, "Database File Format", 1.3)
MAX_TOLD = 4


class NoArchiveError(UsageError):
    """There is no archive yet at the place that is to be read."""


def opened(where: str | Path) -> Engine:
    """Open an archive for reading and writing; make it where there is none, and bring up an older one.

    `where` is a file, or a server's address ('postgresql://...').  Raises UsageError for a database that is not ours.
    """
    return _opened(where, reads=False)


def opened_to_read(where: str | Path) -> Engine:
    """Open an archive for reading alone; raise UsageError, NoArchiveError where there is none."""
    return _opened(where, reads=True)


def _opened(where: str | Path, *, reads: bool) -> Engine:
    try:
        if isinstance(where, str) and "://" in where:
            return _server(where, reads=reads)
        return _file(Path(where), reads=reads)
    except ImportError as error:
        raise UsageError("a PostgreSQL archive needs the package psycopg: pip install 'ulterion[postgres]'") from error
    except UsageError:
        raise
    except (SQLAlchemyError, sqlite3.Error, OSError, ValueError) as error:
        raise UsageError(
            f"the archive {where} cannot be opened: {first_line(error)}; check the path, or choose another with --archive"
        ) from error


def _file(path: Path, *, reads: bool) -> Engine:
    there = _looked_at(path)
    if reads and not there:
        raise NoArchiveError(
            f"there is no archive at {path} yet; 'ulterion archive add FOLDER' puts the runs of a review folder into one"
        )
    if not reads:
        path.parent.mkdir(parents=True, exist_ok=True)
    connect = partial(_connected_to_read, path) if reads else partial(_connected, path)
    engine = sa.create_engine("sqlite://", creator=connect, poolclass=sa.pool.QueuePool)
    sa.event.listen(engine, "begin", _begin_at_once)
    _bring_up(engine, path, reads=reads)
    return engine


def _server(url: str, *, reads: bool) -> Engine:
    scheme, _, rest = url.partition("://")
    if scheme not in POSTGRES:
        raise UsageError(f"--archive '{scheme}://...': an archive is a file, or postgresql://USER@HOST/DATABASE")
    engine = sa.create_engine(f"postgresql+psycopg://{rest}", pool_pre_ping=True)
    if reads:
        sa.event.listen(engine, "connect", _read_only)
    _bring_up(engine, url, reads=reads)
    return engine


def _read_only(connection: sa.engine.interfaces.DBAPIConnection, record: object) -> None:
    connection.read_only = True


def _uri(path: Path, how: str) -> str:
    return f"file:{urllib.parse.quote(os.fsencode(path.absolute()))}?{how}"


def _connected(path: Path) -> sqlite3.Connection:
    """Connect for writing: readers and one writer at once, every commit on the medium, foreign keys kept; transactions are begun by us."""
    connection = sqlite3.connect(_uri(path, "mode=rwc"), uri=True, timeout=WAIT, check_same_thread=False)
    connection.isolation_level = None
    for words in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON"):
        connection.execute(f"PRAGMA {words}")
    return connection


def _connected_to_read(path: Path) -> sqlite3.Connection:
    """Connect for reading; on a medium that cannot be written nobody else writes either, so that no lock is needed."""
    how = "mode=ro" if os.access(path.absolute().parent, os.W_OK) or _has_log(path) else "immutable=1"
    connection = sqlite3.connect(_uri(path, how), uri=True, timeout=WAIT, check_same_thread=False)
    connection.isolation_level = None
    return connection


def _has_log(path: Path) -> bool:
    """Return whether a write-ahead log with something in it lies beside a database."""
    try:
        return Path(f"{path}-wal").stat().st_size > 0
    except OSError:
        return False


def _begin_at_once(connection: Connection) -> None:
    """SQLite: a transaction takes the right to write at its beginning, so that two writers wait for each other and never fail."""
    reads = connection.get_execution_options().get("reads", False)
    connection.exec_driver_sql("BEGIN" if reads else "BEGIN IMMEDIATE")


def _looked_at(path: Path) -> bool:
    """Return whether a file is one of our archives; False where nothing is there yet.  Raises UsageError for anything else.

    Nothing is written: the file is opened read-only, and without a lock where no log lies beside it.
    """
    try:
        facts = path.stat()
    except FileNotFoundError:
        return False
    if not stat.S_ISREG(facts.st_mode):
        raise _foreign(path, "it is not a regular file")
    if not facts.st_size:
        return False
    with path.open("rb") as file:
        if file.read(len(HEADER)) != HEADER:
            raise _foreign(path, "it is not a database")
    how = "mode=ro" if _has_log(path) else "mode=ro&immutable=1"
    connection = sqlite3.connect(_uri(path, how), uri=True, timeout=WAIT)
    try:
        if connection.execute("PRAGMA application_id").fetchone()[0] == APPLICATION:
            return True
        names = [n for (n,) in connection.execute("SELECT name FROM sqlite_master WHERE type IN ('table', 'view')")]
        tables = {n: [c[1] for c in connection.execute("SELECT * FROM pragma_table_info(?)", (n,))] for n in names}
    finally:
        connection.close()
    _check_tables(tables, path)
    return bool(tables)


def _foreign(where: object, why: str) -> UsageError:
    return UsageError(
        f"{where} is not an Ulterion archive: {why}; nothing was changed. Choose another place with --archive"
    )


def _check_tables(tables: Mapping[str, Collection[str]], where: object) -> None:
    """Raise UsageError unless these tables, by name with their columns, are an archive of ours, or there are none."""
    if not tables:
        return
    own = [columns_of(version) for version in range(1, VERSION + 1)]
    strange = sorted(set(tables) - set(META.tables))
    odd = sorted(n for n in set(tables) - set(strange) if set(tables[n]) not in [columns[n] for columns in own])
    missing = [t.name for t in (ABOUT, RUNS) if t.name not in tables]
    if strange or odd or missing:
        names = ", ".join([*strange, *odd][:MAX_TOLD]) or "other tables"
        raise _foreign(where, f"the database holds another program's data ({names})")


def _tables_of(connection: Connection) -> dict[str, list[str]]:
    """Return the tables and views of the connected server's database, with their columns."""
    seen = sa.inspect(connection)
    return {n: [c["name"] for c in seen.get_columns(n)] for n in [*seen.get_table_names(), *seen.get_view_names()]}


def _bring_up(engine: Engine, where: object, *, reads: bool) -> None:
    """Make the tables where there are none, or upgrade them to this version; for reading, only check them."""
    with engine.connect().execution_options(reads=reads) as connection, connection.begin():
        postgres = engine.dialect.name == "postgresql"
        if postgres:
            if not reads:
                connection.execute(
                    sa.text("SELECT pg_advisory_xact_lock(7316204)")
                )  # two that open it first make it once
            _check_tables(_tables_of(connection), where)
        known = sa.inspect(connection).has_table("about")
        version = connection.execute(sa.select(ABOUT.c.version)).scalar() if known else None
        if reads:
            _check_readable(version, where)
            return
        if version is None:
            META.create_all(connection)
            connection.execute(ABOUT.insert().values(version=VERSION))
        else:
            _migrate(connection, _checked(version, where))
        if not postgres:
            connection.exec_driver_sql(f"PRAGMA application_id = {APPLICATION}")


def _checked(version: object, where: object) -> int:
    """Return the version of an archive's tables; raise UsageError for a newer one, or one that is damaged."""
    if not isinstance(version, int) or version < 1:
        raise UsageError(
            f"the archive {where} is damaged (its version is {version!r:.20}); move it away, then build it again with 'ulterion archive rebuild'"
        )
    if version > VERSION:
        raise UsageError(
            f"the archive was made by a newer Ulterion (version {version} of its tables); update Ulterion to use it"
        )
    return version


def _check_readable(version: object, where: object) -> None:
    if version is None:
        raise NoArchiveError(
            f"there is no archive in {where} yet; 'ulterion archive add FOLDER' puts the runs of a review folder into one"
        )
    if _checked(version, where) < VERSION:
        raise UsageError(
            "the archive was made by an older Ulterion; 'ulterion archive add FOLDER', with any of its reviews, brings it up to date"
        )


def _migrate(connection: Connection, version: int) -> None:
    for step in range(version, VERSION):
        MIGRATIONS[step](connection)
    if version < VERSION:
        connection.execute(ABOUT.update().values(version=VERSION))
