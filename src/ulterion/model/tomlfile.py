"""Reading a TOML file into a model, with errors that name file, place and remedy."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Sequence
from pathlib import Path
from typing import Any, TypeVar, get_args

from pydantic import BaseModel, ValidationError

from ulterion.core.errors import UsageError, nearest
from ulterion.core.renamed import new_name
from ulterion.model.reading import read_text

Model = TypeVar("Model", bound=BaseModel)
Place = tuple[int | str, ...]
MOST = 12  # faults of a file that are named
_UNQUOTABLE = re.compile(r'["\\\x00-\x1f\x7f-\x9f\u2028\u2029]')


def read(path: Path, model: type[Model]) -> Model:
    """Read a TOML file into `model`; raise UsageError that names every fault found."""
    return parse(read_text(path), path, model)


def quoted(text: str) -> str:
    """Return text as a TOML basic string (toml.io, 1.0): what may not stand in one is escaped or, being no text, marked."""
    safe = text.encode("utf-8", "replace").decode()
    return '"' + _UNQUOTABLE.sub(lambda m: f"\\u{ord(m[0]):04x}", safe) + '"'


def parse(text: str, path: Path, model: type[Model]) -> Model:
    """Read TOML text into `model`; `path` is for messages only.  Raises UsageError that names every fault, with its line."""
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise UsageError(f"{path}: not valid TOML: {error}; mend that place and try again") from error
    except RecursionError as error:
        raise UsageError(f"{path}: nested too deep; mend that and try again") from error
    except ValueError as error:  # a number of thousands of digits, a date that is none
        raise UsageError(f"{path}: not valid TOML: {str(error)[:80]}; mend that place and try again") from error
    try:
        return model.model_validate(data)
    except ValidationError as error:
        raise UsageError(_faults(error, text, path, model)) from error
    except RecursionError as error:
        raise UsageError(f"{path}: nested too deep; mend that and try again") from error


def _faults(error: ValidationError, text: str, path: Path, model: type[BaseModel]) -> str:
    """Return every fault in a sentence of its own, in the order of their lines."""
    every = error.errors()
    unknown_at = {f["loc"][:-1] for f in every if f["type"] == "extra_forbidden"}
    # a misspelt key also shows up as a missing one, which would mislead
    told = [f for f in every if not (f["type"] == "missing" and f["loc"][:-1] in unknown_at)]
    faults = []
    for fault in told:
        place = tuple(p for p in fault["loc"] if not (isinstance(p, str) and p.startswith("function-")))
        faults.append((_line_of(text, place) or 0, where(text, place), _reason(fault, place, model)))
    return joined_faults(path, [(where, why) for _, where, why in sorted(faults)])


def joined_faults(path: Path, faults: Sequence[tuple[str, str]]) -> str:
    """Return faults of a file, each given as (where, why), in one line."""
    told = [f"{where}: {why}" if where else why for where, why in dict.fromkeys(faults)]
    more = [f"and {len(told) - MOST} more"] if len(told) > MOST else []
    return f"{path}{', ' if faults[0][0] else ': '}{'; '.join([*told[:MOST], *more])}"


def where(text: str, place: Place) -> str:
    """Return 'line N, a.b.c' for a dotted place; without a line when it cannot be found."""
    line = _line_of(text, place)
    return ", ".join(p for p in (f"line {line}" if line else "", ".".join(str(p) for p in place)) if p)


def _reason(fault: Any, place: Place, model: type[BaseModel]) -> str:
    if fault["type"] == "extra_forbidden":
        known = _fields_at(model, place[:-1])
        now = new_name(str(place[-1]))
        if now in known:
            return f"is called '{now}' now; rename it"
        near = nearest(str(place[-1]), known)
        return "unknown key; " + (f"did you mean '{near}'?" if near else f"known here: {', '.join(sorted(known))}")
    if fault["type"] == "missing":
        return "is missing; add it"
    if fault["type"] == "value_error":
        return str(fault["ctx"]["error"])
    return f"{fault['msg'][0].lower()}{fault['msg'][1:]}"


def _fields_at(model: type[BaseModel], place: Place) -> list[str]:
    """Return the keys that are known at a place of the model."""
    current: Any = model
    for step in place:
        if _is_model(current):
            by_key = {f.alias or n: f.annotation for n, f in current.model_fields.items()}
            current = by_key.get(str(step))
        else:  # a table of tables, or a list: the step is its key or index
            current = next((a for a in get_args(current) if _is_model(a)), None)
    if not _is_model(current):  # one that may be left out
        current = next((a for a in get_args(current) if _is_model(a)), None)
    return [] if current is None else [f.alias or n for n, f in current.model_fields.items()]


def _is_model(annotation: object) -> bool:
    return isinstance(annotation, type) and issubclass(annotation, BaseModel)


def place_in(text: str, path: Path, place: Place) -> str:
    """Return 'FILE, line N, a.b.c' for a dotted place; without a line when it cannot be found."""
    return ", ".join(p for p in (str(path), where(text, place)) if p)


def _line_of(text: str, place: Place) -> int | None:
    """Return the line (from 1) of the deepest part of a place that can be found in TOML text."""
    names = [new_name(p) or p for p in place if isinstance(p, str)]
    table: list[str] = []
    best, depth = None, 0
    for number, line in enumerate(text.splitlines(), 1):
        header = re.fullmatch(r"\s*\[\[?(.+?)\]\]?\s*(?:#.*)?", line)
        key = re.match(r"\s*([\w\"':.-]+?)\s*=", line)
        if header:
            table = _split_key(header[1])
            here = table
        elif key:
            here = table + _split_key(key[1])
        else:
            continue
        shared = min(len(here), len(names)) if here[: len(names)] == names[: len(here)] else 0
        if shared > depth:
            best, depth = number, shared
    return best


def _split_key(key: str) -> list[str]:
    """Return the parts of a dotted key, those of an older version as they are called now."""
    parts = [a or b or c for a, b, c in re.findall(r"\"([^\"]*)\"|'([^']*)'|([^.\s\"']+)", key)]
    return [new_name(p) or p for p in parts]
