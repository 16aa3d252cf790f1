"""Logs of other instruments: CSV with a column of times and a column of values."""

from __future__ import annotations

import csv
import datetime
import itertools
import math
import zoneinfo
from collections.abc import Sequence
from pathlib import Path

from ulterion.core.errors import UsageError, unknown
from ulterion.core.patterns import pattern
from ulterion.core.records import dataclass
from ulterion.model.reading import read_text

MAX_BYTES = 64 * 2**20  # bytes; a day of readings every tenth of a second is less
MAX_BAD = 0.05  # share of rows that may be unreadable before the file is refused
GAP = 5.0  # usual steps between two rows that count as a gap
_OFFSET = pattern(r"([+-])(\d{2}):?(\d{2})")
_FORMATS = ("%Y-%m-%d %H:%M:%S.%f", "%Y-%m-%d %H:%M:%S", "%d.%m.%Y %H:%M:%S", "%Y/%m/%d %H:%M:%S")


@dataclass(frozen=True)
class InstrumentLog:
    """What a log holds.

    Attributes:
        times: seconds; since 1970 (UTC) where `absolute`, else since the log's own beginning.
        values: one for each time.
        absolute: whether the times are moments.
        bad: rows that could not be read.
        gaps: (time, seconds) of each gap.
    """

    times: list[float]
    values: list[float]
    absolute: bool
    bad: int
    gaps: list[tuple[float, float]]


def read_log(
    path: Path, columns: tuple[str | None, str | None] = (None, None), zone: str | None = None
) -> InstrumentLog:
    """Read a log; `columns` name those of the times and values (the first and second when None).

    Times are moments (ISO 8601; without a zone of their own `zone` says which) or plain seconds.  Raises UsageError
    that names the file, the place and what to do.
    """
    rows = _rows(path)
    header, body = rows[0], rows[1:]
    time_at, value_at = (_column(path, header, name, place) for place, name in enumerate(columns))
    if not body:
        raise UsageError(f"{path} has no row below its header; is it the right file?")
    plain = _is_number(_cell(body[0], time_at))
    times, values, bad = [], [], []
    for number, row in enumerate(body, 2):
        try:
            when = float(_cell(row, time_at)) if plain else _moment(_cell(row, time_at), zone)
            value = float(_cell(row, value_at).replace(",", "."))
            if not math.isfinite(value) or not math.isfinite(when):
                raise ValueError("not a number")
        except UsageError as error:
            raise UsageError(f"{path}, line {number}: {error}") from error
        except ValueError as error:
            bad.append((number, str(error)))
            continue
        times.append(when)
        values.append(value)
    if len(bad) > MAX_BAD * len(body):
        raise UsageError(
            f"{path}, line {bad[0][0]}: {bad[0][1]}; name the columns with --time-column and --value-column"
        )
    order = sorted(range(len(times)), key=lambda i: times[i])
    times, values = [times[i] for i in order], [values[i] for i in order]
    return InstrumentLog(times, values, not plain, len(bad), _gaps(times))


def _rows(path: Path) -> list[list[str]]:
    try:
        text = read_text(path, MAX_BYTES)
        mark = max(",;\t", key=text.partition("\n")[0].count)
        rows = [r for r in csv.reader(text.splitlines(), delimiter=mark) if r]
    except csv.Error as error:
        raise UsageError(f"{path} is not CSV: {error}; save it again as CSV in UTF-8") from error
    if not rows or len(rows[0]) < 2:
        raise UsageError(
            f"{path} lacks two columns; a log has one of times and one of values, with names in its first line"
        )
    return rows


def _column(path: Path, header: Sequence[str], name: str | None, place: int) -> int:
    names = [h.strip() for h in header]
    if name is None:
        return place
    if name not in names:
        raise UsageError(f"{path}: {unknown('column', name, names)}")
    return names.index(name)


def _cell(row: Sequence[str], place: int) -> str:
    if place >= len(row):
        raise ValueError(f"a row of {len(row)} cells, too few")
    return row[place].strip()


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True


def _moment(text: str, zone: str | None) -> float:
    """Return seconds since 1970 of a moment; raise ValueError."""
    moment = None
    try:
        moment = datetime.datetime.fromisoformat(text)
    except ValueError:
        for form in _FORMATS:
            try:
                moment = datetime.datetime.strptime(text, form)
                break
            except ValueError:
                continue
    if moment is None:
        raise ValueError(f"'{text[:40]}' is neither a time like 2026-03-02T09:00:00+01:00 nor a number of seconds")
    if moment.tzinfo is None:
        if zone is None:
            raise UsageError(
                f"the log's times name no time zone ('{text[:40]}'); say which with --zone, such as --zone Europe/Lisbon"
            )
        moment = moment.replace(tzinfo=parse_zone(zone))
    return moment.timestamp()


def parse_zone(text: str) -> datetime.tzinfo:
    """Read a time zone: a name of the zone database, or an offset such as '+02:00'; raise UsageError."""
    match = _OFFSET.fullmatch(text)
    if match:
        minutes = int(match[2]) * 60 + int(match[3])
        return datetime.timezone(datetime.timedelta(minutes=minutes if match[1] == "+" else -minutes))
    try:
        return zoneinfo.ZoneInfo(text)
    except (zoneinfo.ZoneInfoNotFoundError, ValueError, OSError) as error:
        raise UsageError(f"'{text}' is not a time zone; write 'Europe/Lisbon', 'UTC' or '+02:00'") from error


def _gaps(times: Sequence[float]) -> list[tuple[float, float]]:
    steps = [b - a for a, b in itertools.pairwise(times)]
    if not steps:
        return []
    usual = sorted(steps)[len(steps) // 2]
    return [(t, s) for t, s in zip(times, steps, strict=False) if s > GAP * max(usual, 0.1)]
