"""Text of another program's, of which nothing can be taken for granted: every piece is what is asked for, or missing."""

from __future__ import annotations

import json
import math
from collections.abc import Iterator, Mapping

Entry = Mapping[str, object]
DEEPEST = 40  # entries within one another; no machine has so many hubs


def parsed(text: str) -> Entry:
    """Return the JSON object in a text; empty where there is none."""
    try:
        data = json.loads(text)
    except (ValueError, RecursionError):
        return {}
    return data if isinstance(data, dict) else {}


def entry(found: object) -> Entry:
    """Return a value if it is an object, else an empty one."""
    return found if isinstance(found, Mapping) else {}


def entries(found: object) -> list[Entry]:
    """Return the objects of a list; a single object counts as a list of one, as ConvertTo-Json writes it."""
    if isinstance(found, Mapping):
        return [found]
    return [one for one in found if isinstance(one, Mapping)] if isinstance(found, list) else []


def text(found: object) -> str | None:
    """Return a text without blanks around it; None where the value is not a text, or empty."""
    return found.strip() or None if isinstance(found, str) else None


def number(found: object) -> float | None:
    """Return a number of zero or more, also one written as text; None for anything else."""
    if isinstance(found, bool):
        return None
    if isinstance(found, str):
        try:
            found = float(found.strip())
        except ValueError:
            return None
    if isinstance(found, int | float) and math.isfinite(found) and 0 <= found < 1e21:
        return float(found)
    return None


def whole(found: object) -> int | None:
    """Return a whole number of zero or more; None for anything else."""
    value = number(found)
    return None if value is None or value != int(value) else int(value)


def switch(found: object) -> bool | None:
    """Return a yes or no, as true, 'yes' or 'Yes'; None where it is neither."""
    if isinstance(found, bool):
        return found
    return {"yes": True, "true": True, "no": False, "false": False}.get((text(found) or "").casefold())


def below(found: object, key: str, way: tuple[Entry, ...] = ()) -> Iterator[tuple[Entry, ...]]:
    """Yield every object of a tree whose branches hang on `key`, each with those it hangs on, the root first."""
    if len(way) > DEEPEST:
        return
    for one in entries(found):
        here = (*way, one)
        yield here
        yield from below(one.get(key), key, here)
