"""Tables as files: CSV that no spreadsheet takes for formulas, JSON, Parquet, and Markdown and HTML for pasting.

Columns have their unit in the name and keep it: the version of the tables changes when one is renamed or means something else.
"""

from __future__ import annotations

import csv
import io
import json
import math
from collections.abc import Callable, Sequence
from html import escape

import pandas as pd

from ulterion.core.errors import UsageError
from ulterion.core.text import visible

VERSION = 1
FORMULAS = ("=", "+", "-", "@", "\t", "\r")  # what spreadsheets take for the beginning of one (OWASP, CSV injection)


def safe_cell(value: object) -> object:
    """Return a value as it can stand in CSV: text that a spreadsheet would take for a formula begins with an apostrophe."""
    if isinstance(value, list | tuple):
        value = "; ".join(str(v) for v in value)
    if isinstance(value, str):
        value = visible(value)
        return f"'{value}" if value.startswith(FORMULAS) else value
    if value is None or (isinstance(value, float) and math.isnan(value)) or value is pd.NaT:
        return ""
    if isinstance(value, pd.Timestamp):
        return value.isoformat()
    return repr(value) if isinstance(value, float) else value


def as_csv(frame: pd.DataFrame) -> bytes:
    """Return a table as CSV in UTF-8 (RFC 4180): floats to the last digit, nothing a spreadsheet would work out."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(frame.columns)
    for row in frame.itertuples(index=False, name=None):
        writer.writerow([safe_cell(v) for v in row])
    return out.getvalue().encode("utf-8")


def _plain(value: object) -> object:
    if isinstance(value, pd.Timestamp):
        return value.isoformat()
    if value is pd.NaT or (isinstance(value, float) and not math.isfinite(value)):
        return None
    return value.item() if hasattr(value, "item") else value


def as_json(frame: pd.DataFrame, name: str) -> bytes:
    """Return a table as JSON: which table of which version, and a list of rows."""
    rows = [dict(zip(frame.columns, map(_plain, row), strict=True)) for row in frame.itertuples(index=False, name=None)]
    data = {"schema": {"name": f"ulterion-table-{name}", "version": VERSION}, "rows": rows}
    return (json.dumps(data, ensure_ascii=False, indent=1) + "\n").encode("utf-8", "surrogatepass")


def as_parquet(frame: pd.DataFrame) -> bytes:
    """Return a table as Parquet; raise UsageError where the package for it is not installed."""
    try:
        import pyarrow as pa
        import pyarrow.parquet as pq
    except ImportError as error:
        raise UsageError(
            "Parquet needs the package pyarrow: pip install 'ulterion[parquet]'; or take csv or json"
        ) from error
    out = io.BytesIO()
    made = pa.Table.from_pandas(frame, preserve_index=False)
    pq.write_table(made.replace_schema_metadata({"ulterion-table": str(VERSION)}), out)
    return out.getvalue()


def _shown(value: object) -> str:
    return f"{value:.6g}" if isinstance(value, float) and math.isfinite(value) else str(safe_cell(value))


def as_markdown(frame: pd.DataFrame) -> bytes:
    """Return a table in Markdown, for pasting."""

    def line(cells: Sequence[str]) -> str:
        return "| " + " | ".join(c.replace("\\", "\\\\").replace("|", "\\|").replace("<", "&lt;") for c in cells) + " |"

    head = [line([str(c) for c in frame.columns]), "|" + "---|" * len(frame.columns)]
    return (
        "\n".join([*head, *(line([_shown(v) for v in r]) for r in frame.itertuples(index=False, name=None))]) + "\n"
    ).encode()


def as_html(frame: pd.DataFrame) -> bytes:
    """Return a table in HTML, for pasting: everything is escaped."""
    head = "".join(f'<th scope="col">{escape(str(c))}</th>' for c in frame.columns)
    rows = "\n".join(
        "<tr>" + "".join(f"<td>{escape(_shown(v))}</td>" for v in row) + "</tr>"
        for row in frame.itertuples(index=False, name=None)
    )
    return f"<table>\n<thead><tr>{head}</tr></thead>\n<tbody>\n{rows}\n</tbody>\n</table>\n".encode()


FORMS: dict[str, tuple[str, Callable[[pd.DataFrame, str], bytes]]] = {
    "csv": (".csv", lambda frame, name: as_csv(frame)),
    "json": (".json", as_json),
    "parquet": (".parquet", lambda frame, name: as_parquet(frame)),
    "markdown": (".md", lambda frame, name: as_markdown(frame)),
    "html": (".html", lambda frame, name: as_html(frame)),
}
"""The forms a table can be written in: ending, and what makes it."""
