"""The ports of machines as an answer: what is behind each, what it carried, what it shares, and what starts from it."""

from __future__ import annotations

from collections.abc import Sequence

from ulterion.core.units import show_rate
from ulterion.model.review import Review
from ulterion.results.ports import PortRow
from ulterion.show.blocks import BLANK, Cells, Shown, Table, Text
from ulterion.show.outcome_words import outcome_cell

HOST, WITH, CONTROLLER, SHARED, AT_ONCE = "host", "with", "controller", "shared with", "at once"


def ports_lines(review: Review, rows: Sequence[PortRow], unit: str) -> list[Shown]:
    """Return which port is fastest, and the table of all."""
    return [*([Text(ports_sentence(rows, unit)), BLANK] if len(rows) > 1 else []), *ports_table(review, rows, unit)]


def ports_table(review: Review, rows: Sequence[PortRow], unit: str) -> list[Shown]:
    """Return the ports of hosts beside each other."""
    shared, beside, boots = (any(told) for told in zip(*((r.shares, r.kept, r.boots) for r in rows), strict=True))
    more = [name for name, told in ((SHARED, shared), (AT_ONCE, beside), ("boots", boots)) if told]
    columns = [(HOST, "left"), ("port", "left"), ("link", "left"), ("reads", "right"), ("writes", "right")]
    columns += [(name, "left") for name in (WITH, CONTROLLER, *more)]
    body: list[Cells | Text] = [
        [
            row.host,
            row.port,
            row.link or (f"faster than {row.rules_out}" if row.rules_out else "–"),
            *(_most(row, way, unit) for way in ("read", "write")),
            _products(review, row),
            row.controller or "–",
            *([", ".join(row.shares)] if shared else []),
            *([_kept(row)] if beside else []),
            *([_boots(review, row)] if boots else []),
        ]
        for row in rows
    ]
    legend = f"{unit}: the most that a setup reached there, by its newest runs"
    if beside:
        legend += f"; {AT_ONCE}: the share of its own rate that it kept while the other port was busy too"
    table = Table(columns, body, spare=(WITH, HOST, SHARED, CONTROLLER))
    return [table, Text(legend, style="muted")]


def _most(row: PortRow, way: str, unit: str) -> str:
    """Return the best rate of a direction."""
    told = next((estimate for name, (estimate, _) in row.best.items() if name == way), None)
    return "–" if told is None else show_rate(told.rate, unit, with_unit=False)


def _products(review: Review, row: PortRow) -> str:
    """Return what reached the best rates: the products between port and medium, or the medium where nothing is."""
    chains = [review.setups[setup].chain for _, setup in row.best.values()]
    return ", ".join(dict.fromkeys(review.joined(c[1:-1] or c[-1:]) for c in chains))


def _kept(row: PortRow) -> str:
    return ", ".join(f"{share * 100:.0f}% beside {port}" for port, share in row.kept.items())


def _boots(review: Review, row: PortRow) -> Text | str:
    """Return whether the machine starts from the port, by drive where several were tried."""
    if len(row.boots) == 1:
        return outcome_cell(next(iter(row.boots.values())))
    told = [f"{review.setup_among_all(s)}: {outcome_cell(o)}" for s, o in row.boots.items()]
    return "; ".join(told)


def ports_sentence(rows: Sequence[PortRow], unit: str) -> str:
    """Return which port is fastest, and which slowest, in reading, or in writing where nothing was read."""
    for way, doing in (("read", "reading"), ("write", "writing")):
        found = [(row.port, row.best[way][0].rate) for row in rows if way in row.best]
        if len(found) > 1:
            first, last = max(found, key=lambda f: f[1]), min(found, key=lambda f: f[1])
            return f"Fastest is {first[0]}, {doing} at {show_rate(first[1], unit)}; slowest is {last[0]}, at {show_rate(last[1], unit)}."
    return "Only one port was measured in any direction."
