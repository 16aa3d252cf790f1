"""What was read by hand during soaks: each thing at each moment, above the room, and how setups differ in it."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ulterion.core.records import dataclass
from ulterion.core.soak.trace import LOAD
from ulterion.core.units import show_duration
from ulterion.features.soak.judging import Soak
from ulterion.model.review import About
from ulterion.show.blocks import BLANK, Cells, Shown, Table, Text, heading

TOGETHER = 30.0  # seconds within which readings of two soaks are of one moment
IDLE, END, UNTIMED = "idle", "end", ""


@dataclass(frozen=True)
class ReadingRow:
    """One thing at one moment, in every soak that has it.

    Attributes:
        what: what was read: case, skin, hub, ...
        moment: 'idle', 'end', a time since the load began such as '5m00s', or nothing where none was given.
        celsius: by the soaks in their order, None where it was not read.
        above_room: likewise, less the room, None where that is not known.
        less: how much warmer each soak is than the first, above the room where both are known; None for the first.
    """

    what: str
    moment: str
    celsius: tuple[float | None, ...]
    above_room: tuple[float | None, ...]
    less: tuple[float | None, ...]


def reading_rows(soaks: Sequence[Soak]) -> list[ReadingRow]:
    """Return the readings taken by hand, in order of time, without those of the room."""
    found: dict[tuple[str, float], list[float | None]] = {}
    names: dict[tuple[str, float], str] = {}
    for number, soak in enumerate(soaks):
        for reading in soak.run.standing_readings:
            if reading.unit != "C" or reading.what.casefold() == "room":
                continue
            since, name = _moment(soak, reading.at_seconds)
            key = next((k for k in found if k[0] == reading.what and _same(names[k], k[1], name, since)), None)
            key = key or (reading.what, since)
            names.setdefault(key, name)
            found.setdefault(key, [None] * len(soaks))[number] = reading.value
    ordered = sorted(found, key=lambda k: (k[0], math.inf if names[k] == UNTIMED else k[1]))
    return [_row(soaks, key[0], names[key], found[key]) for key in ordered]


def _moment(soak: Soak, at_seconds: float | None) -> tuple[float, str]:
    """Return when a reading was taken, seconds since the load began, and how that moment is called."""
    if at_seconds is None:
        return 0.0, UNTIMED
    since = at_seconds - soak.load_start
    phase = soak.trace.phase(LOAD)
    if since <= 0:
        return 0.0, IDLE
    if phase is not None and abs(at_seconds - phase.end) <= TOGETHER:
        return since, END
    return since, show_duration(since)


def _same(name: str, since: float, other: str, other_since: float) -> bool:
    """Return whether two moments are one: both idle, both the end, both untimed, or close to each other."""
    if {name, other} & {IDLE, END, UNTIMED}:
        return name == other
    return abs(since - other_since) <= TOGETHER


def _row(soaks: Sequence[Soak], what: str, moment: str, values: Sequence[float | None]) -> ReadingRow:
    rooms = [s.findings.room for s in soaks]
    above = [None if v is None or room is None else v - room for v, room in zip(values, rooms, strict=True)]
    known = above if all(a is not None or v is None for a, v in zip(above, values, strict=True)) else list(values)
    first = known[0]
    less = [None if n == 0 or v is None or first is None else v - first for n, v in enumerate(known)]
    return ReadingRow(what, moment, tuple(values), tuple(above), tuple(less))


def readings_table(soaks: Sequence[Soak], about: About) -> list[Shown]:
    """Return the table of what was read by hand; `about` the review says what one may be off by.  Nothing where nothing was read."""
    rows = reading_rows(soaks)
    if not rows:
        return []
    columns = [("by hand", "left"), ("at", "left")]
    for number, soak in enumerate(soaks):
        columns += [(soak.label if len(soaks) > 1 else "read", "right"), ("rise", "right")]
        columns += [("difference", "right")] if number else []
    body: list[Cells | Text] = [_cells(row, about.reading_error(row.what)) for row in rows]
    errors = dict.fromkeys(about.reading_error(row.what) for row in rows)
    off = f"{next(iter(errors)):g} °C" if len(errors) == 1 else "what its thermometer may be"
    words = f"rise: above ambient; a reading may be off by {off}"
    return [BLANK, heading("Readings"), Table(columns, body, "readings by hand"), Text(words, style="muted")]


def _cells(row: ReadingRow, error: float) -> list[Text | str]:
    cells: list[Text | str] = [Text(row.what, style="name"), row.moment or "–"]
    for number, (value, rise, less) in enumerate(zip(row.celsius, row.above_room, row.less, strict=True)):
        cells += ["–" if value is None else f"{value:.1f} °C", "–" if rise is None else f"{rise:.1f} °C"]
        if number:
            cells.append("–" if less is None else _difference(less, error))
    return cells


def _difference(less: float, error: float) -> Text:
    """Return a difference with what two readings may be off by together; it counts only beyond that."""
    off = error * math.sqrt(2)
    style = "muted" if abs(less) <= off else "bad" if less > 0 else "good"
    return Text(f"{less:+.1f} ±{off:.1f}".replace("-", "−"), style=style)
