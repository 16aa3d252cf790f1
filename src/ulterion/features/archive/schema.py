"""The tables of the archive, in SQLite in the user's data folder, or on a PostgreSQL server (`opening`).

What is in it can be made anew from the documents at any time.  `VERSION` grows with every change of the tables; an archive of an older
version is brought up when it is opened for writing, one of a newer is left alone.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator

import sqlalchemy as sa
from sqlalchemy.engine import Connection
from sqlalchemy.exc import SQLAlchemyError

from ulterion.core.errors import UsageError

VERSION = 4
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
    sa.Column("setup", sa.Text),
    sa.Column("label", sa.Text, nullable=False),
    sa.Column("host", sa.Text, nullable=False),
    sa.Column("system", sa.Text),
    sa.Column("version", sa.Text),
    sa.Column("started", sa.String(32), nullable=False, index=True),  # ISO 8601, UTC: the same order as time
    sa.Column("state", sa.String(20), nullable=False),
    sa.Column("link", sa.Text, index=True),
    sa.Column("driver", sa.Text),
    sa.Column("filesystem", sa.Text),
    sa.Column("baseline", sa.Boolean, nullable=False),
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
    sa.Column("direction", sa.String(12), nullable=False),
    sa.Column("pattern", sa.String(12), nullable=False),
    sa.Column("state", sa.Text),
    sa.Column("passes", sa.Integer, nullable=False),
    sa.Column("rate", sa.Float, nullable=False),
    sa.Column("low", sa.Float),
    sa.Column("high", sa.Float),
    sa.Index("results_by_manner", "direction", "pattern", "rate"),
    sa.Index("results_by_rate", "direction", "rate"),
)


CLAIMS = {"read": PARTS.c.claims_read, "write": PARTS.c.claims_write}
"""What a part claims, by direction."""


def _to_2(connection: Connection) -> None:
    """Add the file system, which version 1 did not store."""
    connection.execute(sa.text("ALTER TABLE runs ADD COLUMN filesystem TEXT"))


def _to_3(connection: Connection) -> None:
    """Add the claims, which version 2 did not store."""
    for direction in CLAIMS:
        connection.execute(sa.text(f"ALTER TABLE parts ADD COLUMN claims_{direction} FLOAT"))


RENAMED = {"runs": {"hookup": "setup", "direct": "baseline"}, "results": {"way": "direction", "manner": "pattern"}}
"""Columns of version 3 and before, by table, and what they are called now."""


def _to_4(connection: Connection) -> None:
    """Rename columns; clearing the checksums makes the next add fill in the new names of workloads."""
    for table, columns in RENAMED.items():
        for old, new in columns.items():
            connection.execute(sa.text(f"ALTER TABLE {table} RENAME COLUMN {old} TO {new}"))
    connection.execute(RUNS.update().values(sum=""))


MIGRATIONS: dict[int, Callable[[Connection], None]] = {1: _to_2, 2: _to_3, 3: _to_4}
"""What brings an archive of a version to the next."""


def columns_of(version: int) -> dict[str, set[str]]:
    """Return the names of the columns that each table had in a version."""
    columns = {name: set(table.columns.keys()) for name, table in META.tables.items()}
    if version < 4:
        for table, names in RENAMED.items():
            columns[table] = columns[table] - set(names.values()) | set(names)
    if version < 3:
        columns["parts"] -= {f"claims_{direction}" for direction in CLAIMS}
    if version < 2:
        columns["runs"] -= {"filesystem"}
    return columns


@contextlib.contextmanager
def in_words(done: str) -> Iterator[None]:
    """Turn an error of the database within the block into a UsageError: the archive cannot be `done`."""
    try:
        yield
    except SQLAlchemyError as error:
        raise UsageError(
            f"the archive cannot be {done}: {first_line(error)}; free it, or move it away and build it again with 'ulterion archive rebuild'"
        ) from error


def first_line(error: Exception) -> str:
    """Return a database's error message in one line."""
    return str(getattr(error, "orig", None) or error).strip().split("\n")[0]
