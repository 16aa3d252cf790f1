"""A quantity in other units: asked for many times an afternoon, so nothing is loaded that it does not need."""

from __future__ import annotations

import argparse

from ulterion.core.estimates.conversions import Conversion, converted
from ulterion.show.blocks import BLANK, Cells, Shown, Table, Text
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status


def units(arguments: argparse.Namespace, env: Environment) -> Status:
    """Show a quantity in other units."""
    conversion = converted(arguments.amount)
    if arguments.json:
        from ulterion.features.estimate.data import UnitsData

        env.show_json("units", UnitsData(conversion.kind, conversion.quantities, conversion.links))
    else:
        env.show(units_table(arguments.amount, conversion))
    return Status.DONE


def units_table(text: str, found: Conversion) -> list[Shown]:
    """Return a quantity in other units; of links the slowest of each kind that carries a rate."""
    first = next(iter(found.quantities.values()))
    rows: list[Cells | Text] = [[name, value] for name, value in list(found.quantities.items())[1:]]
    lines: list[Shown] = [Text(f"{text} is {first}."), BLANK, Table((("", "left"), ("", "left")), rows)]
    shown: list[Cells | Text] = [[name, found.links[name]] for name in found.carriers if name in found.links]
    if shown:
        lines += [BLANK, Table((("carried by", "left"), ("load", "left")), shown)]
        lines.append(Text("the slowest link of each kind that carries it in practice; --json lists all", "muted"))
    return lines
