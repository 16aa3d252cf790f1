"""Moments in documents: in UTC, to the millisecond (RFC 3339)."""

from __future__ import annotations

import datetime

FIRST_YEAR, LAST_YEAR = 1970, 9000  # of a moment in a document; beyond it the arithmetic of time zones overflows


def moment_of(value: object) -> datetime.datetime:
    """Read a moment with its time zone, in UTC; raise ValueError."""
    moment = datetime.datetime.fromisoformat(value) if isinstance(value, str) else value
    if not isinstance(moment, datetime.datetime) or moment.tzinfo is None or not FIRST_YEAR <= moment.year <= LAST_YEAR:
        raise ValueError("is not a time with its zone, such as 2026-03-02T09:00:00Z")
    return moment.astimezone(datetime.UTC)


def moment_text(moment: datetime.datetime) -> str:
    """Return a moment as RFC 3339 in UTC, to the millisecond."""
    return moment.astimezone(datetime.UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")
