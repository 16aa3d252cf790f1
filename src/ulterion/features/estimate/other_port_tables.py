"""What a reader gets on a port of his own, and what moving bytes draws, on the screen."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.estimates.readers import Reader
from ulterion.core.units import show_between, show_duration, show_rate, show_size, significant
from ulterion.features.estimate.energy import Energy
from ulterion.features.estimate.other_port import Suggestion, There
from ulterion.features.estimate.other_port_words import basis_words, chain_words, grouped, reader_answer, too_small
from ulterion.model.review import Review
from ulterion.model.runs.document import AnyRun
from ulterion.show.blocks import BLANK, Cells, Shown, Table, Text, bullet_list

WATT_HOUR = 3600.0  # J


def reader_table(
    review: Review, runs: Sequence[AnyRun], reader: Reader, found: Sequence[Suggestion], unit: str
) -> list[Shown]:
    """Return what each tested product gives there, measured or worked out, and what does not fit."""
    lines: list[Shown] = []
    for link in reader.links:
        mine = [s for s in found if s.link == link]
        known = [s for s in mine if s.ways]
        columns = [("product", "left"), (f"read, {unit}", "right"), (f"write, {unit}", "right")]
        columns += [("to read it", "right"), ("to write it", "right")] if reader.size is not None else []
        body: list[Cells | Text] = [
            [Text(chain_words(review, s), style="name"), *_cells(s, reader, unit)] for s in known
        ]
        lines += [*([BLANK] if lines else []), Text(reader_answer(review, reader, link, known, unit)), BLANK]
        lines += [Table(columns, body, spare=("to write it", f"write, {unit}"))] if body else []
        lines += bullet_list("Basis", grouped([(chain_words(review, s), basis_words(review, s)) for s in known]))
        if reader.size is not None:
            lines += bullet_list("Warnings", too_small(review, runs, reader.size, known))
        lines += bullet_list("Left out", grouped([(chain_words(review, s), s.why) for s in mine if s.why]))
    return lines


def _cells(one: Suggestion, reader: Reader, unit: str) -> list[str]:
    ways = [one.ways.get("read"), one.ways.get("write")]
    cells = [_rates(w, unit) for w in ways]
    return [*cells, *(_times(w) for w in ways)] if reader.size is not None else cells


def _rates(way: There | None, unit: str) -> str:
    if way is None:
        return "–"
    low, high = (show_rate(r, unit, with_unit=False) for r in (way.low, way.high))
    return low if low == high else show_between(low, high)


def _times(way: There | None) -> str:
    if way is None or way.quick is None or way.slow is None:
        return "–"
    low, high = show_duration(way.quick.low), show_duration(way.slow.high)
    return low if low == high else show_between(low, high)


def energies_table(found: Sequence[Energy], size: int | None) -> list[Shown]:
    """Return what moving a gigabyte draws."""
    columns = [
        ("setup", "left"),
        ("", "left"),
        ("at work", "right"),
        ("most", "right"),
        ("at rest", "right"),
        ("J/GB", "right"),
        ("above rest", "right"),
    ]
    columns += [(f"for {show_size(size)}", "right")] if size is not None else []
    body: list[Cells | Text] = []
    for one in found:
        rest = "–" if one.idle is None else f"{one.idle:.2f} W"
        above = "–" if one.above_rest is None else f"{one.above_rest:.2f}"
        row = [
            one.setup,
            one.direction,
            f"{one.watts:.2f} W",
            f"{one.peak:.2f} W",
            rest,
            f"{one.per_gigabyte:.2f}",
            above,
        ]
        body.append(
            [*row, *([f"{significant(one.per_gigabyte * size / 1e9 / WATT_HOUR)} Wh"] if size is not None else [])]
        )
    note = "J/GB: energy drawn while a gigabyte moves; above rest: without what it draws at rest in that time"
    return [Table(columns, body), Text(note, style="muted")]
