"""How a document is laid out as text: indented, a list of numbers on one line."""

from __future__ import annotations

import json


def compact_json(data: object) -> str:
    """Return indented JSON in which a list of plain values, or of pairs, stands on one line."""
    return _lines(data, "") + "\n"


def _lines(data: object, indent: str) -> str:
    inner = indent + "  "
    if isinstance(data, dict) and data:
        body = ",\n".join(f"{inner}{json.dumps(k)}: {_lines(v, inner)}" for k, v in data.items())
        return f"{{\n{body}\n{indent}}}"
    if isinstance(data, list) and any(isinstance(v, dict) for v in data):
        body = ",\n".join(f"{inner}{_lines(v, inner)}" for v in data)
        return f"[\n{body}\n{indent}]"
    return json.dumps(data, ensure_ascii=False, allow_nan=False)
