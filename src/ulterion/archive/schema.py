"""The tables of the archive, and the one place that opens it: SQLite in the user's data folder, or a PostgreSQL server.

What is in it can be made anew from the documents at any time.  `VERSION` grows with every change of the tables; an archive of an older
version is brought up when it is opened, one of a newer is left alone.
"""

from __future__ import annotations

import contextlib
import sqlite3
from collections.abc import Callable, Iterator
from pathlib import Path

import sqlalchemy as sa
from sqlalchemy.engine import Connection, Engine
from sqlalchemy.exc import SQLAlchemyError

from ulterion.core.errors import UsageError

VERSION = 3
WAIT = 60  # seconds that a writer waits for another (SQLite)
FILE = "archive.sqlite"

META = sa.MetaData()
ABOUT = sa.Table("about", META, sa.Column("version", sa.Integer, nullable=False))
RUNS = sa.Table(
    "runs",
    META,
    sa.Column("key", sa.String(80), primary_key=True),  # the review's path and the run's id, hashed
    sa.Column("run", sa.String(16), nullable=False),
    sa.Column("sum", sa.String(64), nullable=False),  # SHA-256 of the document, with that of review.toml
    sa.Column("review", sa.Text, nullable=False),
    sa.Column("title", sa.Text, nullable=False),
    sa.Column("path", sa.Text, nullable=False),
    sa.Column("kind", sa.String(20), nullable=False),
    sa.Column("hookup", sa.Text),
    sa.Column("label", sa.Text, nullable=False),
    sa.Column("host", sa.Text, nullable=False),
    sa.Column("system", sa.Text),
    sa.Column("version", sa.Text),
    sa.Column("started", sa.String(32), nullable=False, index=True),  # ISO 8601, UTC: the same order as time
    sa.Column("state", sa.String(20), nullable=False),
    sa.Column("link", sa.Text, index=True),
    sa.Column("driver", sa.Text),
    sa.Column("filesystem", sa.Text),
    sa.Column("direct", sa.Boolean, nullable=False),
)
PARTS = sa.Table(
    "parts",
    META,
    sa.Column("key", sa.ForeignKey("runs.key", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("place", sa.Integer, nullable=False),
    sa.Column("name", sa.Text, nullable=False, index=True),
    sa.Column("kind", sa.Text, nullable=False),
    sa.Column("link", sa.Text),
    sa.Column("claims_read", sa.Float),  # bytes per second
    sa.Column("claims_write", sa.Float),
    sa.Index("parts_by_kind", "kind", "key"),
    sa.Index("parts_by_link", "link", "key"),
)
RESULTS = sa.Table(
    "results",
    META,
    sa.Column("key", sa.ForeignKey("runs.key", ondelete="CASCADE"), nullable=False, index=True),
    sa.Column("workload", sa.Text, nullable=False),
    sa.Column("text", sa.Text, nullable=False, index=True),
    sa.Column("way", sa.String(12), nullable=False),
    sa.Column("manner", sa.String(12), nullable=False),
    sa.Column("state", sa.Text),
    sa.Column("passes", sa.Integer, nullable=False),
    sa.Column("rate", sa.Float, nullable=False),
    sa.Column("low", sa.Float),
    sa.Column("high", sa.Float),
    sa.Index("results_by_manner", "way", "manner", "rate"),
    sa.Index("results_by_rate", "way", "rate"),
)


CLAIMS = {"read": PARTS.c.claims_read, "write": PARTS.c.claims_write}
"""What a part claims, by the way."""


def _to_2(connection: Connection) -> None:
    """Version 1 had no file system."""
    connection.execute(sa.text("ALTER TABLE runs ADD COLUMN filesystem TEXT"))


def _to_3(connection: Connection) -> None:
    """Version 2 had no claims; what is in it is put in anew when its review is added again."""
    for way in CLAIMS:
        connection.execute(sa.text(f"ALTER TABLE parts ADD COLUMN claims_{way} FLOAT"))
    connection.execute(RUNS.update().values(sum=""))


MIGRATIONS: dict[int, Callable[[Connection], None]] = {1: _to_2, 2: _to_3}
"""What brings an archive of a version to the next."""


def opened(where: str | Path) -> Engine:
    """Open the archive in a file, or at a server's address ('postgresql://...'), and make or bring up its tables; raise UsageError."""
    url = where if isinstance(where, str) and "://" in where else f"sqlite:///{where}"
    if url.startswith("postgresql://"):
        url = url.replace("postgresql://", "postgresql+psycopg://", 1)
    try:
        if url.startswith("sqlite"):
            Path(str(where)).parent.mkdir(parents=True, exist_ok=True)
            engine = sa.create_engine(url, connect_args={"timeout": WAIT})
            sa.event.listen(engine, "connect", _settle)
            sa.event.listen(engine, "begin", _begin_at_once)
        else:
            engine = sa.create_engine(url, pool_pre_ping=True)
        _bring_up(engine)
    except ImportError as error:
        raise UsageError("a PostgreSQL archive needs the package psycopg: pip install 'ulterion[postgres]'") from error
    except (SQLAlchemyError, OSError) as error:
        raise UsageError(f"the archive {where} cannot be opened: {first_line(error)}") from error
    return engine


def cleared(where: str | Path) -> None:
    """Take everything out of an archive; raise UsageError."""
    engine = opened(where)
    with in_words("emptied"), engine.begin() as connection:
        for table in (RESULTS, PARTS, RUNS):
            connection.execute(table.delete())
    engine.dispose()


@contextlib.contextmanager
def in_words(done: str) -> Iterator[None]:
    """Turn what a database says within the block into a UsageError: that the archive cannot be `done`."""
    try:
        yield
    except SQLAlchemyError as error:
        raise UsageError(
            f"the archive cannot be {done}: {first_line(error)}; free it, make it anew with 'ulterion archive rebuild', or name another with --archive"
        ) from error


def _settle(connection: sqlite3.Connection, record: object) -> None:
    """SQLite: readers and one writer at once, every commit on the medium, foreign keys kept; transactions are begun by us."""
    connection.isolation_level = None
    for words in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON"):
        connection.execute(f"PRAGMA {words}")


def _begin_at_once(connection: Connection) -> None:
    """SQLite: a transaction takes the right to write at its beginning, so that two writers wait for each other and never fail."""
    reads = connection.get_execution_options().get("reads", False)
    connection.exec_driver_sql("BEGIN" if reads else "BEGIN IMMEDIATE")


def _bring_up(engine: Engine) -> None:
    with engine.begin() as connection:
        if engine.dialect.name == "postgresql":
            connection.execute(sa.text("SELECT pg_advisory_xact_lock(7316204)"))  # two that open it first make it once
        known = sa.inspect(connection).has_table("about")
        version = connection.execute(sa.select(ABOUT.c.version)).scalar() if known else None
        if version is None:
            META.create_all(connection)
            connection.execute(ABOUT.insert().values(version=VERSION))
            return
        if version > VERSION:
            raise UsageError(
                f"the archive was made by a newer Ulterion (version {version} of its tables); update to use it"
            )
        for step in range(version, VERSION):
            MIGRATIONS[step](connection)
        if version < VERSION:
            connection.execute(ABOUT.update().values(version=VERSION))


def first_line(error: Exception) -> str:
    """Return what a database says of an error, in a line."""
    return str(getattr(error, "orig", None) or error).strip().split("\n")[0]
